"""Widgets and drawing helpers without a place of their own."""
