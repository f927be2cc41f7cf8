"""Outlines from files, by their kind: SVG, PNG or JPEG, CSV."""

from __future__ import annotations

from pathlib import Path

from PIL import Image

from kakushi.formats.read.outline_csv import load_outline_csv
from kakushi.formats.read.outline_image import load_outline_image, open_picture, turn_upright_deg
from kakushi.formats.read.outline_svg import load_outline_svg, load_svg_outlines
from kakushi.model.errors import BadInput
from kakushi.model.outline import PointsOutline
from kakushi.shape.silhouette import scaled_to_height

CSV_SUFFIXES = (".csv", ".txt", ".tsv")
IMAGE_SUFFIXES = (".png", ".jpg", ".jpeg")
SUFFIXES = (".svg", *IMAGE_SUFFIXES, *CSV_SUFFIXES)


def load_outline(path: Path, height_mm: float, straightened: bool = True) -> PointsOutline:
    """The outline in a file, scaled evenly to a height, mm; a picture's is stood upright unless it is not to be.

    Raises JobFileError or BadInput.
    """
    suffix = path.suffix.lower()
    if suffix == ".svg":
        return load_outline_svg(path, height_mm)
    if suffix in IMAGE_SUFFIXES:
        return load_outline_image(path, height_mm, straightened)
    if suffix in CSV_SUFFIXES:
        return scaled_to_height(load_outline_csv(path), height_mm)
    raise BadInput(f"“{path.name}” is no outline: it must be SVG, PNG, JPEG or CSV.", "outline")


def straightened_deg(path: Path) -> float:
    """Degrees anticlockwise by which `load_outline` stands a picture upright; 0 for other files. Raises as it does."""
    if path.suffix.lower() not in IMAGE_SUFFIXES:
        return 0.0
    return turn_upright_deg(open_picture(path), path.name)


def read_outlines(path: Path, height_mm: float) -> tuple[list[PointsOutline], Image.Image | None]:
    """What there is to choose from in a file: outlines scaled to a height, mm, or a picture to trace.

    Raises JobFileError or BadInput.
    """
    suffix = path.suffix.lower()
    if suffix == ".svg":
        return load_svg_outlines(path, height_mm), None
    if suffix in IMAGE_SUFFIXES:
        return [], open_picture(path)
    return [load_outline(path, height_mm)], None
