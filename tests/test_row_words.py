"""A sentence about a row fixes the row: read by itself, only the planned turn (up to equal colours) fits it."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kakushi.building.step import LayingRow, StepKind
from kakushi.building.steps import steps_of
from kakushi.colour.relation import Relation, facing, relation
from kakushi.colour.surface import Surface
from kakushi.model.catalogue import Studio
from kakushi.model.groups import Anchor, Direction, Row, RowsGroup, Slot
from kakushi.model.job import Job
from kakushi.model.piece import Piece
from kakushi.plan.pipeline import plan
from kakushi.words.rows import relation_words
from kakushi.words.wording import Wording

JOB = Job()
WORDING = Wording(JOB)
KEYS = [colour.key for colour in JOB.palette[:4]]
NAME = rf"(?:large |small )?(?:{'|'.join(JOB.colour(key).name for key in KEYS)})"
NAMES = rf"{NAME}(?:, then {NAME})*"
WHAT = (
    rf"(?P<name>{NAME})(?: with (?P<both>{NAMES}) on both sides"
    rf"| with (?:(?P<left>{NAMES}) on its left)?(?: and )?(?:(?P<right>{NAMES}) on its right)?)?"
)
GAP = rf"gap with (?P<gapleft>{NAMES}) on its left and (?P<gapright>{NAMES}) on its right"
SIDE = r"(?:the front mark|the back|(?P<degrees>\d+)° to the (?P<side>left|right) of the front mark)"
ALIKE = (
    r"(Each|One) balloon (goes into a gap|stands on a balloon) of the row (?:below|above)(, the others as they fall)?\."
)
NEXT = rf"one gap to the (?P<to>left|right) of (?:a|the) (?P<of>{NAME})"
END = r"(?:, seen from outside)?\."

Ring = list[str]


def names_of(ring: Ring, keys: list[str], sizes: list[float]) -> Ring:
    """What the balloons of a row are called, worked out apart from the program."""
    if max(sizes) <= 1.08 * min(sizes):
        return ring
    middle = math.sqrt(max(sizes) * min(sizes))
    return [f"{'large' if size > middle else 'small'} {name}" for name, size in zip(ring, sizes, strict=True)]


def beside(ring: Ring, at: int, names: str | None, step: int) -> bool:
    """Whether the neighbours from `at` on, going `step`, are those named."""
    told = names.split(", then ") if names else []
    return all(ring[(at + step * k) % len(ring)] == name for k, name in enumerate(told))


class Reader:
    """Reads one sentence about a row, and says of any turn whether it fits; `near` a balloon one stands on it."""

    def __init__(self, sentence: str, under: Ring | None, near: float) -> None:
        self.sentence, self.under, self.near = sentence, under, near

    def fits(self, ring: Ring, angles: list[float], others: list[float]) -> bool:
        """Whether a row of those names at those angles, on another row, is what the sentence says."""
        self.ring, self.angles, self.others = ring, angles, others
        for pattern, read in (
            (ALIKE, self._alike),
            (rf"(?:A|The) balloon faces {SIDE}{END}", lambda found: self._turned(found, range(len(ring)), 0.0)),
            (rf"(?:A|The) {GAP} faces {SIDE}{END}", self._gap_faces),
            (rf"(?:A|The) {WHAT} faces {SIDE}{END}", lambda found: self._turned(found, self._these(found), 0.0)),
            (rf"(?:Each|The) {WHAT} goes {NEXT} (?:below|above){END}", self._next_gap),
            (rf"(?:Each|The) {WHAT} goes between two (?P<of>{NAME}) (?:below|above){END}", self._between),
            (rf"(?:Each|The) {WHAT} goes into (?:a|the) {GAP} (?:below|above){END}", self._in_gap),
            (rf"(?:Each|The) {WHAT} stands on (?:a|the) (?P<on>.*) (?:below|above){END}", self._on_balloon),
        ):  # fmt: skip
            if found := re.fullmatch(pattern, self.sentence):
                return read(found)
        raise AssertionError(f"not understood: {self.sentence}")

    def _these(self, found: re.Match[str]) -> list[int]:
        """The balloons that are meant."""
        left, right = found["both"] or found["left"], found["both"] or found["right"]
        return [
            slot
            for slot, name in enumerate(self.ring)
            if name == found["name"] and beside(self.ring, slot - 1, left, -1) and beside(self.ring, slot + 1, right, 1)
        ]

    def _lies(self, slot: int) -> tuple[int, int]:
        """The two balloons of the other row that one lies between, left and right; twice the one it stands on."""
        past = [(self.angles[slot] - other) % (2 * math.pi) for other in self.others]
        left, right = past.index(min(past)), past.index(max(past))
        near = self.near * 2 * math.pi / len(past)
        if past[left] < near:
            return left, left
        return (right, right) if 2 * math.pi - past[right] < near else (left, right)

    def _every(self, found: re.Match[str], holds) -> bool:
        these = self._these(found)
        assert these, f"nothing is called so: {self.sentence}"
        return all(holds(*self._lies(slot)) for slot in these)

    def _alike(self, found: re.Match[str]) -> bool:
        on_top = [left == right for left, right in map(self._lies, range(len(self.ring)))]
        wanted = [top == (found[2] == "stands on a balloon") for top in on_top]
        return any(wanted) if found[1] == "One" else all(wanted)

    def _turned(self, found: re.Match[str], slots, shift: float) -> bool:
        wanted = math.pi if "the back" in self.sentence else 0.0
        if found["degrees"]:
            wanted = math.radians(float(found["degrees"])) * (1 if found["side"] == "right" else -1)
        return any(abs(math.remainder(self.angles[slot] + shift - wanted, 2 * math.pi)) < 0.1 for slot in slots)

    def _gap_faces(self, found: re.Match[str]) -> bool:
        n = len(self.ring)
        for slot in range(n):
            if beside(self.ring, slot, found["gapleft"], -1) and beside(self.ring, slot + 1, found["gapright"], 1):
                step = (self.angles[(slot + 1) % n] - self.angles[slot]) % (2 * math.pi) or 2 * math.pi
                if self._turned(found, [slot], step / 2):
                    return True
        return False

    def _next_gap(self, found: re.Match[str]) -> bool:
        pick = 0 if found["to"] == "right" else 1
        return self._every(found, lambda *ends: ends[0] != ends[1] and self.under[ends[pick]] == found["of"])

    def _between(self, found: re.Match[str]) -> bool:
        return self._every(found, lambda a, b: a != b and self.under[a] == self.under[b] == found["of"])

    def _in_gap(self, found: re.Match[str]) -> bool:
        return self._every(
            found,
            lambda a, b: (
                a != b and beside(self.under, a, found["gapleft"], -1) and beside(self.under, b, found["gapright"], 1)
            ),
        )

    def _on_balloon(self, found: re.Match[str]) -> bool:
        told = re.fullmatch(WHAT, found["on"])
        left, right = told["both"] or told["left"], told["both"] or told["right"]
        return self._every(
            found,
            lambda a, b: (
                a == b
                and self.under[a] == told["name"]
                and beside(self.under, a - 1, left, -1)
                and beside(self.under, a + 1, right, 1)
            ),
        )


def wrong_turns(ring: Ring, angles: list[float]) -> Iterator[list[float]]:
    """Where the balloons would lie in every turn of a row, by whole slots, in which it does not look as planned."""
    n = len(ring)
    for by in range(1, n):
        if ring != [*ring[-by:], *ring[:-by]]:
            # Balloon k comes to where balloon k + by was planned.
            yield [angles[(slot + by) % n] for slot in range(n)]


def check(words: str, ring: Ring, angles: list[float], under: Ring | None, others: list[float]) -> None:
    # What is near enough to a balloon to stand on it is everybody's own reading.
    for near in (0.12, 0.2, 0.28):
        reader = Reader(words, under, near)
        assert reader.fits(ring, angles, others), f"not true of the plan: {words}"
        for turned in wrong_turns(ring, angles):
            assert not reader.fits(ring, turned, others), f"true of another turn too: {words} ({ring} on {under})"


def surface_of_rows(rows: list[tuple[list[float], list[float]]]) -> Surface:
    """A surface of rows given by angles and sizes."""
    angles, sizes = (np.array([each for row in rows for each in row[part]]) for part in (0, 1))
    none = np.zeros((0, 2), dtype=int)
    counts = tuple(len(row[0]) for row in rows)
    turns = tuple(row[0][0] for row in rows)
    return Surface(counts, turns, angles, np.zeros(len(angles)), np.zeros(len(angles)), sizes, 1.0, none, none)


def named(keys: list[str], sizes: list[float]) -> Ring:
    return names_of([JOB.colour(key).name for key in keys], keys, sizes)


ROWS = st.integers(1, 9).flatmap(
    lambda n: st.tuples(
        st.lists(st.sampled_from(KEYS[: 1 + n % 4]), min_size=n, max_size=n),
        st.lists(st.sampled_from([100.0, 100.0, 60.0]), min_size=n, max_size=n),
        st.sampled_from([0.0, 0.27, 0.5, 1.0, 1.37]),
    )
)


def angles_of(n: int, shift: float) -> list[float]:
    return [2 * math.pi * (slot + shift) / n for slot in range(n)]


@settings(max_examples=400)
@given(ROWS, ROWS, st.booleans())
def test_a_sentence_about_a_laid_row_fits_no_other_turn(upper, lower, is_below) -> None:
    if is_below and len(upper[0]) % 2 == 0:
        # Rows of one count in each other's gaps, as most columns are packed.
        lower = (lower[0] * len(upper[0]))[: len(upper[0])], (lower[1] * len(upper[0]))[: len(upper[0])], 0.0
        upper = upper[0], upper[1], 0.5
    rows = [(angles_of(len(row[0]), row[2]), row[1]) for row in (lower, upper)]
    surface = surface_of_rows(rows)
    fact = relation(surface, 1, 0, upper[0], lower[0])
    words = relation_words(fact, WORDING)
    check(words, named(upper[0], upper[1]), rows[1][0], named(lower[0], lower[1]), rows[0][0])


@settings(max_examples=300)
@given(ROWS)
def test_a_sentence_about_the_front_fits_no_other_turn(row) -> None:
    angles = angles_of(len(row[0]), row[2])
    fact: Relation = facing(surface_of_rows([(angles, row[1])]), 0, row[0])
    check(relation_words(fact, WORDING), named(row[0], row[1]), angles, None, [])


def slots_of(count: int, chance: np.random.Generator, kind: int) -> tuple[Slot, ...]:
    """A row of one size, of two, or painted by chance, as columns of all schools have them."""
    keys = [KEYS[0], KEYS[1]] * count if kind == 0 else chance.choice(KEYS, size=count).tolist()
    sizes = [250.0, 150.0] * count if kind == 2 and count % 2 == 0 else [230.0] * count
    return tuple(Slot(nominal_in=11, diameter_mm=sizes[k], colour=keys[k]) for k in range(count))


@pytest.mark.parametrize("seed", range(14))
def test_the_steps_of_random_jobs_fix_their_rows(seed: int) -> None:
    chance = np.random.default_rng(seed)
    direction = (Direction.UP, Direction.DOWN, Direction.BOTH)[seed % 3]
    counts = [4, 4, 4, 4] if seed % 2 else chance.integers(3, 7, size=4).tolist()
    rows = tuple(Row(key=k + 1, slots=slots_of(count, chance, seed % 3)) for k, count in enumerate(counts))
    anchor = Anchor(kind="hanging below", height_mm=2500) if direction is Direction.DOWN else Anchor()
    piece = Piece(key=1, name="Any", groups=(RowsGroup(rows=rows, anchor=anchor, direction=direction),))
    found = plan(Job(pieces=(piece,)), Studio())
    surface, colouring = found.pieces[0].surface, found.pieces[0].colouring
    laid = [step for step in steps_of(found) if step.kind is StepKind.ROW]
    assert len(laid) == len(rows)

    def row_of(index: int) -> tuple[Ring, list[float]]:
        low, high = surface.firsts[index : index + 2]
        return named(list(colouring[index]), surface.diameters[low:high].tolist()), surface.angles[low:high].tolist()

    for step in laid:
        assert isinstance(step.fact, LayingRow)
        assert step.row is not None
        under = row_of(step.row.on) if step.row.on is not None else (None, [])
        check(relation_words(step.fact.relation, WORDING), *row_of(step.row.index), *under)
