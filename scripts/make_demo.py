"""Make the Lantern Quay demo job: the program's own fit chooses the rows.

Run from the checkout: python scripts/make_demo.py
"""

from __future__ import annotations

import datetime as dt

from kakushi.formats.store.job_file import save_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import Studio
from kakushi.model.frame import Base, Frame
from kakushi.model.groups import BallGroup, BarePoleGroup, Row, RowsGroup, Slot
from kakushi.model.job import Brief, Job, Pricing
from kakushi.model.joints import JointKind
from kakushi.model.layers import (
    Band,
    BandsLayer,
    GradientLayer,
    MixLayer,
    MotifLayer,
    Share,
    Side,
    SolidLayer,
    SpiralLayer,
)
from kakushi.model.outline import Handle, PresetOutline
from kakushi.model.parts import (
    Accent,
    Board,
    Collar,
    FillerLook,
    Fillers,
    Fixing,
    FoilShape,
    HungLoad,
    PartBalloons,
    Plants,
    Topper,
)
from kakushi.model.paths import PresetPath, Strand, StrandStands
from kakushi.model.piece import Copy, FitControls, Piece, SeenSides, with_rows
from kakushi.model.ties import Tie
from kakushi.model.values import replace
from kakushi.packing.link_frames import Grid, Trim, grid
from kakushi.plan.fitting import fit_piece
from kakushi.plan.pipeline import plan
from kakushi.plan.resting import on_skin
from kakushi.plan.showing import placed_fillers, placed_ring
from kakushi.plan.strands import MarkKind, marks_of, strands_of
from kakushi.session.part_edits import set_ring


def _frame(pole: str, length: float, base: str, painted: bool = False) -> Frame:
    """A pole and a base of the usual catalogue."""
    studio = Studio()
    kind = next(k for k in studio.poles if k.name == pole)
    foot = next(b for b in studio.bases if b.name == base)
    return Frame(
        pole_name=kind.name,
        pole_diameter_mm=kind.diameter_mm,
        pole_g_per_m=kind.g_per_m,
        pole_length_mm=length,
        painted=painted,
        base=Base(kind=foot.kind, height_mm=foot.height_mm, radius_mm=foot.radius_mm, mass_g=foot.mass_g),
    )


def _outline(name: str, **handles: float) -> PresetOutline:
    return PresetOutline(preset=name, handles=tuple(Handle(name=n, value=v) for n, v in handles.items()))


_KELP = 5
"""The table pieces have no outline: a ball on a pipe."""


def _kelp(pipe_mm: float) -> tuple[BarePoleGroup, BallGroup]:
    """A ball of ten on a wrapped pipe, its balloons coloured one by one so that no two alike touch."""
    colours = ("deep-teal", "sea-glass", "rope", "sea-glass", "deep-teal", "rope", "sea-glass", "deep-teal", "rope")
    slots = tuple(Slot(nominal_in=5, diameter_mm=110, colour=colour) for colour in (*colours, "sea-glass"))
    return BarePoleGroup(height_mm=pipe_mm, wrap="coil", colour="deep-teal"), BallGroup(slots=slots)


