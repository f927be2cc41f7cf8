"""The Check page: the photograph, the slider from it over the plan to the difference, and what the mouse does in it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from kakushi.desktop.document.document import Document
from kakushi.desktop.stages.check.photo_view import PhotoTool, PhotoView
from kakushi.desktop.widgets.fields import tip_button
from kakushi.desktop.widgets.label import Label
from kakushi.desktop.widgets.theme import Theme
from kakushi.words.check import PHASES

_TIPS = {
    PhotoTool.ENDS: "Drag foot and top to where the middle of the piece meets the floor, and to its highest point",
    PhotoTool.UPRIGHT: "Draw along a door or a wall: the lean is measured against it",
    PhotoTool.FRONT: "Paint over what stands in front of the piece: balloons behind it are not judged",
    PhotoTool.LENGTH: "Draw along a tape, the pole or a balloon of known size: rows are measured by it",
}


class CheckPage(QWidget):
    """The photograph and its tools."""

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document = document
        self.view = PhotoView(document, theme)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 100)
        self.slider.setAccessibleName("From the photograph over the plan to the difference")
        self.slider.setTickInterval(50)
        self.slider.setTickPosition(QSlider.TickPosition.TicksBelow)
        self._told = Label()
        self._told.setWordWrap(True)
        self._told.setProperty("role", "quiet")
        self.stop = tip_button("Stop", "Stops looking at the photograph")
        self.tools = QButtonGroup(self)
        self._build()
        self._connect()
        self._show()

    def _build(self) -> None:
        tools = QHBoxLayout()
        for tool in PhotoTool:
            button = QPushButton(tool.value[0].upper() + tool.value[1:])
            button.setCheckable(True)
            button.setToolTip(_TIPS[tool])
            button.setChecked(tool is PhotoTool.ENDS)
            self.tools.addButton(button, list(PhotoTool).index(tool))
            tools.addWidget(button)
        tools.addStretch(1)
        tools.addWidget(self.stop)
        words = QHBoxLayout()
        for text, side in (("photograph", "Left"), ("plan", "HCenter"), ("difference", "Right")):
            label = Label(text)
            label.setProperty("role", "quiet")
            label.setAlignment(getattr(Qt.AlignmentFlag, f"Align{side}"))
            words.addWidget(label, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(7)
        column.addLayout(tools)
        column.addWidget(self.view, 1)
        column.addWidget(self.slider)
        column.addLayout(words)
        column.addWidget(self._told)

    def _connect(self) -> None:
        checker = self._document.checker
        self.slider.valueChanged.connect(lambda value: self.view.set_share(value / 100))
        self.tools.idClicked.connect(self._on_tool)
        self.view.ends_moved.connect(checker.check)
        self.stop.clicked.connect(checker.stop)
        checker.changed.connect(self._show)
        checker.busy_changed.connect(lambda _: self._show())

    def _on_tool(self, place: int) -> None:
        self.view.tool = list(PhotoTool)[place]

    def _show(self) -> None:
        checker = self._document.checker
        current = checker.current
        for button in self.tools.buttons():
            button.setEnabled(current is not None)
        self.slider.setEnabled(checker.overlay is not None)
        # Its place is kept: nothing jumps.
        policy = self.stop.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.stop.setSizePolicy(policy)
        self.stop.setVisible(checker.is_busy)
        if checker.is_busy:
            self._told.setText(PHASES[checker.phase] if checker.phase is not None else "")
        elif current is None:
            self._told.setText(" ")
        elif current.result is None:
            self._told.setText("Foot and top are proposed: drag them where they are wrong, then press Return.")
        else:
            self._told.setText("  ".join(current.photo.words))

    def set_theme(self, theme: Theme) -> None:
        """Draw in another theme."""
        self.view.set_theme(theme)

    def take_keyboard(self) -> None:
        """The stage was opened: its keys work at once."""
        self.view.setFocus()
