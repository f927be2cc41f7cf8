"""What follows from a piece and from a job, as values."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from kakushi.colour.colouring import Colouring
from kakushi.colour.faults import ColourFault
from kakushi.colour.surface import Surface
from kakushi.dress.bodies import Body, joined
from kakushi.dress.kind import BallMaterial, PointMm
from kakushi.dress.table import balloons_of, kind_of
from kakushi.model.catalogue import Studio
from kakushi.model.groups import LinkFrameGroup, size_count
from kakushi.model.job import Job
from kakushi.model.parts import Part
from kakushi.model.piece import Piece
from kakushi.packing.assembly import Assembly
from kakushi.packing.contacts import RowMeasure
from kakushi.packing.groups.link_frame import links_of
from kakushi.packing.groups.table import balloon_lines, lines_beside_rows, wrappings_of
from kakushi.packing.stack import Geometry, Packing
from kakushi.picture.film import Film
from kakushi.plan.facts import Note
from kakushi.plan.geometry import measures_of, rows_span_mm
from kakushi.plan.intent import Concern
from kakushi.plan.parts import parts_in_place, place_of, topper_rise_mm
from kakushi.plan.trimmings import necks_out, wrapped
from kakushi.shape.match import Match
from kakushi.shape.profile import Profile
from kakushi.sight.core_seen import CoreSeen, is_bare

Stuffed = frozenset[tuple[str, float | None]]
"""Keys of colours that are two balloons, one in the other, with the nominal size of the inner one if it has its own."""


@dataclass(frozen=True, slots=True, eq=False)
class PiecePlan:
    """What follows from one piece. Heights mm from the floor; geometry stands at its true height.

    `stuffed`: colours that are two balloons, one inside the other. What all copies use is told by the steps
    (`building`).
    """

    piece: Piece
    assembly: Assembly
    packing: Packing
    surface: Surface
    colouring: Colouring
    profile: Profile
    column_target_mm: float
    match: Match | None
    stuffed: Stuffed
    warnings: tuple[Note, ...]
    advice: tuple[Note, ...]
    faults: tuple[ColourFault, ...]
    fallback: str
    bodies: tuple[tuple[Part, Body], ...]
    """Bodies of all drawn parts, where they are: toppers, then filler clusters, then the others in order."""
    drawn: Geometry
    """The rows with the piece's balls, then the balls of `bodies`; the row of these is -1."""
    lies_flat: tuple[bool, ...]
    """For every row whether it stays flat with no hand on it; of a bare plan, with its neighbours held."""
    concerns: tuple[Concern, ...] = ()
    """The warnings, advice and faults above, each as it can be set aside."""
    set_aside: tuple[Concern, ...] = ()
    """Those that the sculptor has set aside as meant; they are not among those above."""
    core_seen: CoreSeen | None = None
    """How much of the pole, or the line, shows between the balloons of the rows; None of a bare plan."""
    own_copies: tuple[tuple[str, PiecePlan], ...] = ()
    """Label and plan of every copy with groups of its own, with its own height and pole; what they are judged and told
    by is left out: it is read of the piece alone."""

    @property
    def built(self) -> Iterator[tuple[str, int, PiecePlan]]:
        """Designs to build: label, number of copies and plan; "" for the copies that follow the piece."""
        if self.piece.copies_alike:
            yield "", self.piece.copies_alike, self
        for label, plan in self.own_copies:
            yield label, 1, plan

    def of_copy(self, number: int) -> PiecePlan:
        """The plan of a copy, from 0: its own, or that of the piece."""
        copies = self.piece.copies
        if not 0 <= number < len(copies) or copies[number].groups is None:
            return self
        return self.own_copies[sum(1 for copy in copies[:number] if copy.groups is not None)][1]

    @property
    def geometry(self) -> Geometry:
        """The rows."""
        return self.assembly.rows

    @property
    def parts(self) -> tuple[Part, ...]:
        """The parts, those that move with a row at the height where they are."""
        return parts_in_place(self.piece, self.assembly)

    def place_of(self, part: Part) -> PointMm:
        """The middle of one of the parts, mm."""
        return place_of(part, self.parts, self.piece.rows, self.assembly)

    @property
    def measures(self) -> tuple[RowMeasure, ...]:
        """Ring radius, width, squish and gap to the pole of every row."""
        return measures_of(self.geometry, self.packing.pole_radius)

    @property
    def core(self) -> str:
        """What runs through the middle of the rows, in a word."""
        return "pole" if self.packing.pole_radius else "line"

    @property
    def is_core_bare(self) -> bool:
        """Whether more of the core shows than practice accepts."""
        return self.core_seen is not None and is_bare(self.core_seen)

    @property
    def foot_mm(self) -> float:
        """Height above the floor of where the first balloons stand."""
        return self.piece.foot_mm

    @property
    def outline_foot_mm(self) -> float:
        """Height above the floor of the foot of the outline: that of the first group of rows."""
        return rows_span_mm(self.piece, self.assembly)[0]

    @property
    def height_mm(self) -> float:
        """Floor to the highest balloon of the column, base included, topper excluded; 0 without rows."""
        return self.assembly.top

    @property
    def overall_height_mm(self) -> float:
        """Floor to the highest balloon, mm, topper included."""
        return self.height_mm + topper_rise_mm(self.piece, self.assembly)

    @property
    def measured_height_mm(self) -> float:
        """The height that the target height speaks of."""
        return self.overall_height_mm if self.piece.target_includes_topper else self.height_mm

    @property
    def height_error_mm(self) -> float:
        """Height reached less height wished, with or without topper as the target says."""
        return self.measured_height_mm - self.wished_height_mm

    @property
    def wished_height_mm(self) -> float:
        """The height that is wished: of a strand its path says it, of an open frame its links do."""
        is_said = self.assembly.strands or (self.assembly.frames and not self.piece.rows)
        return self.column_target_mm if is_said else self.piece.target_height_mm

    @property
    def balloon_count(self) -> int:
        """Balloons seen of one copy."""
        lines = balloon_lines(self.piece.groups)
        parts = (line for part in self.piece.parts for line in balloons_of(part))
        return sum(len(line.slots) for line in lines) + sum(line.count for line in parts if line.seen)

    @property
    def distinct_sizes(self) -> int:
        """Different sizer settings: pairs of nominal size and sized diameter."""
        return size_count(self.piece.rows)

    def balloon_colours(self) -> list[str]:
        """Colour key per balloon of the column, in the geometry's order."""
        return [colour for line in self.colouring for colour in line]

    @property
    def can_be_checked(self) -> bool:
        """Whether a photograph of it can be checked: it has rows or an open frame."""
        return bool(self.piece.rows or self.assembly.frames)

    def drawn_colours(self) -> list[str]:
        """Colour key per balloon of `drawn`."""
        lines = lines_beside_rows(self.piece.groups)
        balls = [slot.colour or self.fallback for _, line in lines for slot in line.slots]
        return [*self.balloon_colours(), *balls, *(colour for _, body in self.bodies for colour in body.colours)]

    def drawn_skins(self) -> list[BallMaterial]:
        """What each balloon of `drawn` is drawn as: on boards and foil shapes the skin runs on into the next."""
        put_on = [skin for part, body in self.bodies for skin in (kind_of(part).skin,) * len(body)]
        return [*(BallMaterial.BALLOON,) * (len(self.drawn.radii) - len(put_on)), *put_on]

    def drawn_films(self) -> list[tuple[int, int, Film]]:
        """Flat parts of `drawn`: their first ball, how many they have, and what they look like."""
        at = len(self.drawn.radii) - sum(len(body) for _, body in self.bodies)
        films = []
        for _, body in self.bodies:
            if body.film is not None:
                films.append((at, len(body) if body.filmed is None else body.filmed, body.film))
            at += len(body)
        return films

    @property
    def trimmings(self) -> Body:
        """What pictures show besides `drawn`: wrapped pole, links, and necks that stick out between balloons."""
        necks = necks_out(self.geometry, self.packing.pole_radius, self.piece.dressing, self.balloon_colours())
        return joined([*(body for _, body in (*self.wraps, *self.links)), *necks])

    @property
    def wraps(self) -> list[tuple[int, Body]]:
        """Wrapped lengths of pole, by the place of their group."""
        return [
            (place, wrapped(each, *self.assembly.spans[place], self.packing.pole_radius, each.colour or self.fallback))
            for place, each in wrappings_of(self.piece.groups)
        ]

    @property
    def links(self) -> list[tuple[int, Body]]:
        """Link balloons from tip to tip, link by link, by the place of their group."""
        bodies = []
        for place, frame in self.assembly.frames:
            group = self.piece.groups[place]
            assert isinstance(group, LinkFrameGroup)
            centres, radii = frame.bodies
            keys = [slot.colour or self.fallback for slot in links_of(group)]
            balls_each = len(radii) // max(len(keys), 1)
            bodies.append((place, Body(centres, radii, tuple(key for key in keys for _ in range(balls_each)))))
        return bodies

    @property
    def drawn_parts(self) -> list[tuple[Part, int]]:
        """Parts that are drawn, in the order of `drawn`, with the number of their balls."""
        return [(part, len(body)) for part, body in self.bodies]


@dataclass(frozen=True, slots=True, eq=False)
class Plan:
    """Everything derived from a job, piece by piece.

    A draft is shown until the plan is ready: pieces may be missing or bare.
    """

    job: Job
    pieces: tuple[PiecePlan, ...]
    studio: Studio = field(default_factory=Studio)
    is_draft: bool = False

    def piece(self, key: int) -> PiecePlan | None:
        """The plan of the piece with that key, or None."""
        return next((p for p in self.pieces if p.piece.key == key), None)
