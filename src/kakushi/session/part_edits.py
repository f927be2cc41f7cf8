"""Edits of the parts of a piece: added with their defaults, changed, taken away."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from kakushi.dress.collars import closing_counts
from kakushi.dress.kind import USUAL_FILL, Surroundings
from kakushi.dress.placing import SettledColumn
from kakushi.dress.table import KINDS, kind_of, sized_mm
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput
from kakushi.model.groups import balloons_in
from kakushi.model.job import Job
from kakushi.model.parts import Collar, Fillers, Part, Seat, Weight
from kakushi.model.piece import Piece
from kakushi.model.sizing import Sizing
from kakushi.model.units import inches
from kakushi.model.used import Used
from kakushi.model.values import replace
from kakushi.plan.geometry import assembly_of
from kakushi.plan.parts import parts_in_place
from kakushi.plan.resting import on_skin
from kakushi.session.edits import find_piece, piece_edit, validated
from kakushi.session.session import Edit

_USUAL = Studio()
"""The studio that rows are settled with where none is given."""


def free_part_key(piece: Piece) -> int:
    """A key no part of the piece has."""
    return max((part.key for part in piece.parts), default=0) + 1


def add_part(key: int, kind: str, studio: Studio = _USUAL) -> Edit:
    """Add a part of a kind, as its kind makes it for the piece, on the skin of the balloons that are there."""
    known = KINDS[kind]

    def change(job: Job) -> Job:
        index, piece = find_piece(job, key)
        assembly = assembly_of(piece, piece.groups, studio) if balloons_in(piece.groups) else None
        # No higher than there are balloons to hold it.
        high = min(piece.target_height_mm, assembly.top) if assembly else piece.target_height_mm
        part: Part = known.made(free_part_key(piece), Surroundings(high, job.palette[0].key))
        part = on_skin(part, piece, assembly) if assembly else part
        changed = validated(piece, "parts", parts=(*piece.parts, part))
        return replace(job, pieces=(*job.pieces[:index], changed, *job.pieces[index + 1 :]))

    return Edit(f"Add {known.words}", change)


def lay_on_skin(key: int, part: Part, studio: Studio) -> Edit:
    """Move a part to where it touches the balloons from outside."""

    def change(piece: Piece) -> Piece:
        if not balloons_in(piece.groups):
            return piece
        assembly = assembly_of(piece, piece.groups, studio)
        laid = {each.key: on_skin(each, piece, assembly) for each in parts_in_place(piece, assembly)}
        parts = tuple(laid[each.key] if each.key == part.key else each for each in piece.parts)
        return validated(piece, "parts", parts=parts)

    return piece_edit(f"Lay {kind_of(part).words} against the balloons", key, change)


def add_ballast(key: int, mass_g: float, offset_mm: float, azimuth_deg: float, height_mm: float) -> Edit:
    """Put a weight on a piece, so far (mm) from the pole in a direction from the front, that high (mm)."""

    def change(piece: Piece) -> Piece:
        weight = validated(
            Weight(key=free_part_key(piece), name="ballast"),
            "weight",
            mass_g=mass_g,
            offset_mm=offset_mm,
            azimuth_deg=azimuth_deg,
            height_mm=height_mm,
        )
        return validated(piece, "parts", parts=(*piece.parts, weight))

    return piece_edit("Add ballast", key, change)


def remove_part(key: int, part: Part) -> Edit:
    """Take a part away."""

    def change(piece: Piece) -> Piece:
        return replace(piece, parts=tuple(other for other in piece.parts if other.key != part.key))

    return piece_edit(f"Remove {kind_of(part).words}", key, change)


def change_part(key: int, part: Part, **changes: Any) -> Edit:
    """Change fields of a part; changes of one field in a row merge."""
    words = kind_of(part).words

    def change(piece: Piece) -> Piece:
        parts = tuple(validated(p, words, **changes) if p.key == part.key else p for p in piece.parts)
        return replace(piece, parts=parts)

    return piece_edit(f"Change {words}", key, change, ("part", key, part.key, tuple(changes)))


def set_part_balloons(key: int, part: Part, nominal_in: float, colour: str, count: int) -> Edit:
    """The balloons a part is made of; what else it consumes stays as it is."""
    # As plain values: bad ones are refused when the edit is applied.
    balloons = ({"nominal_in": nominal_in, "colour": colour, "count": count},) if count else ()
    return change_part(key, part, balloons=(*balloons, *part.balloons[1:]))


def shared_out(nominal_in: float, diameter_mm: float | None, colours: Sequence[str], count: int) -> tuple[object, ...]:
    """The balloons of a cluster, `many` of them in turn in some colours, at least one of each."""
    keys = list(dict.fromkeys(colours))
    share, over = divmod(max(count, len(keys)), len(keys))
    # As plain values: bad ones are refused when the edit is applied.
    return tuple(
        {"nominal_in": nominal_in, "diameter_mm": diameter_mm, "colour": key, "count": share + (place < over)}
        for place, key in enumerate(keys)
    )


def set_filler_sizing(key: int, part: Fillers, sizing: Sizing, studio: Studio) -> Edit:
    """Have fillers sized by strokes, seconds, a reference, within a range or freely; their diameters follow."""
    from kakushi.workshop.sized_by import sized_by  # noqa: PLC0415 - calibrations are long to load, and few sets need it

    balloons = tuple(
        replace(each, diameter_mm=sized_by(sizing, each.nominal_in, sized_mm(part, each), studio).diameter_mm)
        for each in part.balloons
    )
    return change_part(key, part, balloons=balloons, sizing=sizing, sizes_mm=())


_UNLIKE = 0.25
"""How far the sizes of an assorted set lie from its middle one, as a share."""


def filler_sizes(studio: Studio, nominal_in: float, diameter_mm: float | None, count: int) -> tuple[float, ...]:
    """At most `many` different sizes that the studio can size fillers to, about the one they have, mm."""
    size = studio.nominal(nominal_in)
    if size is None:
        return ()
    middle = diameter_mm or USUAL_FILL * inches(nominal_in)
    return studio.sizer.few(size, count, middle * (1 - _UNLIKE), middle * (1 + _UNLIKE))


def read_items(text: str) -> tuple[Used, ...]:
    """Things and their numbers, parted by semicolons, like “2 foil stars; 1 light”. Raises BadInput."""
    items = []
    for words in filter(None, (piece.strip() for piece in text.split(";"))):
        match = re.fullmatch(r"(?:(\d{1,4}(?:[.,]\d{1,2})?)\s*[x×]?\s+)?(\S.{0,100})", words)
        count = float(match[1].replace(",", ".")) if match and match[1] else 1.0
        if match is None or count <= 0:
            raise BadInput(f"“{words[:40]}” is not understood: write “2 foil stars; 1 light”.", "items")
        items.append(Used(item=match[2].strip(), count=count))
    return tuple(items)


# --- fillers ------------------------------------------------------------------------------------


def set_seats(key: int, part: Fillers, seats: Sequence[Seat], name: str = "Place fillers") -> Edit:
    """Set the clusters of a set of fillers; their number is the number wanted from now on."""
    changes = {"seats": tuple(seats), "wanted": max(len(seats), 1)}

    def change(piece: Piece) -> Piece:
        parts = tuple(validated(p, "fillers", **changes) if p.key == part.key else p for p in piece.parts)
        return replace(piece, parts=parts)

    return piece_edit(name, key, change)


def add_collar(key: int, row: int, studio: Studio = _USUAL) -> Edit:
    """A closed collar of 5-inch balloons in the hollow before a row (key). Raises BadInput, when applied."""

    def change(job: Job) -> Job:
        index, piece = find_piece(job, key)
        place = next((place for place, each in enumerate(piece.rows) if each.key == row), None)
        if place is None:
            raise BadInput("That row is no longer in the piece.", "part")
        rows = assembly_of(piece, piece.groups, studio).rows
        made = KINDS["collar"].made(free_part_key(piece), Surroundings(piece.target_height_mm, job.palette[0].key))
        line = made.balloons[0]
        sized = replace(line, diameter_mm=sized_mm(made, line))
        column = SettledColumn(piece.rows, rows, rows.centres, rows.shape_radii, (), piece.frame.pole_radius_mm)
        rises = rows.frames.rises
        up = -float(rises[place - 1] if place else piece.rows[0].diameter_mm) / 2
        (count,) = closing_counts(sized, column, [(place, up)])
        collar = validated(made, "collar", row=row, up_mm=up, balloons=(replace(line, count=count),))
        changed = validated(piece, "parts", parts=(*piece.parts, collar))
        return replace(job, pieces=(*job.pieces[:index], changed, *job.pieces[index + 1 :]))

    return Edit("Add collar", change)


def set_ring(key: int, part: Collar, row: int, up_mm: float, height_mm: float, count: int) -> Edit:
    """Put a collar of `count` balloons `up_mm` above the knot of a row (key), now `height_mm` above the floor."""
    rest = sum(line.count for line in part.balloons[1:])
    first = replace(part.balloons[0], count=max(count - rest, 1))
    changes = {"row": row, "up_mm": up_mm, "height_mm": max(height_mm, 0.0), "balloons": (first, *part.balloons[1:])}

    def change(piece: Piece) -> Piece:
        parts = tuple(validated(p, "collar", **changes) if p.key == part.key else p for p in piece.parts)
        return replace(piece, parts=parts)

    return piece_edit("Place collar", key, change)


def change_seat(key: int, part: Fillers, place: int, **changes: object) -> Edit:
    """Move, turn, colour or lock one cluster; a cluster changed by hand is locked unless told otherwise."""

    def change(piece: Piece) -> Piece:
        fillers = _fillers(piece, part.key)
        if not 0 <= place < len(fillers.seats):
            raise BadInput("That cluster is gone.", "cluster")
        seat = validated(fillers.seats[place], "cluster", **({"locked": True} | changes))
        seats = (*fillers.seats[:place], seat, *fillers.seats[place + 1 :])
        return replace(piece, parts=tuple(replace(p, seats=seats) if p is fillers else p for p in piece.parts))

    return piece_edit("Change cluster", key, change, ("seat", key, part.key, place, tuple(changes)))


def remove_seat(key: int, part: Fillers, place: int) -> Edit:
    """Take one cluster away."""
    return set_seats(key, part, part.seats[:place] + part.seats[place + 1 :], "Remove cluster")


def set_dressing(key: int, **changes: object) -> Edit:
    """Set the eyes a piece is judged by, and what is done with the necks."""

    def change(piece: Piece) -> Piece:
        return replace(piece, dressing=validated(piece.dressing, "eyes", **changes))

    return piece_edit("Change how it is seen", key, change, ("dressing", key, tuple(changes)))


def _fillers(piece: Piece, key: int) -> Fillers:
    balloons_in_part = next((part for part in piece.parts if part.key == key), None)
    if not isinstance(balloons_in_part, Fillers):
        raise BadInput("Those fillers are gone.", "fillers")
    return balloons_in_part
