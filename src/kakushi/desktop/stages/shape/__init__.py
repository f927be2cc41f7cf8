"""The stage Shape."""
