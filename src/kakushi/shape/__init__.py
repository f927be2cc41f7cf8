"""Outline in, rows out: profiles, the match of a settled column, the fit. No Qt, no files."""
