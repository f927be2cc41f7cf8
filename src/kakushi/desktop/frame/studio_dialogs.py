"""Opening the dialogs of the studio, and keeping what they change."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog

from kakushi.desktop.document.document import Document
from kakushi.desktop.frame.files import Files
from kakushi.desktop.widgets.theme import Theme
from kakushi.model.piece import LandingSchool

if TYPE_CHECKING:
    from kakushi.formats.store.studio_store import StudioStore
    from kakushi.packing.calibration import TestStack


class StudioDialogs:
    """Dialogs about how the studio works; `theme` tells the theme they are drawn in."""

    def __init__(self, document: Document, theme: Callable[[], Theme], files: Files) -> None:
        self._document, self._theme, self._files, self._window = document, theme, files, files.window

    def open(self, dialog: QDialog) -> None:
        """Show a dialog that goes away by itself."""
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def store(self) -> StudioStore | None:
        """The studio's file, None where there is none."""
        from kakushi.formats.store.studio_store import StudioStore

        path = self._document.studio_file
        return StudioStore(path) if path is not None else None

    def compare(self) -> None:
        """Fits with fewer and fewer sizes, side by side."""
        from kakushi.desktop.dialogs.compare import CompareDialog

        if self._document.piece is not None:
            self.open(CompareDialog(self._document, self._theme(), self._window))

    def test_stack(self) -> None:
        """Measure how the studio packs."""
        self._test_stack(None)

    def use_as_stack(self, measured: TestStack) -> None:
        """Open the test stacks with a stack measured on a photograph filled in."""
        self._test_stack(measured)

    def _test_stack(self, measured: TestStack | None) -> None:
        from kakushi.desktop.dialogs.calibrate import StackDialog

        if (store := self.store()) is not None:
            dialog = StackDialog(self._document, store, self._window)
            if measured is not None:
                dialog.propose(measured)
            self.open(dialog)

    def sizes(self) -> None:
        """The catalogue's ranges, the sizer, the scatter."""
        from kakushi.desktop.dialogs.studio_sizes import StudioSizesDialog

        self.open(StudioSizesDialog(self._document, self._window))

    def collection(self) -> None:
        """Outlines kept in the studio."""
        from kakushi.desktop.dialogs.collection import CollectionDialog

        if (store := self.store()) is not None:
            self.open(CollectionDialog(self._document, store, self._window))

    def recipes(self) -> None:
        """Show the recipes."""
        from kakushi.desktop.dialogs.recipes import RecipesDialog
        from kakushi.formats.store.paths import shipped_recipes

        file = self._document.studio_file
        if file is not None:
            self.open(RecipesDialog(self._document, (file.parent / "recipes", shipped_recipes()), self._window))

    def history(self) -> None:
        """The edits by their names."""
        from kakushi.desktop.dialogs.history import HistoryDialog

        self.open(HistoryDialog(self._document, self._window))

    def quick_answers(self) -> None:
        """Answers that need no job."""
        from kakushi.desktop.dialogs.quick_answers import QuickAnswersDialog

        self.open(QuickAnswersDialog(self._document, self._window))

    def palette(self) -> None:
        """Names, codes and looks of the job's colours."""
        from kakushi.desktop.dialogs.palette import PaletteDialog

        self.open(PaletteDialog(self._document, self._files.place_to_write, self._window))

    def landing_trial(self) -> None:
        """Teach how clusters land in one's own hands."""
        from kakushi.desktop.dialogs.landing_trial import LandingTrialDialog

        piece = self._document.piece
        school = piece.school if piece else LandingSchool.CLUSTER_FIRST
        document = self._document
        self.open(
            LandingTrialDialog(document.studio, school, document.studio_keeper.change, self._theme(), self._window)
        )

    def workshop(self) -> None:
        """Stock, bags, rules, poles, bases, pops, rates."""
        from kakushi.desktop.dialogs.workshop import WorkshopDialog

        self.open(WorkshopDialog(self._document, self._window))
