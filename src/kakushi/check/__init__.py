"""A photograph of a piece against its plan: where it was taken from, and what is not as planned."""
