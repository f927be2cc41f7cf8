"""The first ten minutes: from nothing to paper, every press and every typed field counted."""

from __future__ import annotations

from pathlib import Path

from PIL import Image, ImageDraw
from pypdf import PdfReader
from PyQt6.QtCore import Qt

from driving import choose, part, press, type_into
from kakushi.desktop.dialogs.import_outline import ImportOutlineDialog
from kakushi.desktop.dialogs.printing import PrintDialog

Key, Mod = Qt.Key, Qt.KeyboardModifier


class Hands:
    """Acts of somebody who knows what they want, counted."""

    def __init__(self, window, qtbot) -> None:
        self.window, self.qtbot, self.count = window, qtbot, 0

    def press(self, name: str, root=None) -> None:
        self.count += 1
        press(root or self.window, name)

    def type(self, name: str, text: str) -> None:
        self.count += 1
        type_into(part(self.window, name), text)

    def choose(self, name: str, what: str) -> None:
        self.count += 1
        choose(part(self.window, name), what)

    def stage(self, name: str) -> None:
        self.count += 1
        self.window.show_stage(name)

    def fit(self) -> None:
        """F5."""
        self.count += 1
        document = self.window.document
        with self.qtbot.waitSignal(document.chooser.running, timeout=30_000, check_params_cb=lambda on: not on):
            document.chooser.choose_rows()
        self.qtbot.waitUntil(lambda: document.is_planned, timeout=30_000)

    def lay(self, kind: str) -> None:
        """Open the menu of layers, and choose."""
        self.count += 2
        self.window.stage("colour").panel.layers.add_layer(kind)

    def printed(self, target: Path, monkeypatch) -> str:
        """Ctrl+P, save, and the file's name."""
        self.count += 3
        monkeypatch.setattr(self.window.exports, "_ask_export", lambda *_: target)
        self.window.exports.ask_print()
        dialog = self.window.findChild(PrintDialog)
        self.qtbot.waitUntil(lambda: dialog.main.isEnabled() and dialog.pages.count() > 0, timeout=60_000)
        press(dialog, "Save as PDF…")
        return "\n".join(page.extract_text() for page in PdfReader(target).pages)


def test_a_spiral_column_with_a_topper_is_on_paper_in_twelve_acts(
    window, planned, qtbot, monkeypatch, tmp_path
) -> None:
    hands, document = Hands(window, qtbot), window.document
    hands.press("A straight column")
    hands.type("height", "2 m")
    hands.fit()
    hands.stage("colour")
    hands.lay("spiral")
    planned(window)
    assert len(set(document.piece_plan.balloon_colours())) == 2
    hands.stage("dress")
    hands.choose("Kind of part to add", "topper")
    hands.press("Add", window.stage("dress").panel.parts)
    planned(window)
    said = hands.printed(tmp_path / "sheet.pdf", monkeypatch)
    assert document.piece_plan.overall_height_mm > document.piece_plan.height_mm > 1900
    assert document.piece.name in said
    assert "How every row goes on" in said
    assert hands.count <= 12, hands.count


def test_a_tapered_piece_from_a_picture_is_on_paper_in_fifteen_acts(
    window, planned, qtbot, monkeypatch, tmp_path
) -> None:
    picture = tmp_path / "cone.png"
    drawn = Image.new("RGB", (300, 600), "white")
    ImageDraw.Draw(drawn).polygon([(60, 590), (240, 590), (180, 10), (120, 10)], fill="black")
    drawn.save(picture)
    hands, document = Hands(window, qtbot), window.document
    monkeypatch.setattr(window.files.imports, "ask_outline", lambda: picture)
    # The file, and “Use this outline”.
    monkeypatch.setattr(ImportOutlineDialog, "exec", lambda self: self._on_use() or self.result())
    hands.count += 2
    hands.press("From a picture")
    hands.type("height", "180 cm")
    hands.fit()
    rows = document.piece.rows
    assert rows[0].diameter_mm > 1.3 * rows[-1].diameter_mm
    hands.stage("colour")
    hands.lay("bands")
    planned(window)
    said = hands.printed(tmp_path / "sheet.pdf", monkeypatch)
    assert "Build sheets" not in said.splitlines()[0]
    assert f"row {len(rows)}" in said.casefold() or str(len(rows)) in said
    assert hands.count <= 15, hands.count
