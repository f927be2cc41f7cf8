"""Dialogs: each does one thing and hands the answer back."""
