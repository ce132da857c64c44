"""Type, spacing and the style sheet, all made from the colour roles."""

from __future__ import annotations

from functools import lru_cache
from importlib import resources
from pathlib import Path
from string import Template
from tempfile import TemporaryDirectory

import qtawesome
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPalette
from PySide6.QtWidgets import QApplication, QWidget

from north_hush.desk.look.roles import NIGHT_WATCH, Theme

FAMILY = "B612"
TEXT_PX, SMALL_PX, LARGE_PX = 13, 12, 22
UNIT = 4
"""All spacing is a multiple of 4 px."""

_SHEET = Template("""
* { font-family: "$family"; font-size: ${text_px}px; color: $text; }
QMainWindow, QDialog { background: $ground; }
QWidget#surface { background: $surface; }
QWidget#ground { background: $ground; }
QLabel { background: transparent; }
QLabel[role="muted"] { color: $muted; font-size: ${small_px}px; }
QLabel[role="title"] { font-weight: bold; }
QLabel[role="stage"] { font-size: 16px; font-weight: bold; }
QLabel[role="large"] { font-size: ${large_px}px; }
QLabel[role="warning"] { color: $warning; font-size: ${small_px}px; }
QLabel[role="error"] { color: $alarm; }
QFrame[role="rule"] { background: $rule; border: none; max-height: 1px; min-height: 1px; }
QToolTip { background: $raised; color: $text; border: 1px solid $rule; padding: 4px; font-size: ${small_px}px; }
QPushButton, QToolButton { background: transparent; border: 1px solid $rule; border-radius: 3px; padding: 4px 8px; }
QToolButton[flat="true"], QPushButton[flat="true"] { border-color: transparent; }
QPushButton:hover, QToolButton:hover { background: $raised; }
QPushButton:checked, QToolButton:checked { border-color: $accent; color: $accent; }
QPushButton:focus, QToolButton:focus { border: 1px dashed $text; }
QPushButton:disabled, QToolButton:disabled { color: $rule; }
QToolButton[role="stage"] { border: none; border-left: 3px solid transparent; border-radius: 0; padding: 8px 2px; color: $muted;
  font-size: ${small_px}px; }
QToolButton[role="stage"]:checked { border-left-color: $accent; color: $text; background: $surface; }
QToolButton[role="stage"]:focus { background: $raised; border-left: 3px dashed $text; }
QFrame#card { background: $surface; border: 1px solid $rule; border-radius: 4px; }
QPushButton[role="turn"] { text-align: left; padding: 3px 8px; }
QPushButton[role="choice"] { text-align: left; }
QToolButton[role="chip"] { border-radius: 10px; padding: 2px 10px; }
QLineEdit, QComboBox, QAbstractSpinBox { background: $raised; border: 1px solid $rule; border-radius: 3px; padding: 2px 4px;
  selection-background-color: $accent; selection-color: $on_accent; min-height: 20px; }
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button { width: 18px; border: none; background: transparent; }
QAbstractSpinBox::up-button { subcontrol-origin: border; subcontrol-position: top right; }
QAbstractSpinBox::down-button { subcontrol-origin: border; subcontrol-position: bottom right; }
QAbstractSpinBox::up-button:hover, QAbstractSpinBox::down-button:hover { background: $rule; }
QAbstractSpinBox::up-arrow { image: url("$arrow_up"); width: 10px; height: 10px; }
QAbstractSpinBox::down-arrow { image: url("$arrow"); width: 10px; height: 10px; }
QLineEdit:focus, QComboBox:focus, QAbstractSpinBox:focus { border: 1px dashed $text; }
QComboBox::drop-down, QDateTimeEdit::drop-down { border: none; width: 20px; background: transparent; }
QComboBox::down-arrow { image: url("$arrow"); width: 12px; height: 12px; }
QComboBox QAbstractItemView { background: $raised; border: 1px solid $rule; selection-background-color: $accent;
  selection-color: $on_accent; }
QTabWidget::pane { border: none; border-top: 1px solid $rule; }
QTabBar::tab { background: transparent; padding: 4px 8px; color: $muted; border-bottom: 2px solid transparent; }
QTabBar::tab:selected { color: $text; border-bottom-color: $accent; }
QHeaderView::section { background: transparent; color: $muted; border: none; padding: 2px 4px; font-size: ${small_px}px; }
QListView, QTreeView, QTableView { background: $surface; border: none; outline: none; }
QListView::item { padding: 2px; border-left: 3px solid transparent; }
QListView::item:selected { background: $raised; border-left-color: $accent; color: $text; }
QTreeView::item { padding: 1px; }
QTreeView::item:selected { background: $raised; color: $accent; }
QTreeView::item:hover { background: $raised; }
QTreeView:focus, QListView:focus, QTableView:focus, QTextBrowser:focus { border: 1px dashed $text; }
QTabBar:focus { border: 1px dashed $text; }
QListView::item:hover { background: $raised; }
QScrollBar:vertical { background: transparent; width: 8px; }
QScrollBar:horizontal { background: transparent; height: 8px; }
QScrollBar::handle { background: $rule; border-radius: 4px; min-height: 24px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollArea { border: none; background: transparent; }
QSlider::groove:horizontal { height: 2px; background: $rule; }
QSlider::handle:horizontal { width: 10px; margin: -6px 0; border-radius: 2px; background: $text; }
QSlider::handle:horizontal:focus { background: $accent; }
QProgressBar { border: none; background: $rule; max-height: 4px; min-height: 4px; }
QProgressBar::chunk { background: $accent; }
QMenu { background: $raised; border: 1px solid $rule; padding: 4px; }
QMenu::item { padding: 4px 20px; }
QMenu::item:selected { background: $accent; color: $on_accent; }
QSplitter::handle { background: $rule; }
QSplitter::handle:vertical { height: 1px; }
QCheckBox::indicator { width: 14px; height: 14px; border: 1px solid $muted; border-radius: 2px; }
QCheckBox:focus { border: 1px dashed $text; }
QCheckBox::indicator:checked { background: $accent; border-color: $accent; }
""")


