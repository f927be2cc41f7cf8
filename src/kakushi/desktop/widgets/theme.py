"""Paper and ink: one light and one dark theme, one accent."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from kakushi.formats.paths import data_path

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
_MIN_POINTS = 10.0


def load_fonts() -> None:
    """Make the shipped typeface known to Qt."""
    for file in ("Lato-Regular.ttf", "Lato-Bold.ttf"):
        QFontDatabase.addApplicationFont(str(data_path("fonts", file)))


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Set font, palette and style sheet of the whole program; sizes follow the system font."""
    font = QFont(FAMILY)
    font.setPointSizeF(max(QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont).pointSizeF(), _MIN_POINTS))
    app.setFont(font)
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


def _sheet(t: Theme) -> str:
    return f"""
    QMainWindow, QDialog {{ background: {t.panel}; }}
    QToolTip {{ background: {t.field}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
    QMenuBar {{ background: {t.panel}; }}
    QMenuBar::item {{ padding: 4px 9px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {t.accent_soft}; color: {t.ink}; }}
    QMenu {{ background: {t.field}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 26px 5px 22px; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    QLineEdit, QPlainTextEdit {{
        background: {t.field}; color: {t.ink}; border: 1px solid {t.line}; border-radius: 4px;
        padding: 3px 6px; min-height: 1.35em; selection-background-color: {t.accent};
        selection-color: {t.on_accent};
    }}
    QLineEdit:focus, QPlainTextEdit:focus {{ border: 2px solid {t.accent}; padding: 2px 5px; }}
    QAbstractSpinBox QLineEdit, QAbstractSpinBox QLineEdit:focus {{
        border: none; padding: 0; background: transparent;
    }}
    QSpinBox, QDoubleSpinBox, QComboBox, QDateEdit {{ min-height: 1.75em; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {t.warning}; padding: 2px 5px; }}
    QComboBox QAbstractItemView {{ background: {t.field}; border: 1px solid {t.line}; }}
    QPushButton, QToolButton {{
        background: {t.field}; color: {t.ink}; border: 1px solid {t.line}; border-radius: 4px; padding: 4px 9px;
        min-height: 1.35em;
    }}
    QPushButton:hover, QToolButton:hover {{ background: {t.accent_soft}; }}
    QPushButton:focus, QToolButton:focus {{ border: 2px solid {t.accent}; padding: 3px 8px; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {t.quiet}; background: {t.panel}; }}
    QPushButton:checked, QToolButton:checked {{ background: {t.accent_soft}; border: 1px solid {t.accent}; }}
    QPushButton[primary="true"] {{
        background: {t.accent};
        color: {t.on_accent};
        border: 1px solid {t.accent};
        font-weight: bold;
        padding: 6px 12px;
    }}
    QPushButton[primary="true"]:hover {{ background: {t.ink}; border-color: {t.ink}; color: {t.panel}; }}
    QPushButton[primary="true"]:focus {{ border: 2px solid {t.ink}; padding: 5px 11px; }}
    QPushButton[primary="true"]:disabled {{ background: {t.panel}; color: {t.quiet}; border: 1px solid {t.line}; }}
    QPushButton[flat-figure="true"] {{ background: transparent; border: none; padding: 4px 8px; }}
    QPushButton[flat-figure="true"]:hover {{ background: {t.accent_soft}; }}
    QPushButton[flat-figure="true"]:focus {{ border: 2px solid {t.accent}; padding: 2px 6px; }}
    QPushButton[off="true"] {{ color: {t.warning}; font-weight: bold; }}
    QToolButton[stage="true"] {{
        background: transparent; border: none; border-bottom: 3px solid transparent; border-radius: 0;
        padding: 6px 14px;
    }}
    QToolButton[stage="true"]:hover {{ background: {t.accent_soft}; }}
    QToolButton[stage="true"]:checked {{
        border-bottom: 3px solid {t.accent}; font-weight: bold; background: transparent;
    }}
    QToolButton[stage="true"]:focus {{ background: {t.accent_soft}; }}
    QToolButton[quiet="true"] {{ background: transparent; border: 1px solid transparent; padding: 4px 6px; }}
    QToolButton[quiet="true"]:hover {{ background: {t.accent_soft}; }}
    QToolButton[quiet="true"]:focus {{ border: 2px solid {t.accent}; padding: 3px 5px; }}
    QLabel[role="title"] {{ font-size: 15pt; font-weight: bold; }}
    QLabel[role="heading"] {{ font-weight: bold; }}
    QLabel[role="quiet"] {{ color: {t.quiet}; }}
    QLabel[role="wrong"] {{ color: {t.warning}; }}
    QFrame[role="rule"] {{ background: {t.line}; border: none; max-height: 1px; min-height: 1px; }}
    QFrame[role="notice"] {{ background: {t.accent_soft}; border: none; }}
    QFrame[role="card"] {{ background: {t.field}; border: 1px solid {t.line}; border-radius: 6px; }}
    QFrame[role="problem"] {{ background: {t.warning_soft}; border: none; }}
    QScrollArea {{ border: none; background: {t.panel}; }}
    QListWidget {{ background: {t.paper}; border: none; }}
    QListWidget::item {{ border-radius: 5px; padding: 3px; }}
    QListWidget::item:selected {{ background: {t.accent_soft}; color: {t.ink}; border: 1px solid {t.accent}; }}
    QTableView {{
        background: {t.field};
        border: 1px solid {t.line};
        gridline-color: {t.line};
        alternate-background-color: {t.paper};
    }}
    QTableView::item:selected {{ background: {t.accent_soft}; color: {t.ink}; }}
    QHeaderView::section {{
        background: {t.panel};
        color: {t.quiet};
        border: none;
        border-bottom: 1px solid {t.line};
        padding: 5px 8px;
        font-weight: bold;
    }}
    QTableWidget::item {{ padding: 2px 6px; }}
    QTabWidget::pane {{ border: 1px solid {t.line}; border-radius: 5px; top: -1px; }}
    QTabBar::tab {{ padding: 6px 12px; border: none; border-bottom: 3px solid transparent; }}
    QTabBar::tab:selected {{ border-bottom-color: {t.accent}; font-weight: bold; }}
    QTabBar::tab:focus {{ background: {t.accent_soft}; }}
    QSplitter::handle {{ background: {t.line}; }}
    QScrollBar:vertical {{ background: transparent; width: 11px; }}
    QScrollBar:horizontal {{ background: transparent; height: 11px; }}
    QScrollBar::handle {{ background: {t.line}; border-radius: 5px; min-height: 28px; min-width: 28px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    """
