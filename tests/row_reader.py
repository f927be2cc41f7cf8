"""Somebody who has the printed text of a build alone, and lays its rows: a reader for tests."""

from __future__ import annotations

import math
import re
import unicodedata
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from kakushi.model.job import Job
from kakushi.words.wording import Wording

JOB = Job()
WORDING = Wording(JOB)
COLOURS = "|".join(colour.name for colour in JOB.palette)
NAME = rf"(?:(?:large|middle|small|[0-9.]+ cm) )?(?:{COLOURS}|balloon)"
NAMES = rf"{NAME}(?:, then {NAME})*"
WHAT = (
    rf"(?P<name>{NAME})(?: with (?P<both>{NAMES}) on both sides"
    rf"| with (?:(?P<left>{NAMES}) on its left)?(?: and )?(?:(?P<right>{NAMES}) on its right)?)?"
)
GAP = rf"gap with (?P<gapleft>{NAMES}) on its left and (?P<gapright>{NAMES}) on its right"
SIDE = r"(?:the front mark|the back|the right|the left|(?P<degrees>\d+)° to the (?P<side>left|right) of the front mark)"
ALIKE = (
    r"(Each|One) balloon (goes into a gap|stands on a balloon|lies beside a balloon) of the row (?:below|above)"
    r"(?:, to its (?P<hand>left|right), touching it)?(, the others as they fall)?\."
)
AWAY = r"(?:(?P<away>two|three) rows )?(?:below|above)"
NEXT = rf"one gap to the (?P<to>left|right) of (?:an?|the) (?P<of>{NAME})"
END = r"(?:, seen from outside)?\."
ROWS_AWAY = {None: 0, "two": 1, "three": 2}

Ring = list[str]


def names_of(ring: Ring, keys: list[str], sizes: list[float]) -> Ring:
    """What the balloons of a row are called, worked out apart from the program."""
    classes: list[list[float]] = []
    for size in sorted(set(sizes)):
        if classes and size <= 1.08 * classes[-1][0]:
            classes[-1].append(size)
        else:
            classes.append([size])
    words = {1: [""], 2: ["small ", "large "], 3: ["small ", "middle ", "large "]}.get(
        len(classes), [WORDING.diameter(sum(alike) / len(alike)) + " " for alike in classes]
    )
    word = {size: said for alike, said in zip(classes, words, strict=True) for size in alike}
    return [f"{word[size]}{name}" for name, size in zip(ring, sizes, strict=True)]


def beside(ring: Ring, at: int, names: str | None, step: int) -> bool:
    """Whether the neighbours from `at` on, going `step`, are those named."""
    told = names.split(", then ") if names else []
    return all(ring[(at + step * k) % len(ring)] == name for k, name in enumerate(told))


