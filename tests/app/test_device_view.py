"""A device's view against a result made by hand, no two values of which are alike."""

from __future__ import annotations

import math
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from onda.app.stages.paths.device_view import DeviceView
from onda.app.theme import Look
from onda.engine.devices.buffer import Thresholds
from onda.project.quantities import split_si
from onda.studies.devices.device_model import DeviceResult, FixtureCurve

V = np.linspace(-1.0, 3.0, 9)
T = np.linspace(0.0, 2e-9, 5)


def result(**changes: Any) -> DeviceResult:
    values: dict[str, Any] = {
        "name": "io18", "kind": "I/O", "c_comp": 3.1e-12, "supply": 1.8,
        "thresholds": Thresholds(
            v_il=0.6, v_ih=1.1, over_high=2.1, over_low=-0.3, over_high_dynamic=2.5,
            over_low_dynamic=-0.7, over_time=2e-9,
        ),
        "remarks": (
            SimpleNamespace(line=12, kind="caution", keyword="[Pulldown]", text="runs downwards"),
            SimpleNamespace(line=40, kind="error", keyword="[Ramp]", text="no dV/dt"),
        ),
        "volts": V, "high": 0.01 * V, "low": -0.02 * V, "clamps": 0.003 * V,
        "fixtures": (
            FixtureCurve(True, "50 ohm to 0 V", T, 1e9 * T, 2.0 * T, 0.9e9 * T, 0.01, 0.02),
            FixtureCurve(False, "50 ohm to 1.8 V", T, 1.8 - 1e9 * T, T, 1.7 - 1e9 * T, 0.01, 0.02),
        ),
        "source": "two waveforms an edge", "problem": "", "quality": 0.0123, "test_error": 0.0345,
        "r_high": 21.0, "r_low": 17.0, "edge_rise": 310e-12, "edge_fall": 290e-12,
    }  # fmt: skip
    return DeviceResult(**(values | changes))


@pytest.fixture
def view(qtbot: QtBot, look: Look) -> DeviceView:
    made = DeviceView(look)
    qtbot.addWidget(made)
    return made


def test_every_number_is_the_results(view: DeviceView) -> None:
    view.show_model(result())
    assert view.title.text() == "<b>io18</b> \u00b7 I/O \u00b7 current out of the pin"
    assert [row[:3] for row in view.rows._rows] == [
        ("Repeats its waveforms to", "1.23", "%"),
        ("Repeats the maker's test to", "3.45", "%"),
        *(
            (name, *split_si(value, dimension))
            for name, value, dimension in (
                ("Looks like, high", 21.0, "resistance"),
                ("Looks like, low", 17.0, "resistance"),
                ("Edge up, 20\u201380 %", 310e-12, "time"),
                ("Edge down, 20\u201380 %", 290e-12, "time"),
                ("At the die", 3.1e-12, "capacitance"),
                ("Supply", 1.8, "voltage"),
                ("Low below", 0.6, "voltage"),
                ("High above", 1.1, "voltage"),
                ("Never above", 2.1, "voltage"),
                ("Never below", -0.3, "voltage"),
                ("Briefly up to", 2.5, "voltage"),
                ("Briefly down to", -0.7, "voltage"),
                ("Briefly means", 2e-9, "time"),
            )
        ),
    ]  # fmt: skip
    # What there is none of has no row.
    view.show_model(result(
        quality=math.nan, test_error=math.nan, r_high=math.nan, edge_fall=math.nan,
        thresholds=Thresholds(v_il=0.6),
    ))  # fmt: skip
    assert [row[0] for row in view.rows._rows] == [
        "Looks like, low", "Edge up, 20\u201380 %", "At the die", "Supply", "Low below",
    ]  # fmt: skip


def test_currents_and_waveforms_in_their_units(view: DeviceView, look: Look) -> None:
    view.show_model(result())
    curves = {c.name: c for c in view.currents.curves}
    for name, factor in (("clamps", 3.0), ("driven high", 10.0), ("driven low", -20.0)):
        assert curves[name].x == pytest.approx(V)
        assert curves[name].y == pytest.approx(factor * V)
    up, model_up, down, model_down = view.waves.curves
    assert (up.name, down.name) == ("rises, 50 ohm to 0 V", "falls, 50 ohm to 1.8 V")
    assert up.x == pytest.approx(1e9 * T)
    assert up.y == pytest.approx(1e9 * T)
    assert model_up.x == pytest.approx(2e9 * T)
    assert model_up.y == pytest.approx(0.9e9 * T)
    assert down.y == pytest.approx(1.8 - 1e9 * T)
    assert model_down.y == pytest.approx(1.7 - 1e9 * T)
    assert model_up.limit
    assert model_down.limit
    assert not up.limit
    # One that only listens is its clamps.
    view.show_model(result(r_high=math.nan, r_low=math.nan, fixtures=()))
    assert [c.name for c in view.currents.curves] == ["clamps"]
    assert view.waves.curves == ()


def test_remarks_have_their_line_and_what_fails_stands_first(view: DeviceView, look: Look) -> None:
    view.show_model(result())
    assert [(row.cells, row.inks) for row in view.remarks.rows] == [
        (("12", "caution: [Pulldown] runs downwards"), ((0, look.t.tight),)),
        (("40", "error: [Ramp] no dV/dt"), ((0, look.t.fails),)),
    ]
    view.show_model(result(problem="no edges"))
    first, *rest = view.remarks.rows
    assert (first.cells, first.inks) == (("", "no edges"), ((1, look.t.fails),))
    assert len(rest) == 2
    view.show_model(result(remarks=()))
    assert [row.cells[1] for row in view.remarks.rows] == ["nothing to remark on this model"]
    view.show_nothing("Its driver is linear.")
    assert view.title.text() == "Its driver is linear."
    assert view.rows._rows == []
    assert list(view.remarks.rows) == []
