"""Generators of jobs, pieces and rows for property tests."""

from __future__ import annotations

from hypothesis import strategies as st

from kakushi.dress.kind import Surroundings
from kakushi.dress.table import KINDS
from kakushi.model.catalogue import DEFAULT_NOMINALS, DEFAULT_PALETTE
from kakushi.model.groups import BallGroup, Row, RowsGroup, Slot
from kakushi.model.job import Brief, Job, Settings
from kakushi.model.layers import Band, BandsLayer, Hand, SolidLayer, SpiralLayer
from kakushi.model.parts import Fillers, Part, PartBalloons, Seat
from kakushi.model.piece import Copy, Piece, Tightness
from kakushi.model.values import replace

colours = st.sampled_from([c.key for c in DEFAULT_PALETTE])
sizes = st.sampled_from(DEFAULT_NOMINALS[:5])


@st.composite
def slots(draw: st.DrawFn, count: int) -> tuple[Slot, ...]:
    size = draw(sizes)
    share = draw(st.floats(0, 1))
    diameter = size.smallest_mm + share * (size.largest_mm - size.smallest_mm)
    hand = draw(st.lists(st.none() | colours, min_size=count, max_size=count))
    inner = draw(st.lists(st.none() | colours, min_size=count, max_size=count))
    return tuple(
        Slot(nominal_in=size.nominal_in, diameter_mm=diameter, colour=c, inner_colour=i)
        for c, i in zip(hand, inner, strict=True)
    )


@st.composite
def rows(draw: st.DrawFn, most: int = 6) -> tuple[Row, ...]:
    counts = draw(st.lists(st.integers(3, 6), max_size=most))
    return tuple(Row(key=i + 1, slots=draw(slots(count))) for i, count in enumerate(counts))


layers = st.one_of(
    st.builds(SolidLayer, colour=colours),
    st.builds(
        SpiralLayer, lanes=st.lists(colours, min_size=1, max_size=6).map(tuple), hand=st.sampled_from(list(Hand))
    ),
    st.builds(
        BandsLayer,
        bands=st.lists(st.builds(Band, colour=colours, rows=st.integers(1, 4)), min_size=1, max_size=4).map(tuple),
    ),
)

part_balloons = st.builds(
    PartBalloons, nominal_in=st.sampled_from([5.0, 16.0]), colour=colours, count=st.integers(0, 9), seen=st.booleans()
)


seats = st.builds(
    Seat,
    row=st.integers(1, 7),
    slot=st.integers(0, 5),
    along=st.floats(0, 1),
    up=st.floats(-1, 1),
    colours=st.lists(colours, max_size=2).map(tuple),
    locked=st.booleans(),
)


@st.composite
def parts(draw: st.DrawFn) -> tuple[Part, ...]:
    kinds = draw(st.lists(st.sampled_from(sorted(KINDS)), max_size=3))
    around = Surroundings(2000.0, draw(colours))
    made = [KINDS[kind].made(key, around) for key, kind in enumerate(kinds, 1)]
    with_balloons = [replace(part, balloons=tuple(draw(st.lists(part_balloons, max_size=2)))) for part in made]
    return tuple(
        replace(part, wanted=draw(st.integers(1, 9)), seats=tuple(draw(st.lists(seats, max_size=3))))
        if isinstance(part, Fillers)
        else part
        for part in with_balloons
    )


@st.composite
def pieces(draw: st.DrawFn, key: int) -> Piece:
    groups: list[object] = [RowsGroup(rows=draw(rows()))]
    if draw(st.booleans()):
        groups.append(BallGroup(slots=draw(slots(8))))
    variants = st.none() | rows(3).map(lambda r: (RowsGroup(rows=r),))
    copies = draw(st.lists(st.builds(Copy, groups=variants), min_size=1, max_size=4))
    return Piece(
        key=key,
        name=draw(st.text(min_size=1, max_size=12)),
        groups=tuple(groups),
        copies=tuple(copies),
        parts=draw(parts()),
        layers=tuple(draw(st.lists(layers, max_size=2))),
        tightness=draw(st.sampled_from(list(Tightness))),
    )


@st.composite
def jobs(draw: st.DrawFn) -> Job:
    count = draw(st.integers(0, 3))
    return Job(
        brief=Brief(title=draw(st.text(max_size=20)), notes=draw(st.text(max_size=40))),
        settings=Settings(confidence=draw(st.floats(0.5, 0.999))),
        pieces=tuple(draw(pieces(key)) for key in range(1, count + 1)),
    )
