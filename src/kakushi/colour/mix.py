"""Free mixes: exact shares, and as few touching balloons of one colour as a search finds.

A greedy colouring from the foot up, then exchanges of two balloons' colours with a tabu list (Glover 1989) until no
two touching balloons are alike or the work is spent. Then once more with a little weight on balloons that nearly
touch, so that neighbours in a row differ too where they can. Work is counted, so that the answer does not depend on
the machine.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kakushi.colour.settings import MIX_SEARCH
from kakushi.model.arrays import Floats, Ints
from kakushi.model.shares import largest_remainder

# Index that pins no colour.
FREE = -1


@dataclass(frozen=True, slots=True)
class Mix:
    """Colour index of every balloon, (n,), and how many touching pairs are alike."""

    colours: Ints
    colour_conflicts: int


def mixed(size: int, pairs: Ints, parts: Sequence[float], seed: int, beside: Ints | None = None) -> Mix:
    """A mix over `size` balloons, with shares in proportion to `parts`.

    They touch in `pairs` (c, 2) and nearly touch in `beside` (b, 2).
    """
    graph = _Graph(size, pairs, len(parts))
    counts = largest_remainder(size, parts)
    rng = np.random.default_rng(seed)
    free = np.ones(size, dtype=bool)
    best: Ints | None = None
    for _ in range(MIX_SEARCH.small_starts if size <= MIX_SEARCH.small else 1):
        mix = _exchanged(
            graph=graph, colour=_greedy(graph, counts, rng), free=free, rng=rng, most=MIX_SEARCH.max_exchanges
        )
        if best is None or graph.colour_conflicts(mix) < graph.colour_conflicts(best):
            best = mix
        if not graph.colour_conflicts(best):
            break
    assert best is not None
    if beside is not None and len(beside):
        best = _exchanged(
            graph=_Graph(size, pairs, len(parts), beside),
            colour=best,
            free=free,
            rng=rng,
            most=MIX_SEARCH.max_nearly_touching,
        )
    return Mix(best, graph.colour_conflicts(best))


def mended(mix: Mix, pairs: Ints, parts: Sequence[float], seed: int, pinned: Ints) -> Mix:
    """A mix with some balloons pinned, mended where they are, so that a pin moves little.

    `pinned` (n,) holds colour indices that stay, FREE elsewhere, and len(parts) or more for a colour outside the
    mix. Shares are of all balloons that have a colour of the mix.
    """
    graph = _Graph(len(pinned), pairs, len(parts))
    free = pinned == FREE
    colour = np.where(free, mix.colours, pinned)
    of_mix = colour < graph.colours
    # What is painted outside the mix takes no share of it.
    wanted = np.array(largest_remainder(int(of_mix.sum()), parts))
    have = np.bincount(colour[of_mix], minlength=graph.colours)
    held = np.bincount(pinned[(pinned >= 0) & (pinned < graph.colours)], minlength=graph.colours)
    # What is pinned beyond its share is taken from the colours with most to spare.
    wanted = np.maximum(wanted, held)
    while wanted.sum() > of_mix.sum():
        wanted[np.argmax(wanted - held)] -= 1
    near = graph.near(colour)
    # The cheapest change of colour first, so that few new conflicts arise.
    while (have > wanted).any() and (have < wanted).any():
        over = (have > wanted)[np.minimum(colour, graph.colours - 1)] & (colour < graph.colours)
        donors = np.flatnonzero(free & over)
        takers = np.flatnonzero(have < wanted)
        change = near[donors][:, takers] - near[donors, colour[donors]][:, None]
        i, k = np.unravel_index(int(np.argmin(change)), change.shape)
        have[colour[donors[i]]] -= 1
        have[takers[k]] += 1
        _recolour(graph, near, colour, int(donors[i]), int(takers[k]))
    rng = np.random.default_rng(seed)
    colour = _exchanged(
        graph=graph,
        colour=colour,
        free=free,
        rng=rng,
        most=MIX_SEARCH.max_repairs,
        enough=mix.colour_conflicts,
        home=mix.colours,
    )
    return Mix(colour, graph.colour_conflicts(colour))


class _Graph:
    """Which balloons lie beside which, and how much it matters that they differ."""

    def __init__(self, size: int, touching: Ints, colours: int, nearly: Ints | None = None) -> None:
        self.size, self.colours, self.touching = size, colours, touching
        pairs = touching if nearly is None else np.concatenate([touching, nearly])
        # Nearly touching pairs only decide between mixes with equally many conflicts.
        weights = np.where(np.arange(len(pairs)) < len(touching), 1.0, MIX_SEARCH.tie_break)
        degree = np.bincount(pairs.ravel(), minlength=size) if len(pairs) else np.zeros(size, dtype=int)
        # A rectangle padded with `size`: neighbours of all balloons are then summed in a few whole-array steps.
        self.beside = np.full((size, max(int(degree.max(initial=0)), 1)), size)
        self.weight = np.zeros(self.beside.shape)
        filled = np.zeros(size, dtype=int)
        for (a, b), weight in zip(pairs, weights, strict=True):
            self.weight[a, filled[a]] = self.weight[b, filled[b]] = weight
            self.beside[a, filled[a]], self.beside[b, filled[b]] = b, a
            filled[a] += 1
            filled[b] += 1
        places = [line[line < size] for line in self.beside]
        self._neighbours = [(place, line[: len(place)]) for place, line in zip(places, self.weight, strict=True)]

    def neighbours(self, i: int) -> tuple[Ints, Floats]:
        """The balloons beside balloon `i`, (k,), and the weight of differing from each of them, (k,)."""
        return self._neighbours[i]

    def near(self, colour: Ints) -> Floats:
        """Weight of the neighbours of each colour, (n, k)."""
        # One column more than there are colours takes what has a colour outside the mix.
        near = np.zeros((self.size, self.colours + 1))
        padded = np.append(np.minimum(colour, self.colours), self.colours)
        for column, weight in zip(self.beside.T, self.weight.T, strict=True):
            inside = column < self.size
            np.add.at(near, (np.flatnonzero(inside), padded[column[inside]]), weight[inside])
        return np.asarray(near[:, : self.colours])

    def colour_conflicts(self, colour: Ints) -> int:
        """Touching pairs that share a colour of the mix; `colour` (balloons,) holds indices of colours."""
        a, b = colour[self.touching.T] if len(self.touching) else np.zeros((2, 0), dtype=int)
        return int(((a == b) & (a < self.colours)).sum())

    def cost(self, colour: Ints) -> float:
        """Colour conflicts, plus a small cost for equal balloons that nearly touch; `colour` (balloons,) as above."""
        inside = colour < self.colours
        own = self.near(colour)[np.arange(self.size), np.minimum(colour, self.colours - 1)]
        # Every pair was counted from both its ends.
        return float(own[inside].sum() / 2)


def _greedy(graph: _Graph, counts: Sequence[int], rng: np.random.Generator) -> Ints:
    colour = np.full(graph.size, graph.colours)
    left = np.array(counts, dtype=float)
    for i in range(graph.size):
        beside = graph.beside[i][graph.beside[i] < graph.size]
        weight = graph.weight[i][graph.beside[i] < graph.size]
        near = np.bincount(colour[beside], weight, minlength=graph.colours + 1)[: graph.colours]
        # Fewest alike first, then the colour of which most is left.
        rank = near * 10.0 - left / graph.size + rng.uniform(0, MIX_SEARCH.tie_break, graph.colours)
        rank[left <= 0] = np.inf
        colour[i] = int(np.argmin(rank))
        left[colour[i]] -= 1
    return colour


def _exchanged(
    *,
    graph: _Graph,
    colour: Ints,
    free: np.ndarray,
    rng: np.random.Generator,
    most: int,
    enough: float = 0.0,
    home: Ints | None = None,
) -> Ints:
    """Exchange colours of two free balloons until the cost is `enough`, or `most` exchanges are made.

    Of equally good exchanges one that brings a balloon back to its colour in `home` is taken.
    """
    colour = colour.copy()
    near = graph.near(colour)
    inside = colour < graph.colours
    cost = graph.cost(colour)
    best, best_colour = cost, colour.copy()
    tabu, improved = np.zeros(graph.size, dtype=int), 0
    movable = np.flatnonzero(free & inside)
    # Small mixes are searched through soon; large ones get the full number.
    stalled = min(MIX_SEARCH.stalled, MIX_SEARCH.stalled_each * len(movable))
    place = np.full(graph.size, -1)
    for exchange in range(1, most + 1):
        if best <= enough or len(movable) < 2 or exchange - improved > stalled:
            break
        # Only a balloon in conflict is worth moving; which of them is left to chance, so that none is tried for ever.
        own = near[movable, colour[movable]]
        worst = movable[own > 1e-9]
        if not len(worst):
            break
        u = int(worst[rng.integers(len(worst))])
        a = int(colour[u])
        others = movable[colour[movable] != a]
        if not len(others):
            break
        b = colour[others]
        change = near[u, b] - near[u, a] + near[others, a] - near[others, b]
        beside, weight = graph.neighbours(u)
        place[others] = np.arange(len(others))
        at = place[beside]
        # Two neighbours that exchange stay beside each other: their own contact was counted wrongly twice.
        change[at[at >= 0]] -= 2 * weight[at >= 0]
        place[others] = -1
        astray = 0.0 if home is None else MIX_SEARCH.home_bonus * ((home[others] != a) - 1.0 * (home[others] != b))
        # Aspiration (Glover 1989): a held balloon may move all the same where that gives the best mix so far.
        held = (tabu[others] > exchange) & (cost + change >= best - 1e-9)
        ranked = change + astray + np.where(held, 1e6, 0) + rng.uniform(0, MIX_SEARCH.tie_break / 2, len(others))
        v = int(others[np.argmin(ranked)])
        _recolour(graph, near, colour, u, int(colour[v]))
        _recolour(graph, near, colour, v, a)
        cost += float(change[np.argmin(ranked)])
        # A little chance in the length keeps the search from going round in a circle.
        tabu[u] = tabu[v] = exchange + MIX_SEARCH.tabu + int(rng.integers(0, 6))
        if cost < best - 1e-9:
            best, best_colour, improved = cost, colour.copy(), exchange
    return best_colour


def _recolour(graph: _Graph, near: Floats, colour: Ints, i: int, new: int) -> None:
    labels, weight = graph.neighbours(i)
    near[labels, colour[i]] -= weight
    near[labels, new] += weight
    colour[i] = new
