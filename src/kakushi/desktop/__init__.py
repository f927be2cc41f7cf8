"""Everything Qt: the window, its stages, and the document they share."""
