"""Pages to print: the pack, cards, lists, steps, quotes, checked photographs, labels."""