def style_sheet(theme: Theme) -> str:
    """The style sheet of a theme."""
    colours = {name: value for name, value in vars(theme).items() if isinstance(value, str)}
    return _SHEET.substitute(
        colours,
        arrow=_arrow(theme, "down"),
        arrow_up=_arrow(theme, "up"),
        family=FAMILY,
        text_px=TEXT_PX,
        small_px=SMALL_PX,
        large_px=LARGE_PX,
    )


@lru_cache
def _arrow(theme: Theme, way: str) -> str:
    """A picture of the arrow of combo and spin boxes; style sheets take pictures only from files."""
    path = Path(_pictures().name) / f"arrow {way} {theme.name}.png"
    if QApplication.instance() is not None:
        qtawesome.icon(f"ph.caret-{way}", color=theme.muted).pixmap(24, 24).save(str(path))
    return path.as_posix()


@lru_cache(maxsize=1)
def _pictures() -> TemporaryDirectory[str]:
    return TemporaryDirectory(prefix="north-hush-")


def apply_theme(application: QApplication, theme: Theme) -> None:
    """Give the application a theme's type and colours, which widgets take when they are made; `dress` does the rest."""
    worn = application.property("theme")
    if worn == theme.name:
        return
    application.setProperty("theme", theme.name)
    load_fonts()
    if worn is None:
        application.setStyle("Fusion")
    application.setFont(text_font())
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, colour in (
        (roles.Window, theme.ground), (roles.Base, theme.surface), (roles.AlternateBase, theme.raised), (roles.Text, theme.text),
        (roles.WindowText, theme.text), (roles.Button, theme.surface), (roles.ButtonText, theme.text), (roles.Highlight, theme.accent),
        (roles.HighlightedText, theme.on_accent), (roles.PlaceholderText, theme.muted), (roles.ToolTipBase, theme.raised),
        (roles.ToolTipText, theme.text),
    ):  # fmt: skip
        palette.setColor(role, QColor(colour))
    application.setPalette(palette)


def dress(window: QWidget, theme: Theme) -> None:
    """Give a window, what will be in it and what opens from it a theme's style sheet.

    Once it is put together: a sheet that is there before, as that of an application is, is worked out anew for all of a part each
    time it is laid into another, which took most of the time in which the window was made.
    """
    window.setStyleSheet(style_sheet(theme))


@lru_cache(maxsize=1)
def load_fonts() -> None:
    """Make the bundled type family known."""
    folder = resources.files("north_hush.desk.look") / "fonts"
    for name in ("B612-Regular.otf", "B612-Bold.otf"):
        QFontDatabase.addApplicationFontFromData((folder / name).read_bytes())


def text_font(size_px: int = TEXT_PX, *, bold: bool = False) -> QFont:
    """The one family, by pixel size. Its figures are tabular by design."""
    font = QFont(FAMILY)
    font.setPixelSize(size_px)
    font.setBold(bold)
    return font


def icon(name: str, theme: Theme = NIGHT_WATCH, *, role: str = "text") -> QIcon:
    """An icon of the Phosphor set in a colour role, accent while checked."""
    return qtawesome.icon(f"ph.{name}", color=getattr(theme, role), color_on=theme.accent, color_disabled=theme.rule)
