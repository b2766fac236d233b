"""Before anything is shown a drawing bears whatever is done to it, and asks for nothing."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from onda.app.selection import Selection
from onda.app.stages.buses.case_map import CaseMap
from onda.app.stages.buses.level_chart import LevelChart
from onda.app.stages.coupling.cross_view import CrossView
from onda.app.stages.coupling.lanes_view import LanesView
from onda.app.stages.coupling.matrix_view import MatrixView
from onda.app.stages.eyes.eye_view import EyeView
from onda.app.stages.eyes.rate_eye import RateEye
from onda.app.stages.eyes.strip import Strip
from onda.app.stages.lines.layers_view import LayersView
from onda.app.stages.lines.map_view import MapView
from onda.app.stages.lines.section_view import SectionView
from onda.app.stages.lines.shield_view import ShieldView
from onda.app.stages.lines.spread_bars import SpreadBars
from onda.app.stages.networks.chain_view import ChainView
from onda.app.stages.networks.circle_plot import CirclePlot
from onda.app.stages.paths.profile import Profile
from onda.app.stages.paths.ribbon import Ribbon
from onda.app.stages.paths.scale import Probes
from onda.app.stages.paths.sweep_view import MarginField
from onda.app.stages.paths.wave_map import WaveMap
from onda.app.stages.stackup.build_view import BuildView
from onda.app.stages.stackup.remarks import RemarkLines
from onda.app.theme import Look
from tests.app.conftest import drag

_PLAIN: tuple[Callable[[Look], QWidget], ...] = (
    BuildView, CaseMap, ChainView, CirclePlot, CrossView, EyeView, LanesView, LayersView,
    LevelChart, MapView, MarginField, MatrixView, RateEye, RemarkLines, SectionView, ShieldView,
    SpreadBars, Strip,
)  # fmt: skip
_OF_A_PATH = (Profile, Ribbon, WaveMap)


def made(kind: type[QWidget], look: Look) -> QWidget:
    if kind is WaveMap:
        return WaveMap(look, Probes())
    if kind in (Profile, Ribbon):
        return kind(look, Selection("paths", str), Probes())  # type: ignore[call-arg]
    return kind(look)  # type: ignore[call-arg]


@pytest.mark.parametrize("kind", [*_PLAIN, *_OF_A_PATH], ids=lambda kind: kind.__name__)
def test_nothing_happens_to_what_shows_nothing(
    qtbot: QtBot, look: Look, kind: type[QWidget]
) -> None:
    view = made(kind, look)
    qtbot.addWidget(view)
    view.resize(640, 400)
    view.show()
    asked: list[str] = []
    for name in dir(kind):
        if isinstance(getattr(kind, name), pyqtSignal) and name not in dir(QWidget):
            getattr(view, name).connect(lambda *_, name=name: asked.append(name))
    for x, y in ((5, 5), (320, 200), (630, 390)):
        at = QPoint(x, y)
        QTest.mouseMove(view, at)
        for button in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            QTest.mouseClick(view, button, pos=at)
        QTest.mouseDClick(view, Qt.MouseButton.LeftButton, pos=at)
        turned = QWheelEvent(
            QPointF(at), view.mapToGlobal(QPointF(at)), QPoint(), QPoint(0, 120),
            Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase,
            False,
        )  # fmt: skip
        QApplication.sendEvent(view, turned)
    drag(view, QPointF(20, 20), QPointF(500, 300))
    for key in (
        Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Plus,
        Qt.Key.Key_Minus, Qt.Key.Key_Return, Qt.Key.Key_Delete, Qt.Key.Key_R, Qt.Key.Key_Comma,
    ):  # fmt: skip
        QTest.keyClick(view, key)
    picture = view.grab()
    assert (picture.width(), picture.height()) == (640, view.height())
    # What a drag begins and ends is known to who listens; what is wanted of nothing is not.
    assert set(asked) <= {"drag_began", "drag_ended", "hovered"}
