"""The stage Supplies."""