class Reader:
    """Reads one sentence about a row, and says of any turn whether it fits; `near` a balloon one stands on it.

    `rows`: names and angles of the rows that are there, the one next to it first.
    """

    def __init__(self, sentence: str, rows: list[tuple[Ring, list[float]]], near: float) -> None:
        self.sentence, self.rows, self.near = sentence, rows, near

    def fits(self, ring: Ring, angles: list[float]) -> bool:
        """Whether a row of those names at those angles is what the sentence says."""
        self.ring, self.angles = ring, angles
        for pattern, read in (
            (ALIKE, self._alike),
            (rf"(?:A|The) balloon faces {SIDE}{END}", lambda found: self._turned(found, range(len(ring)), 0.0)),
            (rf"(?:A|The) gap faces {SIDE}{END}", self._gap_faces),
            (rf"(?:A|The) {GAP} faces {SIDE}{END}", self._gap_faces),
            (rf"(?:A|The) {WHAT} faces {SIDE}{END}", lambda found: self._turned(found, self._these(found), 0.0)),
            (rf"(?:Each|The) {WHAT} goes {NEXT} {AWAY}{END}", self._next_gap),
            (rf"(?:Each|The) {WHAT} goes (?:between|above the middle of|below the middle of) two (?P<of>{NAME}) "
             rf"{AWAY}{END}", self._between),
            (rf"(?:Each|The) {WHAT} goes (?:into|above|below) (?:a|the) {GAP} {AWAY}{END}", self._in_gap),
            (rf"(?:Each|The) {WHAT} lies beside (?:an?|the) (?P<on>.*?) {AWAY}, to its (?P<hand>left|right), "
             rf"touching it{END}", self._beside),
            (rf"(?:Each|The) {WHAT} lies on (?:an?|the) (?P<on>.*?) {AWAY} or close beside it{END}", self._near),
            (rf"(?:Each|The) {WHAT} (?:stands on|goes straight above|goes straight below) (?:an?|the) (?P<on>.*?) "
             rf"{AWAY}{END}", self._on_balloon),
        ):  # fmt: skip
            if found := re.fullmatch(pattern, self.sentence):
                if "away" in found.re.groupindex:
                    self.under, self.others = self.rows[ROWS_AWAY[found["away"]]]
                elif self.rows:
                    self.under, self.others = self.rows[0]
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

    def _ends(self, slot: int) -> tuple[int, int, int, float]:
        """The two balloons that one lies between, the nearer one, and how far to its right it is, in slots."""
        past = [(self.angles[slot] - other) % (2 * math.pi) for other in self.others]
        left, right = past.index(min(past)), past.index(max(past))
        after, before = past[left], 2 * math.pi - past[right]
        nearest, off = (left, after) if after <= before else (right, -before)
        return left, right, nearest, off * len(past) / (2 * math.pi)

    def _lies(self, slot: int) -> tuple[int, int]:
        """The two balloons that one lies between; twice the one that it stands on."""
        left, right, nearest, off = self._ends(slot)
        return (nearest, nearest) if abs(off) < self.near else (left, right)

    def _every(self, found: re.Match[str], holds) -> bool:
        these = self._these(found)
        assert these, f"nothing is called so: {self.sentence}"
        return all(holds(*self._lies(slot)) for slot in these)

    def _alike(self, found: re.Match[str]) -> bool:
        if found["hand"]:
            offs = [self._ends(slot)[3] * (1 if found["hand"] == "right" else -1) for slot in range(len(self.ring))]
            wanted = [0 < off < 0.45 for off in offs]
        else:
            on_top = [left == right for left, right in map(self._lies, range(len(self.ring)))]
            wanted = [top == (found[2] == "stands on a balloon") for top in on_top]
        return any(wanted) if found[1] == "One" else all(wanted)

    def _turned(self, found: re.Match[str], slots, shift: float) -> bool:
        side = re.search(r"faces the (back|right|left)", self.sentence)
        wanted = {"back": math.pi, "right": math.pi / 2, "left": -math.pi / 2}[side[1]] if side else 0.0
        if found["degrees"]:
            wanted = math.radians(float(found["degrees"])) * (1 if found["side"] == "right" else -1)
        return any(abs(math.remainder(self.angles[slot] + shift - wanted, 2 * math.pi)) < 0.1 for slot in slots)

    def _gap_faces(self, found: re.Match[str]) -> bool:
        n = len(self.ring)
        told = found.groupdict()
        for slot in range(n):
            if beside(self.ring, slot, told.get("gapleft"), -1) and beside(
                self.ring, slot + 1, told.get("gapright"), 1
            ):
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

    def _meant(self, told: str, at: int) -> bool:
        """Whether a balloon of the other row is called so."""
        found = re.fullmatch(WHAT, told)
        left, right = found["both"] or found["left"], found["both"] or found["right"]
        named_so = self.under[at] == found["name"]
        return named_so and beside(self.under, at - 1, left, -1) and beside(self.under, at + 1, right, 1)

    def _on_balloon(self, found: re.Match[str]) -> bool:
        return self._every(found, lambda a, b: a == b and self._meant(found["on"], a))

    def _beside(self, found: re.Match[str]) -> bool:
        hand = 1 if found["hand"] == "right" else -1
        ends = [self._ends(slot) for slot in self._these(found)]
        return all(off * hand > 0 and self._meant(found["on"], nearest) for _, _, nearest, off in ends)

    def _near(self, found: re.Match[str]) -> bool:
        ends = [self._ends(slot) for slot in self._these(found)]
        return all(self._meant(found["on"], nearest) for _, _, nearest, _ in ends)


