"""Paper and ink: one light and one dark theme, one accent."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass
from string import Template
from typing import Literal

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from kakushi.formats.store.paths import data_path

ThemeName = Literal["light", "dark"]


@dataclass(frozen=True, slots=True)
class Theme:
    """Colours of the interface, as hex. Text on its ground keeps 4.5 : 1 or better."""

    name: ThemeName
    paper: str
    panel: str
    field: str
    ink: str
    quiet: str
    line: str
    accent: str
    accent_soft: str
    on_accent: str
    warning: str
    warning_soft: str

    def colour(self, role: str) -> QColor:
        """A role's colour for painting."""
        return QColor(getattr(self, role))


LIGHT = Theme(
    name="light", paper="#f7f2e8", panel="#fdfaf3", field="#ffffff", ink="#25211b", quiet="#655e52",
    line="#d9d0bf", accent="#17666b", accent_soft="#dcebe8", on_accent="#ffffff",
    warning="#9a3d0a", warning_soft="#fbe6d3",
)  # fmt: skip
DARK = Theme(
    name="dark", paper="#191816", panel="#221f1c", field="#2b2824", ink="#f0eade", quiet="#b3aa9b",
    line="#423d36", accent="#7cc8c2", accent_soft="#24403f", on_accent="#10201f",
    warning="#f3ac6c", warning_soft="#43301f",
)  # fmt: skip
THEMES: dict[ThemeName, Theme] = {"light": LIGHT, "dark": DARK}

FAMILY = "Lato"
MIN_POINTS = 10.0
"""Smallest size of text, pt, whatever the system's font."""


def load_fonts() -> None:
    """Make the shipped typeface known to Qt."""
    for file in ("Lato-Regular.ttf", "Lato-Bold.ttf"):
        QFontDatabase.addApplicationFont(str(data_path("fonts", file)))


def system_font() -> QFont:
    """The font the desktop is set to."""
    return QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont)


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Set font, palette and style sheet of the whole program; sizes follow the system font."""
    font = QFont(FAMILY)
    font.setPointSizeF(max(system_font().pointSizeF(), MIN_POINTS))
    app.setFont(font)
    # Without a sheet in between, Qt styles every widget several times over: six times as long.
    app.setStyleSheet("")
    app.setPalette(_palette(theme))
    app.setStyleSheet(_sheet(theme))


def _palette(theme: Theme) -> QPalette:
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, name in (
        (roles.Window, "panel"),
        (roles.Base, "field"),
        (roles.AlternateBase, "paper"),
        (roles.Button, "panel"),
        (roles.ToolTipBase, "field"),
        (roles.WindowText, "ink"),
        (roles.Text, "ink"),
        (roles.ButtonText, "ink"),
        (roles.ToolTipText, "ink"),
        (roles.Highlight, "accent"),
        (roles.HighlightedText, "on_accent"),
        (roles.PlaceholderText, "quiet"),
        (roles.Link, "accent"),
        (roles.Mid, "line"),
        (roles.Accent, "accent"),
    ):
        palette.setColor(role, theme.colour(name))
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, theme.colour("quiet"))
    return palette


def _sheet(theme: Theme) -> str:
    text = data_path("style.qss").read_text("utf-8")
    return Template(text).substitute({field.name: getattr(theme, field.name) for field in dataclasses.fields(theme)})
