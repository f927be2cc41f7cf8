"""Text that no spreadsheet evaluates, and that stays in its cell."""

from __future__ import annotations

import re
import unicodedata

_FORMULA_STARTS = ("=", "+", "-", "@")
_SHOWN_AS_NOTHING = {"Cc", "Cf", "Zs", "Zl", "Zp"}
"""Unicode's kinds of sign that a spreadsheet may leave out before it looks for a formula."""
_BREAKS = re.compile("[\x00-\x1f\x7f\x85\u2028\u2029]+")
"""Line ends and control characters: some CSV readers end a line at them, others refuse the file."""


def one_line(text: str) -> str:
    """`text` without line ends and control characters, which end lines in some readers and are refused by others."""
    return _BREAKS.sub(" ", text)


def plain(text: str) -> str:
    """`text` on one line, with an apostrophe before it where a spreadsheet would take it for a formula.

    Blanks and signs without a shape before it hide no formula, nor do full-width signs.
    """
    line = one_line(text)
    begun = next((c for c in line if unicodedata.category(c) not in _SHOWN_AS_NOTHING), "")
    is_formula = unicodedata.normalize("NFKC", begun).startswith(_FORMULA_STARTS)
    return f"'{line}" if is_formula else line