def wrong_turns(ring: Ring, angles: list[float]) -> Iterator[list[float]]:
    """Where the balloons would lie in every turn of a row, by whole slots, in which it does not look as planned."""
    n = len(ring)
    for by in range(1, n):
        if ring != [*ring[-by:], *ring[:-by]]:
            # Balloon k comes to where balloon k + by was planned.
            yield [angles[(slot + by) % n] for slot in range(n)]


def check(words: str, ring: Ring, angles: list[float], rows: list[tuple[Ring, list[float]]]) -> None:
    """A sentence is true of a row as it is planned, on `rows` (the nearest first), and of no other turn."""
    # What is near enough to a balloon to stand on it is everybody's own reading.
    for near in (0.12, 0.2, 0.28):
        reader = Reader(words, rows, near)
        assert reader.fits(ring, angles), f"not true of the plan: {words} ({ring} on {rows})"
        for turned in wrong_turns(ring, angles):
            assert not reader.fits(ring, turned), f"true of another turn too: {words} ({ring} on {rows})"


MARK = r"(?:bend begins after|bend ends at|crosses itself at|comes back after|after) row .*"
HANDS = (
    r"Check the hand\.|Push it (?:down|up) at the middle: .*|Tie its neck .*|Take the line .*|Wind the ribbon .*|"
    r"Tie a strip .*|Tie the link tips .*|Tie with the inner neck.*|Begin with .*|Knot the line .*|Flatten it, .*|"
    r"Lay them on one beside the other, anticlockwise\.|Turn it so that .*"
)
"""Sentences of how a row is held: nothing to place by."""


def measure(name: str) -> float:
    """The diameter at the end of a size's name, in its own unit."""
    digits, fraction = re.search(r"([\d.]*)([¼½¾⅛⅜⅝⅞]?)(?: cm|″)$", name).groups()
    return float(digits or 0) + (unicodedata.numeric(fraction) if fraction else 0.0)


@dataclass
class ReadRow:
    """A row as its text alone says it: sizes by how many, balloons in the order in which they lie, and where."""

    sizes: Counter[str]
    ring: list[tuple[str, str]]
    relation: str
    any_way: str
    marks: tuple[str, ...]
    knot: str


