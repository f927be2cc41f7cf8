"""Somebody clicks, types and undoes without sense, over every stage and dialog; nothing breaks and nothing is lost.

`--attack` does 5,000 things instead of 45. Qt's warnings, and threads, timers and windows left behind, fail any test.
"""

from __future__ import annotations

import json
import random
import resource
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PIL import Image
from PyQt6.QtCore import QObject, QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QTabBar,
    QWidget,
)

from kakushi.desktop.document.worker_process import WorkerProcess
from kakushi.formats.export.plan_json import plan_json
from kakushi.formats.store.job_file import load_job, save_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.values import replace
from kakushi.session.session import HISTORY_LIMIT
from kakushi.workshop.dossier import Dossier

_TEXTS = (
    "",
    "0",
    "-3",
    "1",
    "12.5",
    "250 cm",
    "8 1/2 in",
    "99999999",
    "Lighthouse",
    "“quay”",
    "שלום",
    "=1+1",
    "e" * 300,
)
_KEYS = (
    Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Plus, Qt.Key.Key_Minus,
    Qt.Key.Key_Delete, Qt.Key.Key_Insert, Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab,
    Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_PageUp, Qt.Key.Key_F, Qt.Key.Key_P, Qt.Key.Key_3,
)  # fmt: skip
_MODIFIERS = (
    *[Qt.KeyboardModifier.NoModifier] * 4,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
)
_LEFT = Qt.MouseButton.LeftButton
_NOT_PRESSED = ("quit", "close window", "exit")
_STAGES = ("brief", "shape", "colour", "dress", "stand", "supplies", "prep", "build", "check", "log")


class _Closer(QObject):
    """Closes whatever waits for an answer after a moment: menus, boxes, dialogs that stop everything else."""

    def __init__(self) -> None:
        super().__init__()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._close)
        self._timer.start(40)

    def _close(self) -> None:
        if (popup := QApplication.activePopupWidget()) is not None:
            popup.close()
        elif isinstance(box := QApplication.activeModalWidget(), QDialog):
            box.reject()

    def stop(self) -> None:
        self._timer.stop()


class _User:
    """Does things at random in the window, and in dialogs that are open."""

    def __init__(self, window: QWidget, rng: random.Random, photo: Path) -> None:
        self._window, self._rng, self._photo = window, rng, photo
        self.did: list[str] = []

    def act(self) -> None:
        rng, window = self._rng, self._window
        match rng.randrange(15):
            case 12:
                self._say("photograph")
                window.document.checker.open(self._photo)
            case 13:
                self._build()
            case 14:
                self._say("shelf of recipes")
                window.studio.recipes()
            case 0:
                self._say(f"stage {(stage := rng.choice(_STAGES))}")
                window.show_stage(stage)
            case 1:
                self._say("undo")
                window.document.undo()
            case 2:
                self._say("redo")
                window.document.redo()
            case 3:
                self._select()
            case 4:
                self._command()
            case 5:
                self._key()
            case _:
                self._touch()
        if rng.random() < 0.3:
            QTest.qWait(rng.choice((1, 5, 30)))

    def _build(self) -> None:
        """Something happens while it is built."""
        builder = self._window.document.builder
        what = self._rng.choice((builder.done, builder.back, builder.later, lambda: builder.note("windy")))
        self._say("build")
        if builder.is_ready and builder.copies:
            what()

    def _say(self, words: str) -> None:
        self.did.append(words)

    def _select(self) -> None:
        pieces = self._window.document.job.pieces
        if pieces:
            piece = self._rng.choice(pieces)
            self._say(f"select {piece.key}")
            self._window.document.selection.select_piece(piece.key)
            self._window.document.selection.select_row_at(self._rng.randrange(12))

    def _command(self) -> None:
        """One of the commands of the menus."""
        menus = self._window.menuBar().findChildren(QMenu)
        actions = [a for menu in menus for a in menu.actions() if a.isEnabled() and not a.menu() and a.text()]
        action = self._rng.choice(actions)
        if not any(word in action.text().lower() for word in _NOT_PRESSED):
            self._say(f"menu {action.text()}")
            action.trigger()

    def _key(self) -> None:
        target = QApplication.focusWidget() or self._window
        key, modifier = self._rng.choice(_KEYS), self._rng.choice(_MODIFIERS)
        self._say(f"key {key.name} on {type(target).__name__}")
        QTest.keyClick(target, key, modifier)

    def _touch(self) -> None:
        """A part that is seen, of the window or of a dialog over it."""
        dialogs = [d for d in self._window.findChildren(QDialog) if d.isVisible()]
        root = self._rng.choice([self._window, *dialogs * 3])
        kinds = (
            QAbstractButton, QComboBox, QAbstractSpinBox, QLineEdit, QAbstractSlider, QPlainTextEdit, QTabBar,
            QAbstractItemView, QWidget,
        )  # fmt: skip
        kind = self._rng.choice(kinds)
        parts = [w for w in root.findChildren(kind) if w.isVisible() and w.isEnabled() and w.width() > 4]
        if not parts:
            return
        part = self._rng.choice(parts)
        name = part.accessibleName() or (part.text() if isinstance(part, QAbstractButton) else "")
        self._say(f"{type(part).__name__} “{name}”"[:80])
        self._use(part)

    def _use(self, part: QWidget) -> None:
        rng = self._rng
        match part:
            case QAbstractButton():
                QTest.mouseClick(part, _LEFT)
            case QComboBox() if part.count():
                part.setCurrentIndex(rng.randrange(part.count()))
                part.activated.emit(part.currentIndex())
            case QAbstractSpinBox() | QLineEdit():
                part.selectAll()
                self._type(part)
                QTest.keyClick(part, rng.choice((Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Escape, Qt.Key.Key_Up)))
            case QAbstractSlider():
                part.setValue(rng.randint(part.minimum(), part.maximum()))
            case QPlainTextEdit():
                self._type(part)
            case _:
                start = self._spot(part)
                QTest.mousePress(part, _LEFT, pos=start)
                if rng.random() < 0.5:
                    QTest.mouseMove(part, self._spot(part))
                QTest.mouseRelease(part, _LEFT, pos=self._spot(part) if rng.random() < 0.5 else start)

    def _type(self, part: QWidget) -> None:
        text, clipboard = self._rng.choice(_TEXTS), QApplication.clipboard()
        if text.isascii() or clipboard is None:
            QTest.keyClicks(part, text)
        else:
            clipboard.setText(text)
            QTest.keyClick(part, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)

    def _spot(self, part: QWidget) -> QPoint:
        return QPoint(self._rng.randrange(part.width()), self._rng.randrange(max(part.height(), 1)))


