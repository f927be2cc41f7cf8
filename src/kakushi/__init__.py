"""Kakushi: plan, prepare and build balloon columns and sculptures.

Importing this package imports no Qt; only `kakushi.desktop` does.
"""

__version__ = "0.1.0"