PIECES = (
    Piece(
        key=1,
        name="Gate column",
        target_height_mm=2100,
        outline=_outline("straight", width=500, top=1),
        copies=(Copy(label="left"), Copy(label="right")),
        seen_sides=SeenSides.FRONT_AND_BACK,
        frame=_frame("plastic pipe 25 mm", 2000, "wide steel plate", painted=True),
        layers=(SpiralLayer(lanes=("harbour-blue", "sail-white", "harbour-blue", "sail-white"), reverse_every=3),),
        fit=FitControls(counts=(4,), nominals=(5, 9, 11), max_sizes=1),
    ),
    Piece(
        key=2,
        name="Lighthouse",
        target_height_mm=2400,
        outline=_outline("cone", foot=620, top=360),
        frame=_frame("lamp-stand tube in sections", 2400, "lamp stand"),
        layers=(BandsLayer(bands=(Band(colour="sail-white", rows=2), Band(colour="signal-red", rows=2))),),
        parts=(
            Topper(
                key=1,
                name="lantern",
                tall_mm=380,
                wide_mm=300,
                mass_g=60,
                balloons=(PartBalloons(nominal_in=16, colour="lantern-yellow", count=1),),
                strips=1,
            ),
            Plants(key=2, name="dune grass", tall_mm=260, wide_mm=760, stems=24, mass_g=150, colour="sea-glass"),
        ),
        fit=FitControls(counts=(4,), max_sizes=7),
    ),
    Piece(
        key=3,
        name="Glass-float vase",
        target_height_mm=1500,
        outline=_outline("vase", foot=330, belly=560, neck=270),
        frame=_frame("plastic pipe 20 mm", 1460, "steel plate"),
        layers=(SpiralLayer(lanes=("sea-glass", "sea-glass", "deep-teal", "sea-glass"), hand="left"),),
        fit=FitControls(counts=(4, 5), max_sizes=6),
    ),
    Piece(
        key=4,
        name="Harbour sign",
        target_height_mm=1775,
        outline=_outline("straight", width=520, top=1),
        seen_sides=SeenSides.FRONT_AND_BACK,
        frame=_frame("plastic pipe 25 mm", 1700, "wide steel plate", painted=True),
        parts=(
            Board(
                key=1,
                name="quay board",
                height_mm=1350,
                offset_mm=300,
                tall_mm=260,
                wide_mm=420,
                deep_mm=8,
                mass_g=900,
                fixings=2,
                colour="rope",
            ),
        ),
        layers=(
            GradientLayer(colours=("deep-teal", "sea-glass"), dithered=True),
            MotifLayer(
                name="diamond",
                cells=(
                    ("", "", "lantern-yellow", "", ""),
                    ("", "lantern-yellow", "signal-red", "lantern-yellow", ""),
                    ("lantern-yellow", "signal-red", "signal-red", "signal-red", "lantern-yellow"),
                    ("", "lantern-yellow", "signal-red", "lantern-yellow", ""),
                    ("", "", "lantern-yellow", "", ""),
                ),
                side=Side.FRONT_AND_BACK,
                tall=0.5,
            ),
        ),
        fit=FitControls(counts=(6,), nominals=(9, 11), max_sizes=1),
    ),
    Piece(
        key=5,
        name="Kelp",
        target_height_mm=700,
        groups=_kelp(408),
        copies=(
            Copy(),
            Copy(),
            *(Copy(label=f"low {n}", target_height_mm=560, pole_length_mm=360, groups=_kelp(268)) for n in (1, 2)),
        ),
        frame=_frame("plastic pipe 20 mm", 500, "foam block for tables"),
    ),
    Piece(
        key=6,
        name="Channel buoy",
        target_height_mm=1100,
        outline=_outline("cone", foot=420, top=250),
        groups=(RowsGroup(), BallGroup(slots=(Slot(nominal_in=11, diameter_mm=215.9, colour="lantern-yellow"),) * 10)),
        frame=_frame("plastic pipe 20 mm", 900, "steel plate"),
        parts=(
            Collar(
                key=1,
                name="foam ring",
                balloons=(PartBalloons(nominal_in=5, diameter_mm=90, colour="sea-glass", count=8),),
                strips=1,
            ),
        ),
        layers=(BandsLayer(bands=(Band(colour="signal-red", rows=1), Band(colour="sail-white", rows=1))),),
        fit=FitControls(counts=(4,), nominals=(5, 9, 11), max_sizes=4),
    ),
)


