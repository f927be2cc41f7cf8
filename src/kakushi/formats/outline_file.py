"""Outlines from files, by their kind: SVG, PNG or JPEG, CSV."""

from __future__ import annotations

from pathlib import Path

from kakushi.formats.outline_csv import load_outline_csv
from kakushi.formats.outline_image import load_outline_image
from kakushi.formats.outline_svg import load_outline_svg
from kakushi.model.errors import BadInput
from kakushi.model.job import PointsOutline
from kakushi.shape.silhouette import scaled_to_height

CSV_SUFFIXES = (".csv", ".txt", ".tsv")
IMAGE_SUFFIXES = (".png", ".jpg", ".jpeg")
SUFFIXES = (".svg", *IMAGE_SUFFIXES, *CSV_SUFFIXES)


def load_outline(path: Path, height_mm: float) -> PointsOutline:
    """The outline in a file, scaled evenly to a height, mm. Raises JobFileError or BadInput."""
    suffix = path.suffix.lower()
    if suffix == ".svg":
        return load_outline_svg(path, height_mm)
    if suffix in IMAGE_SUFFIXES:
        return load_outline_image(path, height_mm)
    if suffix in CSV_SUFFIXES:
        return scaled_to_height(load_outline_csv(path), height_mm)
    raise BadInput(f"“{path.name}” is no outline: it must be SVG, PNG, JPEG or CSV.", "outline")
