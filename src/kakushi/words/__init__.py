"""Facts in, sentences out, in the units asked for: the only place where sentences for people are made."""
