"""Parts of the window that can be judged alone: card layout, workers, themes, figures."""

from __future__ import annotations

import datetime as dt
import itertools
import threading

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtGui import QColor

from kakushi.desktop.document.background import Runner
from kakushi.desktop.frame.header import days_left
from kakushi.desktop.views.card_layout import place_cards
from kakushi.desktop.views.scale import Scale
from kakushi.desktop.widgets.theme import THEMES
from kakushi.model.errors import BadInput


@given(
    st.lists(st.floats(-200, 900), min_size=1, max_size=80),
    st.floats(120, 900),
    st.integers(0, 79),
)
def test_cards_stay_in_the_room_in_order_and_apart(wanted: list[float], room: float, focus: int) -> None:
    wanted = sorted(wanted, reverse=True)
    focus = min(focus, len(wanted) - 1)
    placed = place_cards(tuple(wanted), room, 24, 4, focus)
    assert placed[focus].full
    for lower, upper in itertools.pairwise(placed):
        assert lower.middle - lower.height / 2 >= upper.middle + upper.height / 2 - 1e-6
    assert placed[-1].middle - placed[-1].height / 2 >= -1e-6
    assert placed[0].middle + placed[0].height / 2 <= room + 1e-6


def test_cards_with_room_stand_exactly_at_their_rows() -> None:
    placed = place_cards((300.0, 200.0, 100.0), 400, 24, 4, 0)
    assert [card.middle for card in placed] == pytest.approx([299, 199, 99], abs=1.01)
    assert all(card.full for card in placed)


def test_newest_request_wins_and_stale_answers_are_dropped(qtbot) -> None:
    runner = Runner()
    answers: list[object] = []
    runner.finished.connect(answers.append)
    go = threading.Event()
    runner.submit(lambda _p, _c: go.wait(5) and "old")
    runner.submit(lambda _p, _c: "middle")
    runner.submit(lambda _p, _c: "new")
    go.set()
    qtbot.waitUntil(lambda: not runner.is_busy)
    runner.close()
    assert answers == ["new"]


def test_failures_are_told_and_cancelled_work_is_silent(qtbot) -> None:
    runner = Runner()
    told: list[str] = []
    runner.failed.connect(told.append)

    def refuse(_p: object, _c: object) -> None:
        raise BadInput("no such row")

    with qtbot.waitSignal(runner.failed):
        runner.submit(refuse)
    seen = threading.Event()

    def until_cancelled(_p, cancelled) -> str:
        while not cancelled():
            seen.set()
        return "too late"

    runner.finished.connect(told.append)
    runner.submit(until_cancelled)
    qtbot.waitUntil(seen.is_set)
    runner.close()
    assert told == ["no such row"]


def contrast(a: str, b: str) -> float:
    def light(text: str) -> float:
        colour = QColor(text)
        parts = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in colour.getRgbF()[:3]]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    high, low = sorted((light(a), light(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", THEMES.values(), ids=lambda t: t.name)
@pytest.mark.parametrize(
    ("ink", "ground"),
    [
        ("ink", "paper"), ("ink", "panel"), ("ink", "field"), ("ink", "accent_soft"), ("quiet", "paper"),
        ("quiet", "panel"), ("quiet", "field"), ("quiet", "accent_soft"), ("on_accent", "accent"), ("accent", "paper"),
        ("warning", "panel"), ("ink", "warning_soft"),
    ],
)  # fmt: skip
def test_text_keeps_its_contrast(theme, ink: str, ground: str) -> None:
    assert contrast(getattr(theme, ink), getattr(theme, ground)) >= 4.5


def test_scale_zooms_around_a_point_and_fits_again() -> None:
    scale = Scale()
    scale.resize(400, 600)
    scale.show(600, 2100)
    assert 0 < scale.y(2100) < scale.y(0) < 600
    kept = scale.z(200)
    scale.zoom(2, 200)
    assert scale.z(200) == pytest.approx(kept)
    scale.pan(30)
    assert scale.y(kept) == pytest.approx(230)
    scale.fit()
    assert scale.y(0) == pytest.approx(600 - 26)


@pytest.mark.parametrize(
    ("days", "words"), [(0, "today"), (1, "tomorrow"), (9, "9 days left"), (-1, "1 day ago"), (-3, "3 days ago")]
)
def test_days_left_in_words(days: int, words: str) -> None:
    today = dt.date(2027, 6, 1)
    assert days_left(today + dt.timedelta(days=days), today) == words
    assert days_left(None, today) == ""
