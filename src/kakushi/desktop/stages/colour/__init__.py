"""The stage Colour."""
