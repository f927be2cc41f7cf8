"""What all panels share: a scrolling column of sections."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QAbstractSpinBox, QFrame, QLayout, QScrollArea, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.typed import faults_of
from kakushi.desktop.widgets.fields import heading, rule
from kakushi.desktop.widgets.label import Label


class Panel(QScrollArea):
    """A scrolling column. Subclasses add sections and override `refresh`."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document = document
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setAccessibleName("Tools")
        # A click beside the fields leaves the keyboard where it is.
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        body = QWidget()
        self.column = QVBoxLayout(body)
        self.column.setContentsMargins(14, 12, 14, 14)
        self.column.setSpacing(9)
        self.setWidget(body)
        self.problem = Label()
        self.problem.setProperty("role", "wrong")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self._is_stale = True

    def section(self, title: str, content: QLayout | QWidget, first: bool = False) -> None:
        """Add a titled section."""
        if not first:
            self.column.addSpacing(3)
            self.column.addWidget(rule())
        self.column.addWidget(heading(title))
        if isinstance(content, QLayout):
            self.column.addLayout(content)
        else:
            self.column.addWidget(content)

    def finish(self) -> None:
        """Call last: fill the rest with space, and follow the document from here on."""
        if self.problem.parent() is None:
            self.column.addWidget(self.problem)
        self.column.addStretch(1)
        # A number counts when it is typed whole: half of one would be put back while it is typed.
        for spin in self.findChildren(QAbstractSpinBox):
            spin.setKeyboardTracking(False)
        document = self.document
        for changed in (document.job_changed, document.selection.changed, document.preferences_changed):
            changed.connect(self._refresh)
        self._refresh()

    def show_problem(self, text: str) -> None:
        """Show next to the fields what is wrong with the typed text."""
        self.problem.setText(text)
        self.problem.setVisible(bool(text))

    def has_faults(self, root: QWidget) -> bool:
        """Whether a field in `root` holds what cannot be taken; the first reason is said."""
        faults = faults_of(root)
        if faults:
            self.show_problem(faults[0])
        return bool(faults)

    def focus_first(self) -> None:
        """Focus the place where work in this panel starts; panels that have one override it."""

    def warm_up(self) -> None:
        """Build what takes long to build, before the panel is first shown; panels with such parts override it."""

    def _refresh(self) -> None:
        """Follow the document; a panel that is not seen does so when it is shown."""
        self._is_stale = not self.isVisible()
        if not self._is_stale:
            self.show_problem("")
            self.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._is_stale:
            self._refresh()

    def refresh(self) -> None:
        """Show the document's values."""
