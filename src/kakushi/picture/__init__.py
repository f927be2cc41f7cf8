"""Geometry in, pixels out: depth and identity buffers, shading, picking. NumPy only, no Qt."""
