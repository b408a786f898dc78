"""Colours, sizes and the style sheet, light and dark. The only place that knows a colour.

Data colours are the Okabe-Ito set, the same for the same thing everywhere, each with a shape of its own.
"""

from __future__ import annotations

from dataclasses import dataclass
from importlib import resources

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from ..settings import remember, remembered

PAPER = "#ffffff"  # what is printed on
TARGET_PX = 40  # least height of anything that is touched


@dataclass(frozen=True)
class Theme:
    """One set of tokens. data : quantity to colour."""

    name: str
    paper: str
    sheet: str
    ink: str
    soft: str
    rule: str
    accent: str
    accent_ink: str
    wash: str
    good: str
    warn: str
    bad: str
    data: dict[str, str]


_OKABE_ITO = {
    "rate": "#0072B2", "low": "#C98600", "per_watt": "#009E73", "marginal": "#B5578A", "package_w": "#2E94C9",
    "draw_w": "#3A3F47", "die_c": "#D55E00", "shell_c": "#9C8A00", "interval": "#0072B2", "charge": "#009E73",
    "cpu_mhz": "#0072B2", "gpu_mhz": "#B5578A", "memory_mhz": "#9C8A00",
}  # fmt: skip
_OKABE_ITO_DARK = {
    "rate": "#56A9E8", "low": "#E69F00", "per_watt": "#2DC79B", "marginal": "#DD8FB9", "package_w": "#56B4E9",
    "draw_w": "#D8D4C8", "die_c": "#F0803C", "shell_c": "#F0E442", "interval": "#56A9E8", "charge": "#2DC79B",
    "cpu_mhz": "#56A9E8", "gpu_mhz": "#DD8FB9", "memory_mhz": "#F0E442",
}  # fmt: skip

# quantity -> symbol of the plotting library, so that colour is never the only code
SHAPES = {"rate": "o", "low": "d", "per_watt": "t1", "marginal": "s", "package_w": "o", "draw_w": "x"}

LIGHT = Theme(
    "light", "#F4F1EA", "#FFFDF8", "#20242B", "#59606B", "#D5CFC1", "#215E5B", "#FFFFFF", "#E6EDE8",
    "#1E6B3A", "#8A5A00", "#A3281D", _OKABE_ITO,
)  # fmt: skip
DARK = Theme(
    "dark", "#1A1C20", "#22252B", "#E9E5DB", "#A3A9B3", "#3B4049", "#6FB8AE", "#10201F", "#24322F",
    "#7CC796", "#E3B04B", "#F08A7C", _OKABE_ITO_DARK,
)  # fmt: skip

_current = LIGHT


def current() -> Theme:
    """The theme in use."""
    return _current


def load_fonts() -> None:
    """Register the shipped fonts; quietly keeps the desktop's where they cannot be read."""
    folder = resources.files(__package__).joinpath("fonts")
    for entry in folder.iterdir():
        if entry.name.endswith(".otf"):
            with resources.as_file(entry) as path:
                QFontDatabase.addApplicationFont(str(path))


def base_font(pixels: int = 14, *, strong: bool = False) -> QFont:
    """The text font with tabular figures."""
    font = QFont("Inter")
    font.setPixelSize(pixels)
    font.setFeature(QFont.Tag("tnum"), 1)
    if strong:
        font.setWeight(QFont.Weight.DemiBold)
    return font


APPEARANCES = (("follow", "as the desktop"), ("light", "light"), ("dark", "dark"))
_APPEARANCE = "appearance"


def appearance() -> str:
    """What was chosen: follow, light or dark."""
    kept = str(remembered(_APPEARANCE, "follow"))
    return kept if kept in dict(APPEARANCES) else "follow"


def choose_appearance(wanted: str) -> None:
    """Use another appearance from now on, and remember it."""
    remember(_APPEARANCE, wanted)
    application = QApplication.instance()
    if isinstance(application, QApplication):
        apply(application, _wanted(application))


def _wanted(application: QApplication) -> Theme:
    chosen, hints = appearance(), application.styleHints()
    is_dark = hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
    return DARK if chosen == "dark" or (chosen == "follow" and is_dark) else LIGHT


def follow_desktop(application: QApplication) -> None:
    """Apply the appearance that was chosen, or the theme of the desktop's colour scheme, and follow it."""
    apply(application, _wanted(application))
    hints = application.styleHints()
    if hints is not None:
        hints.colorSchemeChanged.connect(lambda _scheme: apply(application, _wanted(application)))


def apply(application: QApplication, theme: Theme) -> None:
    """Use `theme` for everything shown from now on, and tell every window to draw anew."""
    global _current
    _current = theme
    if not application.styleSheet():
        application.setStyle("Fusion")
        application.setFont(base_font())
    application.setPalette(_palette(theme))
    application.setStyleSheet(style_sheet(theme))
    for widget in application.allWidgets():
        retheme = getattr(widget, "retheme", None)
        if callable(retheme):
            retheme()


