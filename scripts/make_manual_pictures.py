"""Make the pictures of the manual of the screenshots: smaller, and in few colours.

Run after scripts/take_screenshots.py: .venv/bin/python scripts/make_manual_pictures.py
"""

from __future__ import annotations

from pathlib import Path

from PIL import Image

from kakushi.formats.store.paths import manual_folder

SHOTS = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
WIDE, COLOURS = 640, 96
"""Width of a picture, px: half a screenshot, so that its words can just be read; and its colours."""


def main() -> None:
    """Write a picture beside every page."""
    for page in sorted(manual_folder().glob("*.md")):
        with Image.open(SHOTS / f"{page.stem}.png") as shot:
            small = shot.convert("RGB").resize((WIDE, round(shot.height * WIDE / shot.width)), Image.Resampling.LANCZOS)
        small.quantize(COLOURS).save(page.with_suffix(".png"), optimize=True)


if __name__ == "__main__":
    main()
