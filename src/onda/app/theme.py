"""Colours, fonts and the style sheet, by day and by night."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase

from onda.project.shown_units import ShownUnits, choose_units, units_in_use
from onda.studies.core.margin import State

__all__ = ["DAY", "NIGHT", "Look", "Tokens"]


@dataclass(frozen=True, slots=True)
class Tokens:
    """Colours by role. The `_ink` ones are for text, with contrast 4.5 : 1 on paper and sheet."""

    paper: str
    sheet: str
    hairline: str
    ink: str
    secondary: str
    sea: str
    sea_tint: str
    on_sea: str
    kept: str
    kept_ink: str
    holds: str
    tight: str
    tight_ink: str
    fails: str
    unknown: str
    copper: str
    copper_edge: str
    coating: str
    dielectric_low: str
    dielectric_high: str
    track: str
    via: str
    inner: str
    series: tuple[str, ...]
    below_zero: str
    above_high: tuple[str, str]


DAY = Tokens(
    paper="#F3F0E8",
    sheet="#FCFAF5",
    hairline="#DCD5C7",
    ink="#1E2B33",
    secondary="#56646B",
    sea="#0E6B78",
    sea_tint="#D5E6E6",
    on_sea="#FFFFFF",
    kept="#8F7742",
    kept_ink="#75612F",
    holds="#3F7F4F",
    tight="#A8710F",
    tight_ink="#8A5A07",
    fails="#B8432F",
    unknown="#7F878B",
    copper="#C98D5F",
    copper_edge="#7E4522",
    coating="#BFD6C6",
    dielectric_low="#EFE9D6",
    dielectric_high="#DCCFA8",
    track="#E8E4D8",
    via="#8FA9B0",
    inner="#C7B08A",
    series=(
        "#0E6B78",
        "#B8552F",
        "#47519E",
        "#6B8B2F",
        "#8C3F73",
        "#C3922E",
        "#4F7CA3",
        "#6E5544",
    ),
    below_zero="#47519E",
    above_high=("#D98A2B", "#B8432F"),
)

NIGHT = Tokens(
    paper="#12191D",
    sheet="#19232A",
    hairline="#2C3A42",
    ink="#E6E2D6",
    secondary="#9FAEB5",
    sea="#4FB3BF",
    sea_tint="#1F3C43",
    on_sea="#0C1417",
    kept="#B79C62",
    kept_ink="#C9AF78",
    holds="#6DB57F",
    tight="#D9A441",
    tight_ink="#E0B055",
    fails="#E5735C",
    unknown="#8B969B",
    copper="#B57B50",
    copper_edge="#E3B48E",
    coating="#3A5A4A",
    dielectric_low="#2E3029",
    dielectric_high="#47432F",
    track="#26323A",
    via="#5F7C85",
    inner="#8A7751",
    series=(
        "#4FB3BF",
        "#E08A5E",
        "#8F9AE6",
        "#A5C465",
        "#CC86B5",
        "#E0B962",
        "#86B2D6",
        "#B39882",
    ),
    below_zero="#7C86DD",
    above_high=("#E0A050", "#E5735C"),
)


class Look(QObject):
    """The look in force; widgets redraw on `changed`."""

    changed = pyqtSignal()

    def __init__(self, tokens: Tokens = DAY) -> None:
        super().__init__()
        self.t = tokens
        families = QFontDatabase.families()
        self._sans = QFont().family() if QFont().family() in families else "DejaVu Sans"
        self._mono = "DejaVu Sans Mono" if "DejaVu Sans Mono" in families else "monospace"

    @property
    def is_night(self) -> bool:
        """Whether the night tokens are in force."""
        return self.t is NIGHT

    def set_night(self, night: bool) -> None:
        """Change between day and night."""
        tokens = NIGHT if night else DAY
        if tokens is not self.t:
            self.t = tokens
            self.changed.emit()

    def set_units(self, units: ShownUnits) -> None:
        """Show lengths and losses in other units, everywhere."""
        if units != units_in_use():
            choose_units(units)
            self.changed.emit()

    def font(self, size: int = 12, *, bold: bool = False) -> QFont:
        """The sans font at a size in pixels."""
        font = QFont(self._sans)
        font.setPixelSize(size)
        font.setBold(bold)
        return font

    def mono(self, size: int = 12, *, bold: bool = False) -> QFont:
        """The font for numbers."""
        font = QFont(self._mono)
        font.setPixelSize(size)
        font.setBold(bold)
        return font

    def state_color(self, state: State) -> QColor:
        """Fill colour of a state."""
        t = self.t
        return QColor(
            {
                State.HOLDS: t.holds,
                State.TIGHT: t.tight,
                State.FAILS: t.fails,
                State.UNKNOWN: t.unknown,
            }[state]
        )

    def state_ink(self, state: State) -> QColor:
        """Text colour of a state."""
        t = self.t
        return QColor(
            {
                State.HOLDS: t.ink,
                State.TIGHT: t.tight_ink,
                State.FAILS: t.fails,
                State.UNKNOWN: t.secondary,
            }[state]
        )

    def style_sheet(self) -> str:
        """Style of the standard widgets."""
        t = self.t
        return f"""
        QWidget {{ background: {t.paper}; color: {t.ink}; font-family: "{self._sans}"; font-size: 12px; }}
        QLabel {{ background: transparent; }}
        CurvePlot, CurvePlot QWidget {{ background: transparent; border: none; }}
        #sheet, #course, #inspector, #strip {{ background: {t.sheet}; }}
        #course {{ border-bottom: 2px solid {t.hairline}; }}
        #strip {{ border-top: 2px solid {t.hairline}; }}
        #listing {{ border-right: 2px solid {t.hairline}; }}
        #inspector {{ border-left: 2px solid {t.hairline}; }}
        #inspector QWidget, #strip QWidget, #course QWidget {{ background: {t.sheet}; }}
        #title {{ font-size: 14px; font-weight: bold; }}
        #heading {{ font-size: 12px; font-weight: bold; }}
        #secondary {{ color: {t.secondary}; font-size: 11px; }}
        #error {{ color: {t.fails}; font-size: 11px; }}
        #mono {{ font-family: "{self._mono}"; }}
        #big {{ font-family: "{self._mono}"; font-size: 28px; font-weight: bold; }}
        QLabel[level="error"] {{ color: {t.fails}; }}
        #whole {{ background: {t.sheet}; border: 1px solid {t.sea}; border-radius: 6px; }}
        #whole[level="error"] {{ border: 1px solid {t.fails}; }}
        #card {{ background: {t.sheet}; border: 1px solid {t.hairline}; border-radius: 6px; }}
        #card QWidget {{ background: {t.sheet}; }}
        QPushButton#entry {{ text-align: left; border-radius: 5px; padding: 5px 10px; }}
        QCheckBox {{ spacing: 6px; }}
        QCheckBox::indicator {{ width: 13px; height: 13px; border: 1px solid {t.secondary}; border-radius: 3px; background: {t.sheet}; }}
        QCheckBox::indicator:checked {{ background: {t.sea}; border-color: {t.sea}; }}
        QCheckBox:focus {{ color: {t.sea}; }}
        QProgressBar {{ background: {t.track}; border: none; border-radius: 3px; }}
        QProgressBar::chunk {{ background: {t.sea}; border-radius: 3px; }}
        QTableWidget {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.hairline};
            border-radius: 5px; gridline-color: {t.hairline}; }}
        QTableWidget::item:selected {{ background: {t.sea_tint}; color: {t.ink}; }}
        QLineEdit, QComboBox {{ background: {t.sheet}; border: 1px solid {t.hairline}; border-radius: 5px;
            padding: 2px 6px; min-height: 20px; selection-background-color: {t.sea}; selection-color: {t.on_sea}; }}
        QLineEdit:focus, QComboBox:focus {{ border: 2px solid {t.sea}; padding: 1px 5px; }}
        QLineEdit[bad="true"] {{ border: 2px solid {t.fails}; padding: 1px 5px; }}
        QComboBox QAbstractItemView {{ background: {t.sheet}; color: {t.ink}; selection-background-color: {t.sea_tint};
            selection-color: {t.ink}; border: 1px solid {t.hairline}; }}
        QComboBox::drop-down {{ border: none; width: 18px; }}
        QPushButton {{ background: {t.sheet}; border: 1px solid {t.hairline}; border-radius: 11px; padding: 3px 14px; min-height: 16px; }}
        QPushButton:hover {{ border-color: {t.sea}; }}
        QPushButton:focus {{ border: 2px solid {t.sea}; padding: 2px 13px; }}
        QPushButton:disabled {{ color: {t.unknown}; }}
        QPushButton#primary {{ background: {t.sea}; color: {t.on_sea}; border: 1px solid {t.sea}; font-weight: bold; }}
        QPushButton#primary:focus {{ border: 2px solid {t.ink}; }}
        QPushButton#chip {{ border: none; border-radius: 5px; background: transparent; color: {t.secondary}; padding: 2px 8px; }}
        QPushButton#chip:hover {{ color: {t.ink}; }}
        QPushButton#chip:checked {{ background: {t.sea_tint}; color: {t.ink}; }}
        QPushButton#chip:focus {{ border: 1px solid {t.sea}; padding: 1px 7px; }}
        QListWidget::item {{ padding: 2px 4px; }}
        QListWidget::item:selected {{ background: {t.sea_tint}; color: {t.ink}; }}
        QPushButton#plain {{ border: none; background: transparent; padding: 2px 6px; color: {t.sea}; font-weight: bold; }}
        QPushButton#plain:focus {{ border: 2px solid {t.sea}; padding: 0 4px; }}
        QListWidget {{ background: transparent; border: none; outline: none; }}
        QScrollArea {{ border: none; background: transparent; }}
        QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
        QScrollBar::handle:vertical {{ background: {t.hairline}; border-radius: 4px; min-height: 24px; }}
        QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
        QScrollBar:horizontal {{ background: transparent; height: 8px; }}
        QScrollBar::handle:horizontal {{ background: {t.hairline}; border-radius: 4px; }}
        QMenu {{ background: {t.sheet}; border: 1px solid {t.hairline}; padding: 4px; }}
        QMenu::item {{ padding: 4px 18px; border-radius: 4px; }}
        QMenu::item:selected {{ background: {t.sea_tint}; }}
        QMenu::item:disabled {{ color: {t.unknown}; }}
        QToolTip {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.hairline}; padding: 4px; }}
        """
