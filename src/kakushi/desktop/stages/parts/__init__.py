"""Parts of a piece, listed and edited one by one; several stages show some kinds of them."""
