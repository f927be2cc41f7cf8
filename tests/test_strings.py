"""Every string that a user can meet is on a list, so that a change of wording is seen, and read."""

from __future__ import annotations

import difflib
import importlib.util
import re
from pathlib import Path

SCRIPT = Path(__file__).parent.parent / "scripts" / "list_strings.py"
spec = importlib.util.spec_from_file_location("list_strings", SCRIPT)
assert spec is not None
assert spec.loader is not None
list_strings = importlib.util.module_from_spec(spec)
spec.loader.exec_module(list_strings)


def test_every_wording_is_on_the_list() -> None:
    """After a change that is meant: python scripts/list_strings.py --write, then read what changed."""
    kept = list_strings.SAMPLE.read_text(encoding="utf-8").splitlines()
    changed = [
        line for line in difflib.unified_diff(kept, list_strings.listed(), n=0, lineterm="") if line[1:2] not in "+-@"
    ]
    assert not changed, "\n".join(changed[:20])


_NOT_ENGLISH = (
    r"\bso many\b(?! copies)", r"\banew\b", r"\bbegins? anew\b", r"\breckoned\b", r"there are too few of", r"\bsurer\b",
    r"\bonce more in a moment\b", r"\bpoint every way\b", r"\b1 balloons\b", r"\bMind\b",
)  # fmt: skip
"""Turns of phrase of ours that a native speaker stumbles over; each was in the program once."""


def test_phrases_that_were_mended_do_not_come_back() -> None:
    said = [line.partition(": ")[2] for line in list_strings.listed()]
    found = [words for words in said if any(re.search(phrase, words) for phrase in _NOT_ENGLISH)]
    assert not found, found[:5]
