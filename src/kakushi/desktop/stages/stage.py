"""What a stage is made of: one value in the registry, built when it is first opened."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.panel import Panel
from kakushi.desktop.widgets.theme import Theme

if TYPE_CHECKING:
    from kakushi.desktop.document.brush import Brush
    from kakushi.desktop.document.row_actions import RowActions
    from kakushi.desktop.frame.exports import Exports
    from kakushi.desktop.frame.files import Files
    from kakushi.desktop.frame.studio_dialogs import StudioDialogs
    from kakushi.desktop.views.dress_marks import ClusterMarks
    from kakushi.desktop.views.workbench import Workbench


@dataclass(frozen=True, slots=True)
class StageContext:
    """What stages are built with. `workbench` and `theme` are asked when needed.

    `refresh_view`: the stage wants another view shown; `go_to(stage)`: open another stage; `say(words)`: a notice;
    `full_screen()`: the page alone on the screen, or the window again.
    """

    document: Document
    files: Files
    exports: Exports
    studio: StudioDialogs
    row_actions: RowActions
    brush: Callable[[], Brush]
    workbench: Callable[[], Workbench]
    theme: Callable[[], Theme]
    refresh_view: Callable[[], None]
    go_to: Callable[[str], None]
    import_outline: Callable[[], None]
    say: Callable[[str], None]
    full_screen: Callable[[], None]

    def elevation(self, skin: bool = False, stand: bool = False, dressing: ClusterMarks | None = None) -> QWidget:
        """The elevation with its ladder, with the unrolled skin beside it, or the stand or the dressing drawn on it."""
        workbench = self.workbench()
        workbench.show_skin(skin)
        workbench.elevation.show_stand(stand)
        workbench.elevation.show_dressing(dressing)
        return workbench


@dataclass(frozen=True, slots=True)
class StageParts:
    """A built stage: its tools, what fills the middle, and what follows the theme and the opening.

    `page` is what the stage puts into the middle for itself alone; the window holds it.
    """

    panel: Panel
    view: Callable[[], QWidget]
    page: QWidget | None = None
    themed: tuple[Callable[[Theme], None], ...] = ()
    opened: Callable[[], None] = lambda: None


@dataclass(frozen=True, slots=True)
class Stage:
    """A stage of the work: its name, what it does, and what the job still needs there.

    `needs(document)` is "" where nothing is missing. `folder`: where it is built, beside this file.
    """

    name: str
    words: str
    folder: str
    needs: Callable[[Document], str] = lambda _document: ""

    def build(self, context: StageContext) -> StageParts:
        """Build the stage. Its module is imported only now: most are never opened."""
        parts: StageParts = import_module(f"kakushi.desktop.stages.{self.folder}.stage").build(context)
        return parts
