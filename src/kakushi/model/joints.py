"""Joints: how a row is held to the row below."""

from __future__ import annotations

from enum import StrEnum


class JointKind(StrEnum):
    """How a row is held to the row below."""

    WRAPPED = "wrapped on the pole"
    NECK_TIED = "neck tied to neck"
    LINE_EIGHT = "line figure-eighted round both"
    RIBBON = "ribbon wound round every balloon"
    STRIP = "one strip per joint"
    LINK_TIED = "link tips tied"
