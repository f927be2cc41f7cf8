"""The palette of the job: names, codes, finishes, double-stuffed colours, files, and who can tell them apart."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSignalBlocker, QSize
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QColorDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kakushi.colour.lab import DEFICITS, hardly_apart, mixed_look, seen_with
from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices, ColourChooser, Combo, nominal_choices
from kakushi.desktop.forms.typed import QuantityField
from kakushi.desktop.widgets.balloon_icon import SIDE, balloon_icon
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.desktop.widgets.waiting import waited_for
from kakushi.formats.read.motif_picture import palette_of, read_picture
from kakushi.formats.read.palette_gpl import named_colours, palette_gpl, read_gpl
from kakushi.formats.store.atomic import write_atomically
from kakushi.model.catalogue import BalloonColour, Finish
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.quantities import SHARE
from kakushi.model.values import replace
from kakushi.session import colour_edits, edits

_NEW_HEX = "#888888"
_FROM_PICTURE = 6
"""Colours taken from a picture."""
_NAMED = 4
"""Colours named one by one in a sentence."""


class PaletteDialog(Dialog):
    """Edits apply at once and can be undone in the window.

    `place_to_write` asks for a file by title, name, kind and suffix.
    """

    def __init__(
        self,
        document: Document,
        place_to_write: Callable[[str, str, str, str], Path | None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__("Palette of the job", parent)
        self._document, self._place_to_write = document, place_to_write
        self.list = QListWidget()
        self.list.setIconSize(QSize(SIDE, SIDE))
        self.list.setAccessibleName("Palette")
        self.list.setMinimumSize(250, 330)
        self.name, self.code, self._finish = QLineEdit(), QLineEdit(), Combo()
        self.insert = QLineEdit()
        self.insert.setPlaceholderText("nothing")
        self.insert.setToolTip("Put into each before it is inflated, like a leaf in a clear balloon")
        self._finish.addItems([finish.value for finish in Finish])
        self._hex = tip_button("", "Choose how the colour looks on the screen")
        self._hex.setAccessibleName("Look of the colour")
        self._seen = Combo()
        self._seen.setAccessibleName("Seen by")
        self._seen.addItems(["everybody", *DEFICITS])
        self._outer, self._inner = ColourChooser("Outer balloon"), ColourChooser("Inner balloon")
        self.inner_nominal = Choices("Size of the inner balloon")
        self.inner_share = QuantityField(document, SHARE, "Width of the inner balloon", 0.2, 1.0)
        self._alike = quiet()
        self._build()
        document.job_changed.connect(self._show)
        self._show()
        self.open_at(640, 640)

    def _build(self) -> None:
        fields = form()
        named = (("Name", self.name), ("Code", self.code), ("Finish", self._finish), ("Look", self._hex))
        for label, field in (*named, ("Inside", self.insert)):
            field.setAccessibleName(f"{label} of the colour")
            fields.addRow(label, field)
        self.inner_nominal.setToolTip("Nominal size of the balloon inside")
        self.inner_share.setToolTip("How wide the balloon inside is, beside the outer one")
        fields.addRow("Inner size", self.inner_nominal)
        fields.addRow("Inner width", self.inner_share)
        self._fields = fields
        self.inner_nominal.chosen.connect(lambda size: self.change(inner_nominal_in=size))
        self.inner_share.entered.connect(lambda share: self.change(inner_share=share))
        self.inner_share.problem.connect(self.say)
        self.name.editingFinished.connect(self._rename)
        self.code.editingFinished.connect(self._recode)
        self.insert.editingFinished.connect(self._put_in)
        self._finish.activated.connect(lambda _: self.change(finish=Finish(self._finish.currentText())))
        self._hex.clicked.connect(self._pick)
        self.list.currentRowChanged.connect(lambda _: self._show_colour())
        right = QVBoxLayout()
        right.addLayout(fields)
        right.addLayout(self._buttons_grid())
        right.addWidget(quiet("Double-stuffed: one balloon inside another, two used, one seen."))
        stuffed = QHBoxLayout()
        add = tip_button("Add", "Adds it")
        add.clicked.connect(lambda _: self.add_stuffed(self._chosen[0], self._chosen[1]))
        self._chosen = [c.key for c in (*self._document.job.palette, *self._document.job.palette)[:2]]
        for place, chooser in enumerate((self._outer, self._inner)):
            chooser.chosen.connect(lambda key, p=place: self._choose(p, key))
            stuffed.addWidget(chooser, 1)
        stuffed.addWidget(add)
        right.addLayout(stuffed)
        right.addWidget(self._alike)
        right.addStretch(1)
        left = QVBoxLayout()
        seen = form()
        seen.addRow("As seen by", self._seen)
        self._seen.activated.connect(lambda _: self._show())
        left.addLayout(seen)
        left.addWidget(self.list, 1)
        line = QHBoxLayout()
        line.setSpacing(16)
        line.addLayout(left)
        line.addLayout(right, 1)
        self.column.addLayout(line)
        self.add_close()

    def _buttons_grid(self) -> QGridLayout:
        grid = QGridLayout()
        for index, (words, run, tip) in enumerate(
            (
                ("Add a colour", self.add, "A new colour of the job"),
                ("Remove it", self._remove, "Takes the chosen colour out"),
                ("From a picture…", self._from_picture, "Reads the look from a PNG or JPEG"),
                ("From a GIMP palette…", self._import, "Adds the colours of a .gpl file"),
                ("Save as a GIMP palette…", self._export, "Writes the colours to a .gpl file"),
                ("Keep as the studio's palette", self._keep_palette, "New jobs begin with these colours"),
                ("Take the studio's palette", self._take_palette, "Adds the studio's colours to this job"),
            )
        ):
            button = tip_button(words, tip)
            button.clicked.connect(lambda _checked, r=run: r())
            grid.addWidget(button, index // 2, index % 2)
        return grid

    # --- showing -----------------------------------------------------------------------------

    @property
    def current(self) -> BalloonColour:
        """The chosen colour."""
        palette = self._document.job.palette
        return palette[min(max(self.list.currentRow(), 0), len(palette) - 1)]

    def _show(self) -> None:
        palette = self._document.job.palette
        deficit = self._seen.currentText() if self._seen.currentIndex() else ""
        looks = {c.key: seen_with(deficit, c.hex) if deficit else c.hex for c in palette}
        with QSignalBlocker(self.list):
            row = self.list.currentRow()
            self.list.clear()
            for colour in palette:
                seen = replace(colour, hex=seen_with(deficit, colour.hex)) if deficit else colour
                icon = balloon_icon(seen, self.devicePixelRatioF(), looks.get(colour.outer or ""))
                self.list.addItem(QListWidgetItem(icon, f"{colour.name} ({colour.code})"))
            self.list.setCurrentRow(min(max(row, 0), len(palette) - 1))
        for place, chooser in enumerate((self._outer, self._inner)):
            if self._chosen[place] not in {c.key for c in palette}:
                self._chosen[place] = palette[0].key
            chooser.show_colours(palette, self._chosen[place])
        names = {c.key: c.name for c in palette}
        alike = hardly_apart(palette)
        lines = [
            f"{names[a.one].capitalize()} and {names[a.other]} are hard to tell apart"
            + (f" for the {a.to}." if a.to else ".")
            for a in alike[:_NAMED]
        ]
        more = f" And {len(alike) - _NAMED} more pairs." if len(alike) > _NAMED else ""
        self._alike.setText("\n".join(lines) + more if lines else "All colours can be told apart by everybody.")
        self._show_colour()

    def _show_colour(self) -> None:
        colour = self.current
        with QSignalBlocker(self.name), QSignalBlocker(self.code), QSignalBlocker(self.insert):
            self.insert.setText(colour.insert)
            self.name.setText(colour.name)
            self.code.setText(colour.code)
        for field in (self.inner_nominal, self.inner_share):
            self._fields.setRowVisible(field, colour.is_stuffed)
        nominals = self._document.studio.nominals
        self.inner_nominal.list_choices([("as the outer one", None), *nominal_choices(nominals)])
        self.inner_nominal.set_value(colour.inner_nominal_in)
        self.inner_share.set_value(colour.inner_share)
        self._finish.setCurrentText(colour.finish.value)
        self._hex.setText(f"{colour.hex}  Pick…")

    # --- edits ----------------------------------------------------------------------------------

    def change(self, **changes: object) -> None:
        """Change the chosen colour; problems are shown."""
        old, palette = self.current, self._document.job.palette
        try:
            new = edits.validated(old, "colour", **changes)
            if new.code in {c.code for c in palette if c.key != old.key}:
                raise BadInput(f"The code {new.code} already stands for another colour.", "code")
        except BadInput as error:
            self._show_colour()
            self.say(self._document.said(error))
            return
        self.say("")
        self._document.apply(edits.set_palette([new if c.key == old.key else c for c in palette], "Change colour"))

    def _rename(self) -> None:
        name = self.name.text().strip()
        if name and name != self.current.name:
            self.change(name=name[:60])

    def _recode(self) -> None:
        code = self.code.text().strip()[:4]
        if code != self.current.code:
            self.change(code=code)

    def _put_in(self) -> None:
        insert = self.insert.text().strip()[:60]
        if insert != self.current.insert:
            self.change(insert=insert)

    def _pick(self) -> None:
        picked = QColorDialog.getColor(QColor(self.current.hex), self, "Colour of the balloon")
        if picked.isValid():
            self.change(hex=picked.name())

    def add(self) -> None:
        """Add a grey colour to be named and coloured."""
        numbers = len(self._document.job.palette) + 1
        self._append([(f"new colour {numbers}", _NEW_HEX)])
        self.name.setFocus()
        self.name.selectAll()

    def _append(self, named: list[tuple[str, str]]) -> None:
        palette = self._document.job.palette
        if self._document.apply(edits.set_palette((*palette, *named_colours(named, palette)), "Add colours")):
            self.list.setCurrentRow(len(palette))

    def _choose(self, place: int, key: str) -> None:
        self._chosen[place] = key

    def add_stuffed(self, outer: str, inner: str) -> None:
        """Add a double-stuffed colour of two others."""
        job = self._document.job
        one, two = job.colour(outer), job.colour(inner)
        if outer == inner or one.outer or two.outer:
            self.say("A double-stuffed colour takes two different plain ones.")
            return
        self.say("")
        made = named_colours([(f"{one.name} over {two.name}"[:60], mixed_look(one.hex, two.hex))], job.palette)[0]
        stuffed = replace(made, outer=outer, inner=inner, finish=one.finish)
        if self._document.apply(edits.set_palette((*job.palette, stuffed), "Add double-stuffed colour")):
            self.list.setCurrentRow(len(job.palette))

    def _remove(self) -> None:
        try:
            colour_edits.remove_colour(self.current.key).change(self._document.job)
        except BadInput as error:
            self.say(self._document.said(error))
            return
        self.say("")
        self._document.apply(colour_edits.remove_colour(self.current.key))

    # --- files -------------------------------------------------------------------------------------

    def ask_file(self, title: str, kinds: str) -> Path | None:
        """Ask for a file to read."""
        text, _ = QFileDialog.getOpenFileName(self, title, str(Path.home()), kinds)
        return Path(text) if text else None

    def _from_picture(self) -> None:
        if path := self.ask_file("Palette from a picture", "Pictures (*.png *.jpg *.jpeg *.svg)"):
            self.take_picture(path)

    def take_picture(self, path: Path) -> None:
        """Add the main colours of a picture."""
        try:
            reading = f"Reading “{path.name}”…"
            named = waited_for(lambda _: palette_of(read_picture(path), _FROM_PICTURE, path.name), reading, self)
        except KakushiError as error:
            self.say(self._document.said(error))
            return
        if named is None:
            return
        self.say("")
        self._append([(f"{path.stem[:40]} {i}", colour) for i, colour in enumerate(named, 1)])

    def _import(self) -> None:
        if path := self.ask_file("Colours from a GIMP palette", "GIMP palettes (*.gpl);;All files (*)"):
            self.take_gpl(path)

    def take_gpl(self, path: Path) -> None:
        """Add the colours of a GIMP palette."""
        try:
            named = read_gpl(path)
        except KakushiError as error:
            self.say(self._document.said(error))
            return
        self.say("")
        self._append([(c.name, c.hex) for c in named])

    def _export(self) -> None:
        path = self._place_to_write("Save as a GIMP palette", "palette.gpl", "GIMP palettes (*.gpl)", ".gpl")
        if path is None:
            return
        try:
            job = self._document.job
            write_atomically(path, palette_gpl(job.palette, job.brief.title).encode())
        except KakushiError as error:
            self.say(self._document.said(error))

    def _keep_palette(self) -> None:
        self._document.studio_keeper.change(palette=self._document.job.palette)

    def _take_palette(self) -> None:
        palette = self._document.job.palette
        new = [c for c in self._document.studio.palette if c.key not in {p.key for p in palette}]
        if not self._document.studio.palette:
            self.say("The studio has no palette of its own yet.")
        elif not new:
            self.say("Every colour of the studio is here already.")
        else:
            recoded = named_colours([(c.name, c.hex) for c in new], palette)
            added = [replace(c, code=r.code) for c, r in zip(new, recoded, strict=True)]
            self.say("")
            self._document.apply(edits.set_palette((*palette, *added), "Add colours"))
