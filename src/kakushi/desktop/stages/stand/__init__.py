"""The stage Stand."""
