"""Driving the real window as a person does: parts by their accessible names, acts by keys and mouse."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QRadioButton,
    QSlider,
    QWidget,
)


def part(root: QWidget, name: str, kind: type[QWidget] = QWidget) -> QWidget:
    """The one part of `root` with that accessible name, or that text on it where it is a button."""
    named = [w for w in root.findChildren(kind) if w.accessibleName() == name]
    named = named or [w for w in root.findChildren(QAbstractButton) if w.text() == name]
    shown = [w for w in named if w.isVisibleTo(root)] or named
    assert shown, (
        f"nothing is called “{name}”; there are {sorted({w.accessibleName() for w in root.findChildren(kind)})}"
    )
    assert len({id(w) for w in shown}) == 1, f"{len(shown)} parts are called “{name}”"
    return shown[0]


def press(root: QWidget, name: str) -> None:
    """Click a button."""
    button = part(root, name)
    assert isinstance(button, QAbstractButton)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton, pos=_spot(button))


def _spot(button: QAbstractButton) -> QPoint:
    # Boxes are ticked by a click on the box, which is at the left.
    return QPoint(8, button.height() // 2) if isinstance(button, QCheckBox | QRadioButton) else button.rect().center()


def type_into(field: QWidget, text: str) -> None:
    """Type a text in place of what a field shows, and press Return."""
    field.setFocus()
    assert isinstance(field, QLineEdit | QAbstractSpinBox)
    field.selectAll()
    put_keys(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def put_keys(field: QWidget, text: str) -> None:
    """Type a text; signs that no plain key has come in as from an input method."""
    if text.isascii() or not isinstance(field, QLineEdit):
        QTest.keyClicks(field, text)
    else:
        field.insert(text)


def put_number(field: QWidget, value: float) -> None:
    """Set a number: typed into a spin box, a slider by its keys."""
    if isinstance(field, QSlider):
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_Home)
        for _ in range(round((value - field.minimum()) / field.singleStep())):
            QTest.keyClick(field, Qt.Key.Key_Right)
        return
    type_into(field, f"{value:g}")


def choose(box: QWidget, text: str) -> None:
    """Choose the first entry of a combo box that holds a text, by its keys."""
    assert isinstance(box, QComboBox)
    index = next(i for i in range(box.count()) if text in box.itemText(i))
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Home)
    for _ in range(index):
        QTest.keyClick(box, Qt.Key.Key_Down)
    if box.currentIndex() != index:  # a box that acts at every step has been filled anew
        box.setCurrentIndex(index)
    box.activated.emit(index)


def words(root: QWidget) -> str:
    """All that is said on labels of a part, hidden ones left out."""
    return "\n".join(label.text() for label in root.findChildren(QLabel) if label.isVisibleTo(root))


def dialog_of(kind: type[QWidget]) -> QWidget:
    """The one open dialog of a kind."""
    return next(w for w in QApplication.topLevelWidgets() if isinstance(w, kind) and w.isVisible())
