"""Tools of the stages, at the right of the window."""
