"""The form of a set of fillers, line by line."""

from __future__ import annotations

from kakushi.desktop.forms.choices import nominal_choices
from kakushi.desktop.forms.form import check, choice, colours, options, quantity, seldom
from kakushi.model.parts import FillerLook, FillerTie
from kakushi.model.quantities import COUNT, DIAMETER

MOST_COLOURS = 6
"""Most colours of one set."""
_SIDES = (
    ("where it is seen", None),
    ("front half", (-90.0, 90.0)),
    ("back half", (90.0, 270.0)),
    ("right half", (0.0, 180.0)),
    ("left half", (180.0, 360.0)),
    ("all round", (0.0, 360.0)),
)
"""Where fillers may sit, degrees from the front."""
USUAL_NOMINAL = 5.0
"""Size of filler balloons a new set begins with, in."""
_SHARE_TIP = "Relative to the other sides: 3 against 1 puts three times as many here. All 0: wherever they are seen"
SHARES = ("shares.front", "shares.right", "shares.back", "shares.left")
FILLER_LINES = (
    quantity("wanted", "Clusters", COUNT, "Clusters wanted"),
    quantity("each", "Of", COUNT, "Balloons in a cluster", low=1, high=6),
    seldom(
        quantity("other_each", "And", COUNT, "Balloons in every second cluster", none=("as many", 0), low=0, high=6), 0
    ),
    choice("nominal", "Size", lambda d: nominal_choices(d.studio.nominals), "Nominal size of the fillers"),
    quantity("sized", "Sized to", DIAMETER, "sized diameter of the fillers", low=20.0, high=1000.0),
    seldom(
        quantity("sizes", "Sizes", COUNT, "Different sizes of the fillers", none=("all alike", 1), low=1, high=6), 1
    ),
    colours("colours", "filler colour", 1, MOST_COLOURS, label="Colours"),
    check("bridges", "Colours of the rows they touch"),
    seldom(check("dark_below", "The darker colours below"), False),
    seldom(check("is_split", "Split: each twisted in the middle"), False),
    choice("tie", "Held by", options(FillerTie), "How a cluster is held"),
    choice("look", "Look", options(FillerLook), "What the fillers look like"),
    quantity("first", "From row", COUNT, "First row with fillers", low=1),
    quantity("last", "To row", COUNT, "Last row with fillers", low=1),
    choice("sides", "Sides", _SIDES, "Sides where fillers may sit"),
    quantity("shares.front", "On the front", COUNT, "Share of the clusters on the front", tip=_SHARE_TIP),
    quantity("shares.right", "On the right", COUNT, "Share of the clusters on the right", tip=_SHARE_TIP),
    quantity("shares.back", "On the back", COUNT, "Share of the clusters on the back", tip=_SHARE_TIP),
    quantity("shares.left", "On the left", COUNT, "Share of the clusters on the left", tip=_SHARE_TIP),
    seldom(check("odd", "An odd number"), False),
)
