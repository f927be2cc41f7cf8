"""The stage Brief."""
