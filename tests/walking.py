"""A walk over every widget in sight: what is cut off, overlaid, without a name or out of reach of the keys."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QRadioButton,
    QScrollArea,
    QStyle,
    QStyleOptionComboBox,
    QToolButton,
    QWidget,
)

_SLACK_PX = 1
"""Rounding of font widths, px."""


def faults(root: QWidget) -> list[str]:
    """Everything wrong with the widgets of `root` that are in sight, each with its place."""
    found = []
    for widget in root.findChildren(QWidget):
        if widget.isVisible() and widget.width() > 1 and not widget.visibleRegion().isEmpty():
            found += [f"{fault}: {_place(widget)}" for fault in _faults_of(widget)]
    return found


def all_faults(root: QWidget) -> list[str]:
    """`faults`, with every scrolling area walked from top to bottom; one that scrolls sideways is one too."""
    found = dict.fromkeys(faults(root))
    for area in root.findChildren(QScrollArea):
        if not area.isVisible():
            continue
        sideways, bar = area.horizontalScrollBar(), area.verticalScrollBar()
        inner = area.widget()
        if sideways.maximum() > 0 or (inner is not None and inner.width() > area.viewport().width() + _SLACK_PX):
            found[f"scrolls sideways: {_place(area)}"] = None
        for top in range(bar.pageStep(), bar.maximum() + bar.pageStep(), max(bar.pageStep(), 50)):
            bar.setValue(top)
            QApplication.processEvents()
            found |= dict.fromkeys(faults(area))
        bar.setValue(0)
    return list(found)


def unseen_focus(root: QWidget) -> list[str]:
    """Widgets in sight that take the keyboard and look the same with it as without it."""
    found = []
    for widget in root.findChildren(QWidget):
        is_part = isinstance(widget.parentWidget(), QAbstractSpinBox | QComboBox)
        takes_keys = bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus) and widget.isEnabled() and not is_part
        if not takes_keys or not widget.isVisible() or widget.visibleRegion().isEmpty():
            continue
        widget.setFocus(Qt.FocusReason.TabFocusReason)
        if not widget.hasFocus():
            continue
        focused = widget.grab().toImage()
        widget.clearFocus()
        if focused == widget.grab().toImage():
            found.append(f"nobody sees that it has the keyboard: {_place(widget)}")
    return found


def _faults_of(widget: QWidget) -> Iterator[str]:
    if isinstance(widget, QLabel):
        yield from _label(widget)
    elif isinstance(widget, QPushButton | QCheckBox | QRadioButton | QToolButton) and widget.text():
        # The words alone: what a style puts around them may give way.
        needed = max(widget.fontMetrics().horizontalAdvance(line) for line in widget.text().split("\n"))
        if needed + 4 > widget.width() + _SLACK_PX or widget.fontMetrics().height() > widget.height():
            yield f"cut off at {widget.width()} of {needed} px"
    elif isinstance(widget, QComboBox):
        option = QStyleOptionComboBox()
        widget.initStyleOption(option)
        part = QStyle.SubControl.SC_ComboBoxEditField
        room = widget.style().subControlRect(QStyle.ComplexControl.CC_ComboBox, option, part, widget).width()
        if widget.fontMetrics().horizontalAdvance(widget.currentText()) > room + _SLACK_PX:
            yield f"“{widget.currentText()}” is cut off"
    elif isinstance(widget, QLineEdit):
        shown = widget.displayText() or widget.placeholderText()
        if widget.fontMetrics().horizontalAdvance(shown) > widget.contentsRect().width() + _SLACK_PX:
            yield f"“{shown}” is cut off"
    yield from _reach(widget)
    yield from _overlaps(widget)


def _label(label: QLabel) -> Iterator[str]:
    if not label.text() or label.textFormat() == Qt.TextFormat.RichText:
        return
    width, metrics = label.contentsRect().width() + _SLACK_PX, label.fontMetrics()
    if label.wordWrap():
        if label.heightForWidth(label.width()) > label.height() + _SLACK_PX:
            yield "lines cut off"
        if any(metrics.horizontalAdvance(word) > width for word in label.text().split()):
            yield "a word cut off"
    elif any(metrics.horizontalAdvance(line) > width for line in label.text().split("\n")):
        yield "cut off"


def _reach(widget: QWidget) -> Iterator[str]:
    is_part = isinstance(widget.parentWidget(), QAbstractSpinBox | QComboBox | QLineEdit)
    takes_keys = bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus)
    if takes_keys and widget.isEnabled() and not is_part and not _name(widget):
        yield "takes the keyboard, and has no name"
    if isinstance(widget, QAbstractButton) and not is_part:
        if not _name(widget):
            yield "a button without a name"
        # Of buttons that exclude each other Tab reaches one, and arrows the others.
        group = widget.group()
        others = group.buttons() if group is not None and group.exclusive() else []
        reached = takes_keys or any(bool(each.focusPolicy() & Qt.FocusPolicy.TabFocus) for each in others)
        if widget.isEnabled() and not reached:
            yield "out of reach of the keys"


def _overlaps(widget: QWidget) -> Iterator[str]:
    layout = widget.layout()
    if layout is None:
        return
    laid = [item.widget() for item in map(layout.itemAt, range(layout.count())) if item is not None]
    shown = [kid for kid in laid if kid is not None and kid.isVisible()]
    for index, one in enumerate(shown):
        for other in shown[index + 1 :]:
            both = one.geometry() & other.geometry()
            if both.width() > _SLACK_PX and both.height() > _SLACK_PX:
                yield f"{_name(one)} lies over {_name(other)}"


def _name(widget: QWidget) -> str:
    text = widget.text() if isinstance(widget, QAbstractButton | QLabel) else ""
    return widget.accessibleName() or text or (widget.toolTip() if isinstance(widget, QAbstractButton) else "")


def _place(widget: QWidget) -> str:
    places, at = [], widget
    while at is not None and len(places) < 4:
        places.append(f"{type(at).__name__} {_name(at)[:40]!r}")
        at = at.parentWidget()
    return " in ".join(places)


def contrast(one: QColor, other: QColor) -> float:
    """Contrast of two colours as WCAG 2.1 defines it."""

    def light(colour: QColor) -> float:
        parts = [
            value / 12.92 if value <= 0.03928 else ((value + 0.055) / 1.055) ** 2.4
            for value in (colour.redF(), colour.greenF(), colour.blueF())
        ]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    high, low = sorted((light(one), light(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)
