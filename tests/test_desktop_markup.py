"""Mark-up in the names of a job is shown as it is: it loads nothing, hides nothing and freezes nothing."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QApplication, QLabel, QToolTip, QWidget

from kakushi.desktop.stages.registry import STAGES
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.job import Job
from kakushi.model.values import replace

MARK_UP = '<img src="/dev/zero"><b>&amp;'


def with_markup(job: Job) -> Job:
    """The job with mark-up in every name of the job, its pieces, copies, parts and colours."""

    def changed(value):
        names = [name for name in ("name", "label", "title", "client") if name in type(value).model_fields]
        return replace(value, **{name: MARK_UP for name in names if getattr(value, name)})

    pieces = tuple(
        replace(
            changed(piece),
            name=f"{MARK_UP} {piece.key}",
            parts=tuple(changed(part) if part.kind != "foil shape" else part for part in piece.parts),
            copies=tuple(changed(copy) for copy in piece.copies),
        )
        for piece in job.pieces
    )
    palette = tuple(replace(colour, name=f"{MARK_UP} {number}") for number, colour in enumerate(job.palette))
    return replace(job, brief=changed(job.brief), pieces=pieces, palette=palette)


@pytest.fixture
def marked_up(window, packed):
    job = load_job(demo_job_path())
    window.document.open_job(with_markup(replace(job, pieces=job.pieces[:4])), None)
    packed(window)
    return window


def labels(window: QWidget) -> list[QLabel]:
    return [label for top in QApplication.topLevelWidgets() for label in top.findChildren(QLabel)]


def test_no_label_of_any_stage_takes_text_for_markup(marked_up, packed) -> None:
    marked_up.document.refused.emit(MARK_UP)
    seen = 0
    for stage in STAGES:
        marked_up.show_stage(stage.name)
        QApplication.processEvents()
        for label in labels(marked_up):
            rich = label.textFormat() != Qt.TextFormat.PlainText and "<" in label.text()
            assert not rich, (stage.name, label.text())
            seen += MARK_UP in label.text()
    assert seen > len(STAGES), "names are on the screen, as they are"


def test_tooltips_show_markup_as_it_is(marked_up) -> None:
    widget = marked_up.findChild(QLabel)
    widget.setToolTip(MARK_UP)
    at = QPoint(3, 3)
    QApplication.sendEvent(widget, QHelpEvent(QEvent.Type.ToolTip, at, widget.mapToGlobal(at)))
    assert "&lt;img" in QToolTip.text()
    widget.setToolTip("plain words")
    QApplication.sendEvent(widget, QHelpEvent(QEvent.Type.ToolTip, at, widget.mapToGlobal(at)))
    assert QToolTip.text() == "plain words"
    QToolTip.hideText()