def _no_files_asked_for(window: QWidget, folder: Path) -> None:
    """Whoever asks for a file gets one that is written into a folder of the test, or none to read."""
    files = window.files
    files.ask_save = lambda _title, name, *_: folder / Path(name).name
    for ask in ("ask_open", "ask_outline", "ask_motif"):
        if hasattr(files, ask):
            setattr(files, ask, lambda *_: None)
    files.ask_unsaved = lambda: "cancel"
    files.ask_changed = lambda *_: "copy"


@pytest.mark.parametrize("seed", [1, 2])
def test_a_senseless_user_breaks_nothing(
    make_window, planned, qtbot, tmp_path: Path, attack: bool, seed: int, capsys: pytest.CaptureFixture[str]
) -> None:
    demo = make_window(WorkerProcess() if attack else None)
    job = load_job(demo_job_path())
    demo.document.open_job(replace(job, pieces=job.pieces[:4]), None)
    planned(demo)
    _no_files_asked_for(demo, tmp_path)
    photo = tmp_path / "photograph.jpg"
    Image.effect_noise((300, 400), 60).convert("RGB").save(photo)
    closer, user, gaps = _Closer(), _User(demo, random.Random(seed), photo), _Gaps()
    early = 0.0
    document = demo.document
    opened, open_job = [document.job], document.open_job
    # New jobs and the demo are opened on the way, where nothing is unsaved.
    document.open_job = lambda job, *more, **how: (opened.append(job), open_job(job, *more, **how))[1]
    try:
        for number in range(5000 if attack else 45):
            user.act()
            gaps.say(user.did[-1])
            if attack:
                # As events come from a hand: one after the other, and the window sees to each.
                QTest.qWait(1)
            if number == 1000:
                early = _resident_mb()
    finally:
        closer.stop()
        gaps.stop()
        (tmp_path / "did.txt").write_text("\n".join(user.did), encoding="utf-8")
    for dialog in demo.findChildren(QDialog):
        dialog.close()
    document.chooser.stop_choosing()
    last = document.job
    undone = [last]
    while document.session.undo_name:
        document.undo()
        undone.append(document.job)
    assert undone[-1] == opened[-1] or len(undone) > HISTORY_LIMIT, "undo goes back to the job that was opened"
    for job in reversed(undone[:-1]):
        document.redo()
        assert document.job == job
    assert document.job == last
    qtbot.waitUntil(lambda: document.is_planned, timeout=60_000)
    assert _as_told(document.plan) == _planned_elsewhere(last, document.studio, tmp_path)
    if attack:
        with capsys.disabled():
            print(f"\n{len(user.did)} things done; {early:.0f} MB after 1,000, {_resident_mb():.0f} MB at the end")
            print("longest gaps:", ", ".join(f"{gap * 1000:.0f} ms ({did})" for gap, did in gaps.longest()))


def _resident_mb() -> float:
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 2**20


class _Gaps(QTimer):
    """The times the event loop did not come round, and what was done last before."""

    def __init__(self) -> None:
        super().__init__()
        self._last, self._did = time.monotonic(), ""
        self._gaps: list[tuple[float, str]] = []
        self.timeout.connect(self._tick)
        self.start(5)

    def say(self, did: str) -> None:
        self._did = did

    def _tick(self) -> None:
        now = time.monotonic()
        self._gaps.append((now - self._last, self._did))
        self._last = now

    def longest(self) -> list[tuple[float, str]]:
        return sorted(self._gaps, reverse=True)[:12]


def _as_told(found: object) -> object:
    return json.loads(json.dumps(plan_json(Dossier(found)), default=str))


def _planned_elsewhere(job: object, studio: object, folder: Path) -> object:
    """The same from a program that remembers nothing."""
    path, kept = folder / "last.kakushi", folder / "studio.json"
    save_job(job, path)
    kept.write_text(studio.model_dump_json(), encoding="utf-8")
    script = (
        "import json, sys; from pathlib import Path; from kakushi.formats.store.job_file import load_job;"
        "from kakushi.formats.export.plan_json import plan_json; from kakushi.model.catalogue import Studio;"
        "from kakushi.plan.pipeline import plan; from kakushi.workshop.dossier import Dossier;"
        "studio = Studio.model_validate_json(Path(sys.argv[2]).read_text());"
        "print(json.dumps(plan_json(Dossier(plan(load_job(Path(sys.argv[1])), studio))), default=str))"
    )
    done = subprocess.run([sys.executable, "-c", script, path, kept], capture_output=True, text=True, check=False)
    assert not done.returncode, done.stderr
    return json.loads(done.stdout)
