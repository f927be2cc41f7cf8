"""Text that no spreadsheet evaluates."""

from __future__ import annotations

FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


def plain(text: str) -> str:
    """`text` with an apostrophe before it where a spreadsheet would take it for a formula."""
    return f"'{text}" if text.startswith(FORMULA_STARTS) else text
