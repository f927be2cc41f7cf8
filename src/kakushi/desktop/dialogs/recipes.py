"""The shelf of recipes: proven pieces, drawn to one scale; one is built again, or the selected piece is kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QLineEdit, QListWidget, QListWidgetItem, QWidget

from kakushi.desktop.dialogs.dialog import Dialog
from kakushi.desktop.document.background import Runner
from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.choices import Choices
from kakushi.desktop.forms.typed import QuantityField
from kakushi.desktop.widgets.fields import form, quiet, tip_button
from kakushi.desktop.widgets.waiting import waited_for
from kakushi.formats.read.photograph import small_photo
from kakushi.formats.store.atomic import write_atomically
from kakushi.formats.store.limits import RECIPE_PHOTOS
from kakushi.formats.store.paths import shipped_recipes, start_pictures
from kakushi.formats.store.recipe_file import file_name_of, recipes_in, save_recipe
from kakushi.log.other_ways import matches_of, of_sizes, quoted_again, short_of, sizes_in_stock
from kakushi.log.recipes import alike_colours, built_again, recipe_of
from kakushi.model.catalogue import BalloonColour, Studio
from kakushi.model.errors import KakushiError
from kakushi.model.job import Job
from kakushi.model.limits import LARGEST_HEIGHT_MM
from kakushi.model.piece import Piece
from kakushi.model.quantities import LENGTH
from kakushi.model.recipe import Recipe
from kakushi.model.units import UnitSystem
from kakushi.model.values import replace
from kakushi.session import edits
from kakushi.words.log import RECIPE_ORDERS, alike_words, recipe_words, sorted_recipes
from kakushi.words.sheet import shortage_words
from kakushi.words.transport import offer_words
from kakushi.words.wording import Wording, capital
from kakushi.workshop.offers import Offer

_PICTURE_PX = 92
_AS_KEPT, _BY_MATCH = "", "match"
_TALLEST_MM, _LEAST_SHARE = 2600.0, 0.55
"""Height that a picture of the list is tall, mm: all are drawn to that scale, lower ones smaller, but none below that
share of it, so that they are recognised."""


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
        self._list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        orders = [(words, key) for key, words in RECIPE_ORDERS.items()]
        if document.piece is not None:
            orders.append((f"match with the outline of “{document.piece.name}”", _BY_MATCH))
        self._order = Choices("Sorted by", orders)
        self._matches: dict[Path, float] = {}
        self._stock = QCheckBox("Of the sizes in stock")
        self._stock.setToolTip("Balloons of other sizes are replaced by those in stock, sized the same")
        self._photo = QLabel()
        self._photo.setAccessibleName("Photograph of the recipe")
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
        self._put_back = tip_button("Put back", "Puts the recipe that was taken out last back on the shelf")
        self._put_back.setVisible(False)
        self._taken_out: list[tuple[Path, bytes]] = []
        self._quote = tip_button("Quote three sizes", "Fits and prices the chosen recipe small, as it was and large")
        self._note = quiet()
        self._runner = Runner(self, document.said)
        self._runner.finished.connect(self._on_done)
        self._counter = Runner(self, document.said)
        self._counter.finished.connect(lambda short: self._note.setText(f"{self._told} {short}".strip()))
        self._told = ""
        self._news: tuple[Path | None, str] = (None, "")
        self._runner.failed.connect(self.say)
        self._counter.failed.connect(lambda fault: self._note.setText(f"{self._told} {fault}".strip()))
        self._build()
        self._list.currentRowChanged.connect(lambda _: self._show_roles())
        self._order.chosen.connect(lambda _: self._on_order())
        self._quote.clicked.connect(lambda _: self._on_quote())
        self._stock.toggled.connect(lambda _: self._show_alike())
        self._keep.clicked.connect(lambda _: self._on_keep())
        self._remove.clicked.connect(lambda _: self._on_remove())
        self._put_back.clicked.connect(lambda _: self._on_put_back())
        self.holds_name(self._name)
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
        again.addRow("", self._stock)
        self.column.addLayout(again)
        roles = QHBoxLayout()
        roles.addLayout(self._roles, 1)
        roles.addWidget(self._photo)
        self.column.addLayout(roles)
        self.column.addWidget(self._note)
        acts = QHBoxLayout()
        for button in (self._quote, self._remove, self._put_back):
            acts.addWidget(button)
        acts.addStretch(1)
        self.column.addLayout(acts)
        self._use = self.add_main("Add to this job", "Builds the chosen recipe again in this job", keeps=False)
        self.add_close()
        self._use.clicked.connect(lambda _: self._on_use())
        self.open_at(560, 680)

    # --- the shelf ---------------------------------------------------------------------------------

    def _reload(self, chosen: Path | None = None) -> None:
        """Read the shelf again and choose a recipe on it; without one the same stays chosen."""
        if chosen is None and self._chosen is not None:
            chosen = self._chosen[0]
        self._recipes = recipes_in(*self._folders)
        self._take_shipped_pictures()
        self._show(chosen)
        self._draw_missing()

    def _draw_missing(self) -> None:
        missing = [(path, recipe) for path, recipe in self._recipes if path not in self._icons]
        if missing:
            self._runner.submit(_drawn(missing, self._document.studio))

    def _take_shipped_pictures(self) -> None:
        """The pictures of recipes that ship with the program have been drawn already."""
        for path, recipe in self._recipes:
            drawn = start_pictures() / f"{path.stem}.png"
            if path.parent == shipped_recipes() and path not in self._icons and drawn.is_file():
                self._icons[path] = _icon(QPixmap(str(drawn)), _side_px(recipe))

    def _show(self, path: Path | None = None) -> None:
        if path is None and self._chosen is not None:
            path = self._chosen[0]
        self._recipes = sorted_recipes(self._recipes, self._order.value)
        if self._order.value == _BY_MATCH:
            self._recipes.sort(key=lambda each: -self._matches.get(each[0], 0.0))
        self._list.clear()
        paths = [path for path, _ in self._recipes]
        for each, recipe in self._recipes:
            words = recipe_words(recipe, self._document.units, self._matches.get(each))
            self._list.addItem(QListWidgetItem(self._icons.get(each, QIcon()), words))
        self._list.setCurrentRow(paths.index(path) if path in paths else 0 if paths else -1)
        self._list.scrollToItem(self._list.currentItem())
        self._show_roles()

    @property
    def _chosen(self) -> tuple[Path, Recipe] | None:
        row = self._list.currentRow()
        return self._recipes[row] if 0 <= row < len(self._recipes) else None

    def _on_order(self) -> None:
        piece = self._document.piece
        missing = [each for each in self._recipes if each[0] not in self._matches]
        if self._order.value == _BY_MATCH and piece is not None and missing:
            self.say("The recipes are fitted to the outline…")
            self._runner.submit(_matched(missing, piece, self._document.studio))
        self._show()

    def _on_quote(self) -> None:
        chosen = self._chosen
        if chosen is not None:
            self.say("Three sizes are fitted and priced…")
            self._runner.submit(_quoted(chosen[1], self._document.studio))

    def _on_done(self, answer: _Answer) -> None:
        if answer.matches:
            self._matches |= answer.matches
            self.say("")
            self._show()
        if answer.offers:
            self.say("")
            self._note.setText(" ".join(offer_words(answer.offers, answer.currency, self._document.units)))
        if answer.pictures:
            self._on_drawn(answer.pictures)
        else:
            # What was asked for later came before the pictures.
            self._draw_missing()

    def _on_drawn(self, pictures: Sequence[tuple[Path, bytes]]) -> None:
        for path, png in pictures:
            picture = QPixmap()
            picture.loadFromData(png)
            self._icons[path] = _icon(picture, picture.height())
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
        self._quote.setEnabled(chosen is not None)
        picture = QPixmap()
        if chosen is not None and chosen[1].photos:
            picture.loadFromData(chosen[1].photos[0])
            picture = picture.scaledToHeight(_PICTURE_PX * 2, Qt.TransformationMode.SmoothTransformation)
        self._photo.setPixmap(picture)
        self._photo.setVisible(not picture.isNull())
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
            self._roles.addRow(capital(colour.key), choices)
        self._show_alike()

    def _colours(self) -> dict[str, BalloonColour]:
        job = self._document.job
        return {role: job.colour(each.value) for role, each in self._choices.items() if each.value != _AS_KEPT}

    def _show_alike(self) -> None:
        chosen = self._chosen
        self._note.setText("")
        if chosen is None:
            return
        told = [self._news[1]] if self._news[0] == chosen[0] else []
        told += [alike_words(pair) for pair in alike_colours(chosen[1], self._colours())]
        self._counter.submit(_missing(self._maker(chosen[1]), self._document.studio, self._document.units))
        self._told = " ".join(told)
        self._note.setText(self._told)

    def _maker(self, recipe: Recipe) -> Callable[[], Job]:
        """A function that makes a job with the piece of a recipe as it is asked for now; it raises BadInput."""
        studio, colours, height = self._document.studio, self._colours(), self._height.value or None
        of_stock = self._stock.isChecked()

        def make() -> Job:
            made = built_again(recipe, colours, height, studio)
            if not of_stock:
                return made
            return replace(made, pieces=(of_sizes(made.pieces[0], sizes_in_stock(studio), studio),))

        return make

    # --- acts --------------------------------------------------------------------------------------

    def _on_use(self) -> None:
        chosen = self._chosen
        if chosen is None or self.has_faults():
            return
        document = self._document
        make = self._maker(chosen[1])
        try:
            made = waited_for(lambda _: make(), "Sizing its rows…", self)
            if made is None:
                return
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
            self.say("The piece is still being worked out: try again in a moment.")
            return
        taken = [photo.picture for photo in document.checker.photos if photo.picture][:RECIPE_PHOTOS]
        photos = tuple(map(small_photo, taken))
        recipe = recipe_of(document.dossier, piece_plan, name, photos=photos)
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
        self._name.setModified(False)
        self._reload(path)
        self._tell(f"“{recipe.facts.name}” is kept on the shelf.")

    def _tell(self, text: str) -> None:
        """Say what was done, for as long as the same recipe is chosen."""
        self._news = self._chosen[0] if self._chosen else None, text
        self._show_alike()

    def _on_remove(self) -> None:
        chosen = self._chosen
        if chosen is None:
            return
        path, recipe = chosen
        try:
            data = path.read_bytes()
            path.unlink()
        except OSError:
            self.say("The recipe cannot be taken out: its file is held, or the folder is read-only.")
            return
        self._taken_out.append((path, data))
        self._put_back.setVisible(True)
        self._reload()
        self._tell(f"“{recipe.facts.name}” is taken out. “Put back” brings it back until you close the shelf.")

    def _on_put_back(self) -> None:
        path, data = self._taken_out[-1]
        if path.exists():
            self.say(f"The shelf has another recipe in the file {path.name} now: take that one out first.")
            return
        try:
            write_atomically(path, data)
        except KakushiError as error:
            self.say(self._document.said(error))
            return
        self._taken_out.pop()
        self._put_back.setVisible(bool(self._taken_out))
        self.say("")
        self._reload(path)

    def done(self, result: int) -> None:
        """Close; pictures that are being drawn are given up."""
        self._runner.close()
        self._counter.close()
        super().done(result)


def _side_px(recipe: Recipe) -> int:
    """How high a recipe is drawn: all to one scale."""
    return int(_PICTURE_PX * min(max(recipe.facts.height_mm / _TALLEST_MM, _LEAST_SHARE), 1.0))


def _icon(picture: QPixmap, side: int) -> QIcon:
    """A picture so high, standing on the floor that all have in common."""
    small = picture.scaledToHeight(side, Qt.TransformationMode.SmoothTransformation)
    frame = QPixmap(_PICTURE_PX, _PICTURE_PX)
    frame.fill(Qt.GlobalColor.transparent)
    painter = QPainter(frame)
    painter.drawPixmap((_PICTURE_PX - small.width()) // 2, _PICTURE_PX - small.height(), small)
    painter.end()
    icon = QIcon()
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):
        icon.addPixmap(frame, mode)
    return icon


class _Answer(NamedTuple):
    """What the shelf had worked out: pictures (PNG) and matches by file, three sizes with their currency."""

    pictures: Sequence[tuple[Path, bytes]] = ()
    matches: Mapping[Path, float] = MappingProxyType({})
    offers: Sequence[Offer] = ()
    currency: str = ""


_Work = Callable[[Callable[[float], None], Callable[[], bool]], _Answer]


def _matched(recipes: list[tuple[Path, Recipe]], like: Piece, studio: Studio) -> _Work:
    """Work that builds recipes as tall as a piece and compares them with its outline."""
    return lambda _progress, cancelled: _Answer(matches=matches_of(recipes, like, studio, cancelled))


def _missing(
    make: Callable[[], Job], studio: Studio, units: UnitSystem
) -> Callable[[Callable[[float], None], Callable[[], bool]], str]:
    """Work that makes a job and says what stock does not cover of it."""

    def work(_progress: Callable[[float], None], _cancelled: Callable[[], bool]) -> str:
        job = make()
        return " ".join(shortage_words(each, Wording(job, units)) for each in short_of(job, studio))

    return work


def _quoted(recipe: Recipe, studio: Studio) -> _Work:
    """Work that fits and prices a recipe in three sizes."""

    def work(_progress: Callable[[float], None], cancelled: Callable[[], bool]) -> _Answer:
        return _Answer(offers=quoted_again(recipe, studio, cancelled), currency=recipe.facts.currency)

    return work


def _drawn(recipes: list[tuple[Path, Recipe]], studio: Studio) -> _Work:
    """Work that draws recipes, all to one scale."""

    def work(_progress: Callable[[float], None], cancelled: Callable[[], bool]) -> _Answer:
        from kakushi.formats.export.png import piece_image, png_bytes
        from kakushi.plan.pipeline import plan

        pictures: list[tuple[Path, bytes]] = []
        for path, recipe in recipes:
            if cancelled():
                break
            whole = plan(recipe.job, studio, cancelled)
            side = _side_px(recipe)
            image: Any = piece_image(whole.pieces[0], whole.job, side, side, 0.0, paper=None)
            pictures.append((path, png_bytes(image)))
        return _Answer(pictures)

    return work