def _palette(theme: Theme) -> QPalette:
    palette = QPalette()
    role = QPalette.ColorRole
    for which, colour in (
        (role.Window, theme.paper), (role.Base, theme.sheet), (role.AlternateBase, theme.paper),
        (role.WindowText, theme.ink), (role.Text, theme.ink), (role.ButtonText, theme.ink),
        (role.Button, theme.sheet), (role.Highlight, theme.accent), (role.HighlightedText, theme.accent_ink),
        (role.ToolTipBase, theme.sheet), (role.ToolTipText, theme.ink), (role.PlaceholderText, theme.soft),
        (role.Mid, theme.rule), (role.Dark, theme.rule), (role.Light, theme.sheet), (role.Link, theme.accent),
    ):  # fmt: skip
        palette.setColor(which, QColor(colour))
    for which in (role.WindowText, role.Text, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, which, QColor(theme.soft))
    return palette


def style_sheet(theme: Theme) -> str:
    """The style sheet: paper, rules and fill-in fields."""
    t = theme
    arrows = str(resources.files(__package__).joinpath("arrows")).replace("\\", "/")
    return f"""
    QWidget {{ color: {t.ink}; }}
    QMainWindow, QDialog, QScrollArea, QScrollArea > QWidget > QWidget {{ background: {t.paper}; }}
    QToolTip {{ color: {t.ink}; background: {t.sheet}; border: 1px solid {t.rule}; padding: 4px; }}
    #topRow, #benchLine {{ background: {t.sheet}; }}
    #topRow {{ border-bottom: 1px solid {t.rule}; }}
    #topRow QPushButton {{ border-color: transparent; background: transparent; padding: 0 8px; min-height: 36px; }}
    #topRow QPushButton:hover {{ border-color: {t.accent}; }}
    #topRow QPushButton:focus {{ border: 2px solid {t.accent}; }}
    #overlay {{ background: {t.paper}; border: 1px solid {t.accent}; border-top: none; }}
    #overlay:focus {{ border: 2px solid {t.accent}; border-top: none; }}
    #benchLine {{ border-top: 1px solid {t.rule}; }}
    #answerPanel {{ background: {t.wash}; border-bottom: 1px solid {t.rule}; }}
    #banner {{ background: {t.sheet}; border-bottom: 2px solid {t.warn}; }}
    #stageRail {{ background: {t.paper}; border-right: 1px solid {t.rule}; }}
    #card {{ background: {t.sheet}; border: 1px solid {t.rule}; border-radius: 3px; }}
    #pick {{ background: {t.wash}; border: 2px solid {t.accent}; border-radius: 3px; }}
    QLabel[kind="soft"] {{ color: {t.soft}; }}
    QLabel[kind="heading"] {{ font-size: 15px; font-weight: 600; }}
    QLabel[kind="figure"] {{ font-size: 22px; font-weight: 600; }}
    QLabel[kind="good"] {{ color: {t.good}; }}
    QLabel[kind="warn"] {{ color: {t.warn}; }}
    QLabel[kind="bad"] {{ color: {t.bad}; }}
    QPushButton {{ min-height: 38px; padding: 0 14px; border: 1px solid {t.rule}; border-radius: 3px;
                   background: {t.sheet}; }}
    QPushButton:hover {{ border-color: {t.accent}; }}
    QPushButton:focus {{ border: 2px solid {t.accent}; }}
    QPushButton:checked {{ background: {t.wash}; border: 2px solid {t.accent}; font-weight: 600; }}
    QPushButton:disabled {{ color: {t.soft}; background: {t.paper}; border: 1px dashed {t.rule}; }}
    QPushButton[kind="main"] {{ background: {t.accent}; color: {t.accent_ink}; font-weight: 600; }}
    QPushButton[kind="main"]:disabled {{ background: {t.rule}; color: {t.soft}; }}
    QPushButton[kind="main"]:focus {{ border: 2px solid {t.ink}; }}
    QPushButton[kind="stop"] {{ border: 2px solid {t.bad}; color: {t.bad}; font-weight: 600; }}
    QPushButton[kind="stop"]:disabled {{ border: 1px solid {t.rule}; color: {t.soft}; }}
    QPushButton[kind="stage"] {{ border: none; border-left: 4px solid transparent; border-radius: 0;
        text-align: left; background: transparent; min-height: 38px; padding: 0 8px 0 10px; }}
    QPushButton[kind="stage"]:hover {{ background: {t.wash}; }}
    QPushButton[kind="stage"]:checked {{ border-left: 4px solid {t.accent}; background: {t.sheet}; font-weight: 600; }}
    QPushButton[kind="stage"]:focus {{ border: 2px solid {t.accent}; }}
    QComboBox, QDoubleSpinBox, QSpinBox, QLineEdit {{ min-height: 36px; padding: 0 6px; background: {t.sheet};
        border: 1px solid {t.rule}; border-radius: 3px; selection-background-color: {t.accent};
        selection-color: {t.accent_ink}; }}
    QComboBox:focus, QDoubleSpinBox:focus, QSpinBox:focus, QLineEdit:focus {{ border: 2px solid {t.accent}; }}
    QComboBox:disabled, QDoubleSpinBox:disabled, QSpinBox:disabled, QLineEdit:disabled {{ background: {t.paper};
        color: {t.soft}; border: 1px dashed {t.rule}; }}
    QCheckBox:disabled {{ color: {t.soft}; }}
    QCheckBox::indicator:disabled {{ background: {t.paper}; border: 1px dashed {t.rule}; }}
    QTableView:disabled, QListWidget:disabled {{ color: {t.soft}; background: {t.paper}; }}
    QComboBox::drop-down {{ width: 20px; border: none; }}
    QComboBox::down-arrow, QDoubleSpinBox::down-arrow, QSpinBox::down-arrow {{ image: url({arrows}/down.svg);
        width: 12px; height: 12px; }}
    QDoubleSpinBox::up-arrow, QSpinBox::up-arrow {{ image: url({arrows}/up.svg); width: 12px; height: 12px; }}
    QDoubleSpinBox::up-button, QSpinBox::up-button {{ subcontrol-origin: border; subcontrol-position: top right;
        width: 30px; border: none; }}
    QDoubleSpinBox::down-button, QSpinBox::down-button {{ subcontrol-origin: border;
        subcontrol-position: bottom right; width: 30px; border: none; }}
    QComboBox QAbstractItemView {{ background: {t.sheet}; border: 1px solid {t.rule}; padding: 4px; }}
    #topRow QComboBox, #topRow QDoubleSpinBox, #overlay QComboBox, #overlay QDoubleSpinBox {{ border: none;
        border-bottom: 2px dotted {t.accent};
        border-radius: 0; background: transparent; color: {t.accent}; font-weight: 600; padding: 0 1px;
        min-height: 30px; margin: 4px 0; }}
    #topRow QComboBox:focus, #topRow QDoubleSpinBox:focus, #overlay QComboBox:focus,
    #overlay QDoubleSpinBox:focus {{ background: {t.wash};
        border-bottom: 2px solid {t.accent}; }}
    #topRow QDoubleSpinBox::up-button, #topRow QDoubleSpinBox::down-button {{ width: 18px; }}
    #topRow QComboBox::drop-down {{ width: 14px; }}
    QPushButton[kind="fold"] {{ border: none; background: transparent; color: {t.soft}; padding: 0 8px; }}
    QPushButton[kind="fold"]:checked {{ font-weight: 400; border: none; }}
    QPushButton[kind="fold"]:hover, QPushButton[kind="fold"]:focus {{ border: 2px solid {t.accent}; }}
    QCheckBox {{ min-height: 36px; spacing: 8px; }}
    QCheckBox:focus {{ border: 1px solid {t.accent}; }}
    QCheckBox::indicator, QListView::indicator {{ width: 18px; height: 18px; border: 1px solid {t.soft};
        border-radius: 3px; background: {t.sheet}; }}
    QCheckBox::indicator:checked, QListView::indicator:checked {{ border-color: {t.accent}; background: {t.accent};
        image: url({arrows}/check-{t.name}.svg); }}
    QTableView {{ background: {t.sheet}; border: 1px solid {t.rule}; gridline-color: {t.rule};
        selection-background-color: {t.wash}; selection-color: {t.ink}; alternate-background-color: {t.paper}; }}
    QTableCornerButton::section {{ background: {t.paper}; border: none; border-bottom: 1px solid {t.rule}; }}
    QTabWidget::pane {{ background: {t.paper}; border: 1px solid {t.rule}; }}
    QTabWidget > QStackedWidget > QWidget {{ background: {t.paper}; }}
    QTabBar::tab {{ min-height: 36px; padding: 0 14px; background: {t.paper}; border: 1px solid {t.rule};
        border-bottom: none; color: {t.soft}; }}
    QTabBar::tab:selected {{ background: {t.sheet}; color: {t.ink}; border-top: 3px solid {t.accent}; }}
    QTabBar::tab:focus {{ border: 2px solid {t.accent}; }}
    QTableView:focus {{ border: 2px solid {t.accent}; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.soft}; border: none; border-bottom: 1px solid {t.rule};
        padding: 4px 6px; font-size: 12px; font-weight: 400; }}
    QTableView {{ font-size: 13px; }}
    QListWidget {{ background: {t.sheet}; border: 1px solid {t.rule}; }}
    QListWidget:focus {{ border: 2px solid {t.accent}; }}
    QProgressBar {{ border: 1px solid {t.rule}; border-radius: 3px; background: {t.sheet}; text-align: center;
        min-height: 18px; }}
    QProgressBar::chunk {{ background: {t.wash}; border-right: 2px solid {t.accent}; }}
    QScrollBar:vertical {{ background: {t.paper}; width: 12px; }}
    QScrollBar::handle:vertical {{ background: {t.rule}; min-height: 28px; border-radius: 4px; }}
    QScrollBar:horizontal {{ background: {t.paper}; height: 12px; }}
    QScrollBar::handle:horizontal {{ background: {t.rule}; min-width: 28px; border-radius: 4px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QSplitter::handle {{ background: {t.paper}; }}
    QMenu {{ background: {t.sheet}; border: 1px solid {t.rule}; }}
    QMenu::item {{ padding: 8px 24px; }}
    QMenu::item:selected {{ background: {t.wash}; color: {t.ink}; }}
    """
