"""The stage Prep."""
