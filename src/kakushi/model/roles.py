"""What a balloon is used as."""

from __future__ import annotations

from enum import StrEnum


class BalloonRole(StrEnum):
    """What a balloon is used as. Supplies are counted per role; a part's role bears the name of its kind."""

    ROW = "row"
    BALL = "ball"
    JOINT = "joint of a frame"
    INNER = "inner balloon"
    TOPPER = "topper"
    COLLAR = "collar"
    FILLERS = "fillers"
    ACCENT = "accent"
    FOIL = "foil shape"
    STARBURST = "starburst"
    BOW = "bow"
    RIBBONS = "ribbons"
    LETTERING = "lettering"
    HUNG = "hung load"
    BOARD = "board"
    TOY = "cloth or toy"
    PLANTS = "flowers or grass"
    FLOWERS = "flowers of balloons"
    STICKS = "straws or sticks"
    WEIGHT = "weight"
    CAP = "cap"
