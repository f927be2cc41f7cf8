"""The Check stage."""
