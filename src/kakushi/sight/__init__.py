"""Geometry in, pixels and what is seen out: one rasteriser for pictures, what shows, and what a photograph holds."""