CORAL = Piece(
    key=7,
    name="Coral",
    target_height_mm=1300,
    outline=_outline("vase", foot=420, belly=460, neck=300),
    frame=_frame("plastic pipe 20 mm", 1250, "steel plate"),
    parts=(
        Fillers(
            key=1,
            name="buds",
            wanted=15,
            balloons=(PartBalloons(nominal_in=5, diameter_mm=95, colour="lantern-yellow", count=3),),
            look=FillerLook.ORGANIC,
            sizes_mm=(70, 90, 110),
            odd=True,
            bridges=True,
        ),
    ),
    layers=(
        MixLayer(
            shares=(
                Share(colour="rope", parts=40),
                Share(colour="lantern-yellow", parts=30),
                Share(colour="dusk-violet", parts=30),
            )
        ),
    ),
    fit=FitControls(counts=(4,), nominals=(5, 9, 11), max_sizes=5),
)

FIGUREHEAD = Piece(
    key=8,
    name="Figurehead",
    target_height_mm=1700,
    outline=_outline("straight", width=480, top=1),
    seen_sides=SeenSides.FRONT,
    frame=_frame("plastic pipe 25 mm", 1640, "wide steel plate", painted=True),
    parts=(
        HungLoad(
            key=1,
            name="anchor",
            height_mm=1150,
            offset_mm=280,
            tall_mm=320,
            wide_mm=240,
            deep_mm=40,
            mass_g=1800,
            fixings=2,
            colour="deep-teal",
        ),
    ),
    layers=(SpiralLayer(lanes=("dusk-violet", "sail-white", "dusk-violet", "rope")),),
    fit=FitControls(counts=(4,), nominals=(9, 11), max_sizes=1),
)


CRAB = Piece(
    key=9,
    name="Bollard crab",
    target_height_mm=415,
    outline=_outline("cone", foot=520, top=400),
    groups=(
        RowsGroup(
            rows=tuple(
                Row(
                    key=key,
                    slots=(Slot(nominal_in=11, diameter_mm=size, colour="signal-red", inner_colour="lantern-yellow"),)
                    * 4,
                )
                for key, size in ((1, 230.0), (2, 200.0))
            )
        ),
    ),
    frame=_frame("plastic pipe 20 mm", 330, "foam block for tables"),
    parts=(
        FoilShape(
            key=1,
            name="head",
            shape="round",
            tall_mm=280,
            wide_mm=330,
            deep_mm=140,
            mass_g=10,
            colour="lantern-yellow",
            fixing=Fixing.VALVE,
        ),
        *(
            Accent(
                key=key,
                name="claw",
                row=2,
                height_mm=300,
                up_mm=20,
                azimuth_deg=azimuth,
                balloons=(PartBalloons(nominal_in=5, diameter_mm=100, colour="signal-red", count=2),),
            )
            for key, azimuth in ((2, -50), (3, 50))
        ),
    ),
    layers=(SolidLayer(colour="signal-red"),),
)


def _strand(
    key: int, name: str, path: PresetPath, thick: float, colours: SpiralLayer | BandsLayer, **held: object
) -> Piece:
    """A strand with rows for its path."""
    group = RowsGroup(strand=Strand.model_validate({"path": path, **held}))
    return Piece(
        key=key,
        name=name,
        target_height_mm=2000,
        outline=_outline("straight", width=thick),
        groups=(group,),
        frame=Frame(kind="line", base=Base(kind="plate", radius_mm=200, height_mm=8, mass_g=7500)),
        joint=JointKind.LINE_EIGHT,
        seen_sides=SeenSides.FRONT,
        layers=(colours,),
        fit=FitControls(counts=(4,), nominals=(5.0, 9.0), max_sizes=1),
    )


WAVE = _strand(
    10, "Long wave", PresetPath(preset="wave", width_mm=4200, height_mm=450, turns=1.5), 300,
    SpiralLayer(lanes=("harbour-blue", "sea-glass", "sail-white", "sea-glass")), stands=StrandStands.HUNG,
)  # fmt: skip
ROPE = _strand(
    11, "Rope loop", PresetPath(preset="loop", width_mm=1100, height_mm=2000, tail_mm=500), 220,
    BandsLayer(bands=(Band(colour="rope", rows=3), Band(colour="sail-white", rows=1))), core="bent pipe",
)  # fmt: skip
"""What is bent: a wave hung over the quay, and a rope that crosses itself with a tail to each side."""


