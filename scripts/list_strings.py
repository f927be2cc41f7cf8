"""List every string that a user can meet, with where it stands, for reading in one go.

Run: .venv/bin/python scripts/list_strings.py [--write]. With --write the list that the tests compare is renewed.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SAMPLE = ROOT / "tests" / "samples" / "strings.txt"
_QUIET = ("style.qss",)
_NO_WORDS = {"setObjectName", "setProperty", "property", "getattr", "hasattr", "startswith", "endswith", "Column"}
"""Calls whose strings are names in the program."""


def strings_of(path: Path) -> Iterator[tuple[int, str]]:
    """Strings of a module that are words: with a space or a capital, and no docstring, with their lines."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    skipped: set[ast.AST] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            skipped.add(node.value)
        if isinstance(node, ast.Call) and getattr(node.func, "attr", getattr(node.func, "id", "")) in _NO_WORDS:
            skipped |= {each for each in node.args[:1] if isinstance(each, ast.Constant)}
        if isinstance(node, ast.JoinedStr):
            skipped |= set(node.values)
    for node in ast.walk(tree):
        if node in skipped:
            continue
        if isinstance(node, ast.JoinedStr):
            words = "".join(part.value if isinstance(part, ast.Constant) else "{…}" for part in node.values)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            words = node.value
        else:
            continue
        if _is_words(words):
            yield node.lineno, " ".join(words.split())


def _is_words(text: str) -> bool:
    plain = text.replace("{…}", "").strip()
    is_code = text.lstrip().startswith(("<", "--", "{", "\\", "^", "http")) and " " not in plain
    return any(sign.isalpha() for sign in plain) and not is_code and (" " in plain or plain[:1].isupper())


def listed() -> list[str]:
    """Every string, once a module, by module and place."""
    lines = []
    for folder in ("words", "desktop", "cli", "formats", "model", "session", "workshop", "dress", "packing", "log"):
        for path in sorted((ROOT / "src" / "kakushi" / folder).rglob("*.py")):
            found = dict.fromkeys(words for _, words in sorted(strings_of(path)))
            lines += [f"{path.relative_to(ROOT / 'src' / 'kakushi').as_posix()}: {words}" for words in found]
    return lines


def main() -> None:
    """Print the list, or renew the sample."""
    text = "\n".join(listed()) + "\n"
    if "--write" in sys.argv:
        SAMPLE.write_text(text, encoding="utf-8")
    else:
        sys.stdout.write(text)


if __name__ == "__main__":
    main()
