"""Text that no spreadsheet evaluates."""

from __future__ import annotations

import unicodedata

_FORMULA_STARTS = ("=", "+", "-", "@")
_SHOWN_AS_NOTHING = {"Cc", "Cf", "Zs", "Zl", "Zp"}
"""Unicode's kinds of sign that a spreadsheet may leave out before it looks for a formula."""


def plain(text: str) -> str:
    """`text` with an apostrophe before it where a spreadsheet would take it for a formula.

    Blanks, line ends and signs without a shape before it hide no formula, nor do full-width signs.
    """
    begun = next((c for c in text if unicodedata.category(c) not in _SHOWN_AS_NOTHING), "")
    is_formula = unicodedata.normalize("NFKC", begun).startswith(_FORMULA_STARTS)
    return f"'{text}" if is_formula or text[:1] in {"\t", "\r", "\n"} else text