_AT_JOINTS = (Slot(nominal_in=5, diameter_mm=100.0, colour="rope"),) * 4
_WINDOWS = grid(Grid(3, 2, 1, 1, 420.0, 110.0, True), Trim(_AT_JOINTS, colour="sea-glass", up_colour="sea-glass"))
NET = Piece(
    key=12,
    name="Net window",
    target_height_mm=1020,
    # The window that the fish hangs in has no diagonal: those beside it hold its row.
    groups=(replace(_WINDOWS, chains=(*_WINDOWS.chains[:-2], _WINDOWS.chains[-1])),),
    frame=Frame(kind="frameless", base=Base(kind="plate", radius_mm=300, height_mm=10, mass_g=18_000)),
    seen_sides=SeenSides.FRONT,
    parts=(
        FoilShape(
            key=1, name="fish", shape="fish", stands=False, tied_to=(5, 6, 10, 9), tall_mm=200, wide_mm=300, deep_mm=80,
            colour="lantern-yellow", fixing=Fixing.CROSSED, mass_g=20,
        ),
    ),
)  # fmt: skip
"""An open frame of link balloons with a foil fish hung in its middle window."""


def bent_pieces(studio: Studio) -> list[Piece]:
    """The strands with the rows that their paths take; the rope is tied where it crosses."""
    wave, rope = (with_rows(piece, fit_piece(piece, studio).rows) for piece in (WAVE, ROPE))
    ((_, group, laid),) = strands_of(rope, plan(Job(pieces=(rope,)), studio).pieces[0].assembly)
    first, later = (mark.row for mark in marks_of(group, laid) if mark.kind is MarkKind.CROSSES)
    tie = Tie(row=rope.rows[first].key, other=rope.rows[later].key)
    hooks = tuple(Tie(row=row.key, mount="hook above") for row in wave.rows[:: len(wave.rows) // 4])
    return [replace(wave, ties=hooks), replace(rope, ties=(tie,)), NET]


def _dressed(piece: Piece, studio: Studio) -> Piece:
    """The piece with its fillers placed."""
    planned = plan(Job(pieces=(piece,)), studio).pieces[0]
    knots = {row.key: float(knot) for row, knot in zip(piece.rows, planned.geometry.knots, strict=True)}
    for part in piece.parts:
        if isinstance(part, Collar) and (ring := placed_ring(planned, part.key)):
            height = knots[ring.row] + ring.up_mm
            edit = set_ring(piece.key, part, ring.row, ring.up_mm, height, ring.count)
            piece = edit.change(Job(pieces=(piece,))).pieces[0]
    parts = tuple(
        replace(part, seats=(found := placed_fillers(planned, part.key)).seats, wanted=len(found.seats))
        if isinstance(part, Fillers)
        else on_skin(part, piece, planned.assembly)
        for part in piece.parts
    )
    return replace(piece, parts=parts)


def main() -> None:
    """Fit every piece and write the job."""
    studio = Studio()
    pieces = [
        with_rows(piece, fit_piece(piece, studio).rows) if piece.key != _KELP else piece
        for piece in (*PIECES, CORAL, FIGUREHEAD)
    ]
    pieces = [*(_dressed(piece, studio) for piece in pieces), CRAB, *bent_pieces(studio)]
    brief = Brief(
        title="Lantern Quay",
        event="Harbour evening market",
        event_date=dt.date(2027, 6, 18),
        place="outdoors",
        notes="Gate columns stand left and right of the quay steps. Lighthouse by the ferry kiosk.",
    )
    pricing = Pricing(currency="crowns", hourly=28, delivery=45, margin_percent=30, tax_percent=20)
    save_job(Job(brief=brief, pieces=tuple(pieces), pricing=pricing), demo_job_path())


if __name__ == "__main__":
    main()
