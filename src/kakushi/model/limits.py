"""Bounds of what a job may hold, and the field types that carry them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from kakushi.model.units import inches

SMALLEST_HEIGHT_MM, LARGEST_HEIGHT_MM = 200.0, 20_000.0
"""Heights of a piece, mm: a table decoration to the tallest hall."""
SMALLEST_WIDTH_MM, LARGEST_WIDTH_MM = 40.0, 6_000.0
"""Widths of an outline, mm."""
SMALLEST_DIAMETER_MM, LARGEST_DIAMETER_MM = inches(1), inches(60)
"""Sized diameters, mm: 1 in to 60 in."""
SMALLEST_COUNT, LARGEST_COUNT = 2, 12
"""Balloons in a row: a duplet to the largest ring that hands join."""
MAX_COPIES, MAX_ROWS, MAX_PIECES = 500, 1000, 200
"""`MAX_ROWS` of one piece, or of one copy with groups of its own, all groups together."""
MAX_JOB_BALLOONS = 100_000
"""Most balloons of all designs of a job together: as many can be planned in a minute or two, and fit in memory."""

Length = Annotated[float, Field(ge=0, le=100_000)]

Mass = Annotated[float, Field(ge=0, le=1_000_000)]

Name = Annotated[str, Field(max_length=120)]

ColourKey = Annotated[str, Field(max_length=60)]
"""The key of a colour of the palette; "" where a layer lets what lies under show."""

Key = Annotated[int, Field(ge=1, le=2**31)]
MAX_JOINTS = 200
"""Most joints of an open frame: ten by ten windows and more."""
