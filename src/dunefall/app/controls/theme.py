"""Colours, fonts and measures of both themes; colour means the kind of signal and nothing else."""

from __future__ import annotations

from dataclasses import dataclass, fields
from functools import cache

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication, QWidget

from dunefall.patch.library import DATA

__all__ = ["DUSK", "NOON", "THEMES", "Theme", "apply_theme", "load_fonts", "mono", "numerals", "sans", "wanted_theme"]


@dataclass(frozen=True)
class Theme:
    """One theme's colours as ``#RRGGBB`` and the strength of a dimmed trace."""

    name: str
    ground: str
    raised: str
    card: str
    line: str
    edge: str
    text: str
    text2: str
    on_accent: str
    audio: str
    control: str
    gate: str
    pitch: str
    good: str
    hot: str
    dim: float

    def colour(self, name: str) -> QColor:
        """A colour by its field's name."""
        return QColor(getattr(self, name))

    @property
    def kinds(self) -> tuple[str, str, str, str]:
        """Names of the four kinds of signals, in the order of ``dsp.strokes``."""
        return ("audio", "control", "gate", "pitch")


NOON = Theme(
    "noon", ground="#F3EADB", raised="#FBF6EC", card="#FFFDF8", line="#D9CCB8", edge="#8A7B6B", text="#2B2420",
    text2="#675B51", on_accent="#FBF6EC", audio="#B85C14", control="#1B756A", gate="#B0352C", pitch="#5B4BB3",
    good="#4B7A35", hot="#8E1150", dim=0.82,
)  # fmt: skip
DUSK = Theme(
    "dusk", ground="#201C22", raised="#2A252C", card="#332D35", line="#4A414C", edge="#8C808E", text="#F1E9DF",
    text2="#BDB1AA", on_accent="#201C22", audio="#F2A65A", control="#59B8A8", gate="#EE7B6B", pitch="#A99BEA",
    good="#8FBF7A", hot="#FF7FB0", dim=0.68,
)  # fmt: skip
THEMES = {theme.name: theme for theme in (NOON, DUSK)}
FONTS = DATA / "fonts"


def load_fonts() -> None:
    """Make the shipped fonts known; the window uses no others."""
    for path in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


@cache
def _font(family: str, size: int, weight: int) -> QFont:
    """One font for all who ask; who wants to change it takes a copy."""
    font = QFont(family)
    font.setPixelSize(size)
    font.setWeight(QFont.Weight(weight))
    font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    return font


def sans(size: float, weight: int = 400) -> QFont:
    """IBM Plex Sans of a size in px and a weight of 400, 500 or 600."""
    return _font("IBM Plex Sans", round(size), weight)


def mono(size: float, weight: int = 500) -> QFont:
    """IBM Plex Mono, whose numerals are all of one width."""
    return _font("IBM Plex Mono", round(size), weight)


def numerals(widget: QWidget, size: float, weight: int = 600) -> None:
    """Let a widget show its text in tabular numerals."""
    widget.setProperty("numerals", True)
    widget.setFont(mono(size, weight))


def wanted_theme(choice: str | None) -> Theme:
    """The theme that the user named, or that the desktop asks for; Noon otherwise."""
    if choice:
        return THEMES[choice]
    dark = QGuiApplication.styleHints().colorScheme() == Qt.ColorScheme.Dark
    return DUSK if dark else NOON


_SHEET = """
QWidget {{ color: {text}; font-family: "IBM Plex Sans"; }}
*[numerals="true"] {{ font-family: "IBM Plex Mono"; }}
QToolTip {{ background: {card}; color: {text}; border: 1px solid {edge}; padding: 4px; }}
QMenu, QDialog {{ background: {raised}; border: 1px solid {edge}; }}
QMenu::item {{ padding: 6px 24px 6px 16px; }}
QMenu::item:selected {{ background: {text}; color: {on_accent}; }}
QMenu::item:disabled {{ color: {edge}; }}
QMenu::separator {{ height: 1px; background: {line}; margin: 4px 8px; }}
QPushButton, QToolButton {{ background: {card}; border: 1px solid {edge}; border-radius: 6px; padding: 5px 12px; }}
QPushButton:hover, QToolButton:hover {{ border-color: {text}; }}
QPushButton:focus, QToolButton:focus {{ border: 2px solid {text}; padding: 4px 11px; }}
QPushButton:checked, QToolButton:checked {{ background: {text}; color: {on_accent}; }}
QPushButton:disabled {{ color: {edge}; border-color: {line}; }}
QPushButton[plain="true"] {{ background: transparent; border: 1px solid transparent; padding: 2px 4px;
  margin-left: -5px; text-align: left; }}
QPushButton[plain="true"]:hover {{ border-color: {edge}; }}
QPushButton[plain="true"]:focus {{ border: 1px solid {text}; }}
QTabWidget::pane {{ background: {raised}; border: 1px solid {edge}; border-radius: 6px; }}
QTabBar::tab {{ background: {ground}; color: {text}; border: 1px solid {edge}; padding: 5px 14px; margin-right: 4px; }}
QTabBar::tab:selected {{ background: {text}; color: {on_accent}; }}
QTabBar::tab:focus {{ border: 2px solid {text}; padding: 4px 13px; }}
QScrollArea[drawer="true"] {{ border: none; border-left: 2px solid {edge}; }}
QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QComboBox {{ background: {card}; border: 1px solid {edge}; border-radius: 4px; padding: 3px 6px; }}
QComboBox::drop-down {{ border: none; width: 22px; }}
QComboBox::down-arrow {{ image: url("{icons}/down.svg"); width: 12px; height: 12px; }}
QSpinBox::up-button, QSpinBox::down-button {{ width: 0; border: none; }}
QComboBox QAbstractItemView {{ background: {card}; color: {text}; selection-background-color: {text};
  selection-color: {on_accent}; }}
QLineEdit, QSpinBox, QDoubleSpinBox, QListWidget {{ background: {card}; border: 1px solid {edge}; border-radius: 4px;
  padding: 3px 6px; selection-background-color: {text}; selection-color: {on_accent}; }}
QLineEdit:focus, QListWidget:focus {{ border: 2px solid {text}; padding: 2px 5px; }}
QLineEdit[wrong="true"] {{ border: 2px solid {hot}; padding: 2px 5px; }}
QScrollArea, QAbstractScrollArea {{ border: none; background: {ground}; }}
QScrollBar {{ background: {ground}; width: 10px; height: 10px; border: none; }}
QScrollBar::handle {{ background: {line}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QProgressBar {{ background: {card}; border: 1px solid {edge}; border-radius: 4px; text-align: center; }}
QProgressBar::chunk {{ background: {line}; border-radius: 3px; }}
"""


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Set palette, font and style sheet of the whole application."""
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: "raised", QPalette.ColorRole.Base: "card", QPalette.ColorRole.Text: "text",
        QPalette.ColorRole.WindowText: "text", QPalette.ColorRole.ButtonText: "text", QPalette.ColorRole.Button: "card",
        QPalette.ColorRole.Highlight: "text", QPalette.ColorRole.HighlightedText: "on_accent",
        QPalette.ColorRole.PlaceholderText: "text2", QPalette.ColorRole.Link: "text",
    }  # fmt: skip
    for role, name in roles.items():
        palette.setColor(role, theme.colour(name))
    app.setPalette(palette)
    app.setFont(sans(12))
    values = {field.name: getattr(theme, field.name) for field in fields(theme)}
    app.setStyleSheet(_SHEET.format(icons=(DATA / "icons").as_posix(), **values))
