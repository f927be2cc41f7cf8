"""The Brief in the real window: the whole job on one floor, and the days before, pinned by dragging and by keys."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from itertools import combinations, pairwise
from pathlib import Path

import pytest
from PIL import Image
from pypdf import PdfReader
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from driving import choose, part, press, put_number, type_into, words
from kakushi.model.workshop import Sign
from kakushi.session import edits
from kakushi.words.wording import day_words


@pytest.fixture
def brief(demo, packed, qtbot):
    """The demo in the Brief, its days worked out."""
    demo.show_stage("brief")
    packed(demo)
    qtbot.waitUntil(lambda: demo.document.scheduler.schedule is not None, timeout=20_000)
    return demo


def page_of(window):
    return window.stage("brief").page


def starts(window) -> dict[str, dt.datetime]:
    return {placed.task.key: placed.start for placed in window.document.scheduler.schedule.tasks}


def test_all_copies_stand_on_one_floor(brief, qtbot) -> None:
    scene = page_of(brief).scene
    qtbot.waitUntil(lambda: scene._drawing.picture is not None, timeout=20_000)
    shown = scene._drawing.picture
    assert len(shown) == sum(len(piece.copies) for piece in brief.document.job.pieces)
    assert all(a.left + a.wide < b.left + 1 for (a, _), (b, _) in pairwise(shown)), "side by side"


def test_the_list_goes_by_day_and_its_numbers_are_the_strip_s(brief) -> None:
    tasks, listed = brief.document.scheduler.schedule.tasks, part(brief, "Tasks until it must stand")
    lines = [listed.item(row).text() for row in range(listed.count())]
    days = dict.fromkeys(day_words(placed.start.date()) for placed in tasks)
    heads = [line for line in lines if not line[0].isdigit()]
    assert list(dict.fromkeys(head.split(",")[0] for head in heads)) == list(days)
    assert all("person" in head or "nobody" in head for head in heads) == (brief.document.job.days.people > 1)
    numbers = [int(line.split()[0]) for line in lines if line not in heads]
    assert sorted(numbers) == list(range(1, len(tasks) + 1))
    assert all(not listed.item(row).icon().isNull() for row, line in enumerate(lines) if line not in heads)
    listed.setCurrentRow(2)
    assert page_of(brief).strip.selected == tasks[numbers[1] - 1].task.key
    page_of(brief).strip.select(tasks[-1].task.key)
    assert listed.currentItem().text().startswith(f"{len(tasks)}  ")
    # What one person does, and what waits, never lies on top of another.
    strip = page_of(brief).strip
    boxes = [strip._box(placed, strip._axis(brief.document.scheduler.schedule)) for placed in tasks]
    assert not any((a & b).width() > 1.5 and (a & b).height() > 1.5 for a, b in combinations(boxes, 2))


def test_a_task_is_dragged_moved_by_keys_and_let_go(brief, packed, qtbot) -> None:
    strip, document = page_of(brief).strip, brief.document
    schedule = document.scheduler.schedule
    box = strip._box(schedule.tasks[0], strip._axis(schedule))
    at = box.center().toPoint()
    assert strip.task_at(box.center()).task.key == schedule.tasks[0].task.key
    before = starts(brief)[schedule.tasks[0].task.key]
    QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(strip, at - QPoint(60, 0))
    QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=at - QPoint(60, 0))
    (pin,) = document.job.days.pins
    assert pin.task == schedule.tasks[0].task.key
    assert pin.start < before
    packed(brief)
    qtbot.waitUntil(lambda: starts(brief)[pin.task] == pin.start, timeout=20_000)
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert document.job.days.pins[0].start == pin.start + dt.timedelta(minutes=15)
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    assert document.job.days.pins == ()
    document.undo()
    assert len(document.job.days.pins) == 1


def test_what_does_not_fit_is_told_and_more_people_help(brief, packed, qtbot, tmp_path) -> None:
    panel, document = brief.stage("brief").panel, brief.document
    put_number(part(panel, "Hours balloons may wait"), 20)
    packed(brief)
    qtbot.waitUntil(lambda: "shrink" in words(page_of(brief)), timeout=20_000)
    put_number(part(panel, "People who work"), 4)
    choose(part(panel, "Built"), "on site")
    assert (document.job.days.people, document.job.days.builds) == (4, "on site")
    packed(brief)
    qtbot.waitUntil(lambda: any(p.people == (4,) for p in document.scheduler.schedule.tasks), timeout=20_000)
    brief.exports._ask_export = lambda *_: tmp_path / "days.ics"
    press(panel, "Save the days as a calendar…")
    assert (tmp_path / "days.ics").read_bytes().startswith(b"BEGIN:VCALENDAR")
    put_number(part(panel, "Work ends"), 5)
    assert document.job.days.to_hour == 19, "a day that ends before it begins is refused"


def test_the_client_gets_the_sizes_side_by_side_as_pdf_and_as_picture(window, packed, planned, qtbot, tmp_path) -> None:
    document, exports = window.document, window.exports
    window.add_piece()
    planned(window)
    document.chooser.choose_rows()
    qtbot.waitUntil(lambda: document.is_planned and bool(document.piece.rows), timeout=20_000)
    document.studio_keeper.change(sign=Sign(name="Harbour Balloons", contact="the old customs house"))
    packed(window)

    def written(export: Callable[[], None], name: str) -> Path:
        exports._ask_export = lambda *_: tmp_path / name
        export()
        return tmp_path / name

    def text_of(path: Path) -> str:
        return "\n".join(page.extract_text() for page in PdfReader(path).pages)

    alone = text_of(written(exports.export_quote, "alone.pdf"))
    assert "Harbour Balloons" in alone
    assert "other sizes" not in alone
    window.show_stage("brief")
    with qtbot.waitSignal(document.scheduler.offered, timeout=60_000):
        press(window.stage("brief").panel, "Small, as planned and large, with prices")
    offers = document.scheduler.offers
    sized = text_of(written(exports.export_quote, "sized.pdf"))
    assert "The same in other sizes" in sized
    assert all(f"{offer.price:.2f}" in sized for offer in offers)
    picture = Image.open(written(exports.export_quote_picture, "quote.png"))
    assert picture.height > 1.3 * picture.width > 1000
    assert len(picture.convert("RGB").resize((60, 80)).getcolors(5000)) > 50
    # Of another job other sizes: what was worked out before is not shown.
    document.apply(edits.set_piece(document.piece.key, "Change height", target_height_mm=1500.0))
    packed(window)
    assert document.scheduler.offers == []


def test_a_job_without_a_date_says_what_it_needs(window, packed, planned, qtbot) -> None:
    window.add_piece()
    planned(window)
    window.show_stage("brief")
    packed(window)
    qtbot.waitUntil(lambda: "no date" in window.document.scheduler.reason, timeout=20_000)


def test_what_is_set_seldom_is_folded_away_unless_it_is_set(brief) -> None:
    panel = brief.stage("brief").panel
    driving, loading = part(panel, "Minutes of driving"), part(panel, "Minutes of loading")
    assert not driving.isVisible()
    press(panel, "More…")
    assert driving.isVisible()
    type_into(driving, "90")
    assert brief.document.job.days.drive_minutes == 90
    press(panel, "Fewer")
    assert driving.isVisible(), "what was set stays in sight"
    assert not loading.isVisible()
    brief.document.undo()
    assert not driving.isVisible()
