"""One folder per stage of the work: a panel, a page or view, and one line in the registry."""
