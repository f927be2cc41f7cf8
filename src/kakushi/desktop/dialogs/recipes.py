"""The shelf of recipes: proven pieces, drawn to one scale; one is built again, or the selected piece is kept."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.typed import QuantityField
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.formats.store.recipe_file import file_name_of, recipes_in, save_recipe
from kakushi.log.recipes import alike_colours, built_again, recipe_of
from kakushi.model.catalogue import BalloonColour, Studio
from kakushi.model.errors import KakushiError
from kakushi.model.limits import LARGEST_HEIGHT_MM
from kakushi.model.quantities import LENGTH
from kakushi.model.recipe import Recipe
from kakushi.session import edits
from kakushi.words.log import RECIPE_ORDERS, alike_words, recipe_words, sorted_recipes

_PICTURE_PX = 92
_AS_KEPT = ""
_TALLEST_MM = 2600.0
"""Height that a picture of the list is tall: all are drawn to that scale, lower ones smaller."""


class RecipesDialog(Dialog):
    """Recipes of some folders; those of the first one are the studio's own."""

    def __init__(self, document: Document, folders: tuple[Path, ...], parent: QWidget | None = None) -> None:
        super().__init__("Shelf of recipes", parent)
        self._document, self._folders = document, folders
        self._recipes: list[tuple[Path, Recipe]] = []
        self._icons: dict[Path, QIcon] = {}
        self._list = QListWidget()
        self._list.setAccessibleName("Recipes")
        self._list.setIconSize(QSize(_PICTURE_PX, _PICTURE_PX))
        self._list.setWordWrap(True)
        self._order = Choices("Sorted by", [(words, key) for key, words in RECIPE_ORDERS.items()])
        self._height = QuantityField(
            document, LENGTH, "Height to build it", 0.0, LARGEST_HEIGHT_MM, none=("as it was", 0)
        )
        self._height.set_value(0)
        self._roles = form()
        self._choices: dict[str, Choices] = {}
        self._name = QLineEdit(document.piece.name if document.piece else "")
        self._name.setAccessibleName("Name of the recipe")
        self._keep = tip_button("Keep the selected piece", "Adds the selected piece of the job to the shelf")
        self._remove = tip_button("Take out", "Removes the chosen recipe of your own from the shelf")
        self._note = quiet()
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_drawn)
        self._build()
        self._list.currentRowChanged.connect(lambda _: self._show_roles())
        self._order.chosen.connect(lambda _: self._show())
        self._keep.clicked.connect(lambda _: self._on_keep())
        self._remove.clicked.connect(lambda _: self._on_remove())
        self._reload()

    def _build(self) -> None:
        keep = QHBoxLayout()
        keep.addWidget(self._name, 1)
        keep.addWidget(self._keep)
        self.column.addLayout(keep)
        order = form()
        order.addRow("Sorted by", self._order)
        self.column.addLayout(order)
        self.column.addWidget(self._list, 1)
        again = form()
        again.addRow("Height", self._height)
        self.column.addLayout(again)
        self.column.addLayout(self._roles)
        self.column.addWidget(self._note)
        self.column.addWidget(self._remove, 0, Qt.AlignmentFlag.AlignLeft)
        self._use = self.add_main("Add to this job", "Builds the chosen recipe again in this job", keeps=False)
        self.add_close()
        self._use.clicked.connect(lambda _: self._on_use())
        self.resize(560, 680)

    # --- the shelf ---------------------------------------------------------------------------------

    def _reload(self) -> None:
        self._recipes = recipes_in(*self._folders)
        self._show()
        missing = [(path, recipe) for path, recipe in self._recipes if path not in self._icons]
        if missing:
            self._runner.submit(_drawn(missing, self._document.studio))

    def _show(self) -> None:
        chosen = self._chosen
        self._recipes = sorted_recipes(self._recipes, self._order.value)
        self._list.clear()
        for path, recipe in self._recipes:
            item = QListWidgetItem(self._icons.get(path, QIcon()), recipe_words(recipe, self._document.units))
            self._list.addItem(item)
        paths = [path for path, _ in self._recipes]
        self._list.setCurrentRow(paths.index(chosen[0]) if chosen and chosen[0] in paths else 0 if paths else -1)
        self._show_roles()

    @property
    def _chosen(self) -> tuple[Path, Recipe] | None:
        row = self._list.currentRow()
        return self._recipes[row] if 0 <= row < len(self._recipes) else None

    def _on_drawn(self, pictures: list[tuple[Path, bytes]]) -> None:
        for path, png in pictures:
            picture, frame = QPixmap(), QPixmap(_PICTURE_PX, _PICTURE_PX)
            picture.loadFromData(png)
            frame.fill(Qt.GlobalColor.white)
            painter = QPainter(frame)
            # All stand on one floor.
            painter.drawPixmap((_PICTURE_PX - picture.width()) // 2, _PICTURE_PX - picture.height(), picture)
            painter.end()
            self._icons[path] = QIcon(frame)
        self._show()

    def _show_roles(self) -> None:
        """A choice of colour for each role of the chosen recipe."""
        while self._roles.rowCount():
            self._roles.removeRow(0)
        self._choices.clear()
        chosen = self._chosen
        self._use.setEnabled(chosen is not None)
        self._remove.setEnabled(chosen is not None and chosen[0].parent == self._folders[0])
        self._keep.setEnabled(self._document.piece is not None)
        if chosen is None:
            return
        palette = self._document.job.palette
        for colour in chosen[1].roles:
            options = [(f"{colour.name}, as it was", _AS_KEPT), *((own.name, own.key) for own in palette)]
            choices = Choices(f"Colour of {colour.key}", options)
            # In a job that has the colour it is that one.
            choices.set_value(next((own.key for own in palette if own.name == colour.name), _AS_KEPT))
            choices.chosen.connect(lambda _: self._show_alike())
            self._choices[colour.key] = choices
            self._roles.addRow(colour.key, choices)
        self._show_alike()

    def _colours(self) -> dict[str, BalloonColour]:
        job = self._document.job
        return {role: job.colour(each.value) for role, each in self._choices.items() if each.value != _AS_KEPT}

    def _show_alike(self) -> None:
        chosen = self._chosen
        pairs = alike_colours(chosen[1], self._colours()) if chosen else ()
        self._note.setText(" ".join(map(alike_words, pairs)))

    # --- acts --------------------------------------------------------------------------------------

    def _on_use(self) -> None:
        chosen = self._chosen
        if chosen is None or self.has_faults():
            return
        document = self._document
        try:
            made = built_again(chosen[1], self._colours(), self._height.value or None, document.studio)
            document.apply(edits.add_built(made))
        except KakushiError as error:
            self.say(document.said(error))
            return
        document.selection.select_piece(document.job.pieces[-1].key)
        self.accept()

    def _on_keep(self) -> None:
        document, name = self._document, self._name.text().strip()
        piece_plan = document.piece_plan
        if piece_plan is None:
            self.say("The piece is being worked out yet: once more in a moment.")
            return
        recipe = recipe_of(document.dossier, piece_plan, name)
        path = self._folders[0] / file_name_of(recipe)
        if path.exists():
            self.say(f"The shelf has a recipe “{recipe.facts.name}” already: give this one another name.")
            return
        try:
            self._folders[0].mkdir(parents=True, exist_ok=True)
            save_recipe(recipe, path)
        except (KakushiError, OSError) as error:
            self.say(document.said(error) if isinstance(error, KakushiError) else "The shelf cannot be written to.")
            return
        self.say("")
        self._reload()

    def _on_remove(self) -> None:
        chosen = self._chosen
        if chosen is None:
            return
        try:
            chosen[0].unlink(missing_ok=True)
        except OSError:
            self.say("The recipe cannot be taken out: its file is held, or the folder is read-only.")
        self._reload()

    def done(self, result: int) -> None:
        """Close; pictures that are being drawn are given up."""
        self._runner.close()
        super().done(result)


def _drawn(
    recipes: list[tuple[Path, Recipe]], studio: Studio
) -> Callable[[Callable[[float], None], Callable[[], bool]], list[tuple[Path, bytes]]]:
    """Work that draws recipes, all to one scale."""

    def work(_progress: Callable[[float], None], cancelled: Callable[[], bool]) -> list[tuple[Path, bytes]]:
        from kakushi.formats.export.png import piece_image, png_bytes
        from kakushi.plan.pipeline import plan

        pictures: list[tuple[Path, bytes]] = []
        for path, recipe in recipes:
            if cancelled():
                break
            whole = plan(recipe.job, studio, cancelled)
            share = min(max(recipe.facts.height_mm / _TALLEST_MM, 0.3), 1.0)
            side = max(int(_PICTURE_PX * share), 32)
            image: Any = piece_image(whole.pieces[0], whole.job, side, side, 0.0)
            pictures.append((path, png_bytes(image)))
        return pictures

    return work
