"""The stage Log."""
