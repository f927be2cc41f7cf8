"""Rows in, geometry out: balloons as pressurised spheres, settled to balance. No Qt, no files."""
