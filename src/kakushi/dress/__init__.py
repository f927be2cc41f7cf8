"""Parts: what each kind is, where it goes, what it weighs and consumes; one module per kind and one table."""
