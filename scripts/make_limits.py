"""Write the table of what each reader accepts to docs/limits.md.

Run from the checkout: .venv/bin/python scripts/make_limits.py
"""

from __future__ import annotations

from pathlib import Path

from kakushi.formats.store.limits import LIMITS, megabytes

PATH = Path(__file__).parents[1] / "docs" / "limits.md"
_HEAD = """# What readers accept

Made by `scripts/make_limits.py` from `kakushi.formats.store.limits`; do not edit. A file beyond a limit is refused with
one sentence that names it, before anything large is built from it. What a job may hold is told by `kakushi schema`.

| reader | what | most | why |
|---|---|---|---|
"""


def limits_page() -> str:
    """The page as text."""
    lines = []
    for limit in LIMITS:
        most = megabytes(limit.most) if limit.unit == "bytes" else f"{limit.most:,} {limit.unit}"
        lines.append(f"| {limit.reader} | {limit.what} | {most} | {limit.reason} |")
    return _HEAD + "\n".join(lines) + "\n"


def main() -> None:
    """Write the page."""
    PATH.write_text(limits_page(), "utf-8")


if __name__ == "__main__":
    main()
