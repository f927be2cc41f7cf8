"""Draw the pictures of the start page's cards, of the recipes that ship with the program.

Run: .venv/bin/python scripts/make_start_cards.py
"""

from __future__ import annotations

from PIL import Image

from kakushi.formats.export.png import piece_image
from kakushi.formats.store.paths import shipped_recipes, start_pictures
from kakushi.formats.store.recipe_file import load_recipe
from kakushi.model.catalogue import Studio
from kakushi.plan.pipeline import plan

WIDE, HIGH = 200, 240
"""Size of a picture, px: twice that of a card's, for screens with twice the pixels."""
COLOURS = 96
"""Colours that a picture is brought down to: nobody sees it, and it is a third as large."""

FAINT = 8
"""Opacity, 0 to 255, up to which nothing is there."""


def main() -> None:
    """Write one picture for each recipe."""
    start_pictures().mkdir(exist_ok=True)
    for path in sorted(shipped_recipes().glob("*.kakushi-recipe")):
        recipe = load_recipe(path)
        found = plan(recipe.job, Studio()).pieces[0]
        image = piece_image(found, recipe.job, WIDE, HIGH, paper=None)
        small = image.quantize(COLOURS, Image.Quantize.FASTOCTREE)
        palette = small.getpalette("RGBA") or []
        for place in range(3, len(palette), 4):
            # Averaged with the edge of a shadow, the empty ground would be seen as a faint box.
            palette[place] = palette[place] if palette[place] > FAINT else 0
        small.putpalette(palette, "RGBA")
        small.save(start_pictures() / f"{path.stem}.png", optimize=True)


if __name__ == "__main__":
    main()