class TextReader:
    """Lays rows from printed text alone, sentence by sentence, in its order. `codes`: names of colours by code."""

    def __init__(self, codes: dict[str, str]) -> None:
        self._codes = codes
        self._state: dict[str, str] = {}

    def read(self, headline: str, text: str) -> dict[int, ReadRow]:
        """The rows of a step, by their numbers from 1; none where the step is no row."""
        found = re.fullmatch(r"Rows? (\d+)(?: (to|and) (\d+))? · ([^.]*(?:\.\d[^.]*)*)(?:\. (.*))?", headline)
        if found is None:
            return {}
        first, last = int(found[1]), int(found[3] or found[1])
        rest = [part if part.endswith(".") else f"{part}." for part in (found[5], text) if part]
        row = self._row(found[4], " ".join(rest))
        return dict.fromkeys(range(min(first, last), max(first, last) + 1), row)

    def _row(self, sizes: str, text: str) -> ReadRow:
        now: dict[str, str] = {}
        marks, knot = list[str](), ""
        for sentence in re.split(r"(?<=[.!?])\s+(?=[A-Z])", text):
            for each in re.split(r"; (?=bend |crosses |comes |after |knot )", sentence):
                if not each or re.fullmatch(HANDS, each):
                    continue
                if found := re.fullmatch(r"(Cross|Lay on|Take) (.*)\.", each):
                    now["bunches"] = f"{found[1].split()[0]} {found[2]}"
                elif found := re.fullmatch(r"Its balloons: (.*)\.", each):
                    sizes = found[1]
                elif found := re.fullmatch(r"(?:Of the crossed balloons|In the order they are laid on) (.*)\.", each):
                    now["which"] = found[1]
                elif found := re.fullmatch(r"Pole into the gap between (\d+) and 1; cross (.*) behind it(.*)\.", each):
                    now["wrap"] = found[3] or "nothing"
                elif found := re.fullmatch(r"(?:Lock: exchange|Pull) (\d+) and (\d+)(?: across each other)?\.", each):
                    now["lock"] = f"{found[1]} {found[2]}"
                elif each == "This row is not locked.":
                    self._state.pop("lock", None)
                elif re.fullmatch(rf"{MARK}\.?", each, re.IGNORECASE):
                    marks.append(each.rstrip(".").casefold())
                elif found := re.fullmatch(r"(?:Its )?knot (?:is )?(.*) above the floor\.?", each, re.IGNORECASE):
                    knot = found[1]
                else:
                    assert "relation" not in now, f"a second place: {each} ({now['relation']})"
                    now["relation"] = self._sentence(each)
        known = {**{key: self._state[key] for key in self._state if key not in ("bunches",)}, **now}
        self._state = known
        any_way = re.match(r"(Any|Colours any) way round: ", known["relation"])
        relation = known["relation"][any_way.end() :] if any_way else known["relation"]
        counts = Counter({size: int(count) for count, size in (s.split(" × ", 1) for s in sizes.split(", "))})
        ring = self._landed(known, counts)
        return ReadRow(counts, ring, relation[:1].upper() + relation[1:], any_way[1] if any_way else "", tuple(marks),
                       knot)  # fmt: skip

    @staticmethod
    def _sentence(words: str) -> str:
        """A short relation as the whole sentence."""
        if found := re.fullmatch(
            rf"(?:(Colours any way round): )?(Each|The|each|the) ({NAME}) one gap to the (left|right)"
            rf"(?: of (an? {NAME}))?\.?",
            words,
        ):
            of = found[5] or f"a {found[3]}"
            before = f"{found[1]}: " if found[1] else ""
            return f"{before}{found[2]} {found[3]} goes one gap to the {found[4]} of {of} below."
        return words if words.endswith(".") else f"{words}."

    def _landed(self, known: dict[str, str], counts: Counter[str]) -> list[tuple[str, str]]:
        """Colour and size of each balloon as they lie in the end, anticlockwise."""
        verb, bunched = known["bunches"].split(" ", 1)
        bunches = [[self._codes[code] for code in bunch.split(" + ")] for bunch in bunched.split(", ")]
        colours = [c for bunch in bunches for c in bunch] if verb == "Lay" else [
            bunch[k] for k in range(max(map(len, bunches))) for bunch in bunches if k < len(bunch)
        ]  # fmt: skip
        names = list(counts)
        sized = names * len(colours) if len(names) == 1 else self._sized(known["which"], names, len(colours))
        order = list(range(len(colours)))
        if (turns := re.search(r"(\d+) half turn", known.get("wrap", ""))) and int(turns[1]) % 2:
            order[0], order[-1] = order[-1], order[0]
        if "lock" in known:
            a, b = (int(each) - 1 for each in known["lock"].split())
            order[a], order[b] = order[b], order[a]
        return [(colours[k], sized[k]) for k in order]

    @staticmethod
    def _sized(which: str, names: list[str], count: int) -> list[str]:
        """The size of each numbered balloon."""
        if found := re.fullmatch(r"(.*) (?:are the large ones|is the large one)", which):
            large = set(map(int, re.findall(r"\d+", found[1])))
            # Sizes are listed from the larger nominal on; of one nominal the larger diameter comes first.
            by_size = sorted(names, key=lambda name: -measure(name))
            assert len(names) == 2
            return [by_size[0] if number in large else by_size[1] for number in range(1, count + 1)]
        sized = {}
        for kind in which.split("; "):
            numbers, _, size = re.split(r" (is|are) ", kind, maxsplit=1)
            sized.update((int(number), size) for number in re.findall(r"\d+", numbers))
        return [sized[number] for number in range(1, count + 1)]
