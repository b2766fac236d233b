"""Lists of choices, limits on measures and edits of networks, with results made up by hand."""

from __future__ import annotations

from types import SimpleNamespace as Made
from typing import Any

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from onda.app.shell.ledger import LedgerRow
from onda.app.stages.coupling.choices_view import ChoicesView
from onda.app.stages.networks.edits import NetworkEdits
from onda.app.stages.paths import limits
from onda.app.stages.paths.limits import MeasureLimits
from onda.app.theme import Look
from onda.project.model import Project
from tests.app.test_hands import Table


def test_a_choice_is_told_for_the_lane_that_is_looked_at(qtbot: QtBot, look: Look) -> None:
    """Of the second lane: quieter by 3 dB, louder by 4.5 dB at 2.5 GHz; the first one is worst."""
    one = Made(
        words="guards", noise=np.array([4e-3, 2e-3]), change_db=np.array([1.0, -3.0]),
        rise_db=np.array([0.0, 4.5]), rise_at=np.array([9e9, 2.5e9]),
    )  # fmt: skip
    view = ChoicesView(look)
    qtbot.addWidget(view)
    found: Any = Made(choices=(one,))
    view.show_result(found, 1)
    (row,) = view.list.rows
    assert isinstance(row, LedgerRow)
    assert row.cells == ("guards", "2.00 mV", "−3.0 dB", "4.00 mV", "+4.5 dB, 2.5 GHz")
    assert row.inks == ((2, look.t.holds),)
    view.show_result(found, 0)
    (row,) = view.list.rows
    assert (row.cells[1], row.cells[4]) == ("4.00 mV", "nowhere")
    assert row.inks == ((2, look.t.fails),)
    view.show_result(None, 0)
    assert view.list.rows == []


@pytest.mark.parametrize(("required", "words"), [(True, "at most 0.3 V"), (False, "")])
def test_a_measure_that_is_clicked_shows_its_limit_or_how_one_is_typed(
    project: Project, monkeypatch: pytest.MonkeyPatch, required: bool, words: str
) -> None:
    table = Table(project)
    requirement = Made(measure="overshoot")
    subject: Any = Made(
        path=project.design.path("spi-clk"), requirements=[requirement] if required else [],
        margin=lambda r, result, failure: (r, result, failure), result="result", failure="failure",
    )  # fmt: skip
    monkeypatch.setattr(limits, "limits_text", lambda margin: "at most 0.3 V")
    shown: list[tuple[str, ...]] = []
    view: Any = Made(show_limit=lambda *a: shown.append(a))
    hand = MeasureLimits(table, subject)  # type: ignore[arg-type]
    hand._offer(view, "overshoot")
    assert shown == [("Overshoot", words, "0.3 V")]
    hand._offer(view, "no measure")
    assert len(shown) == 1
    # What is typed is a limit on the measure that was clicked last.
    hand._offer(view, "edge_time")
    hand.put("<= 900 ps")
    new = next(r for r in table.project.requirements if r not in project.requirements)
    assert (new.subject, new.measure) == ("spi-clk", "edge_time")
    assert new.at_most is not None
    assert new.at_most.si == pytest.approx(900e-12)


def test_two_ports_change_places_and_a_remedy_comes_and_goes(project: Project) -> None:
    table = Table(project)

    class View:
        ports = 4

        @property
        def present(self) -> Any:
            return table.design.network("mezzanine")

    edits = NetworkEdits(table, View())  # type: ignore[arg-type]
    edits.swap(1, 2)
    assert View().present.order == (1, 3, 2, 4)
    assert table.done == ["Swap ports"]
    edits.toggle_remedy("passive")
    assert View().present.remedies == ("passive",)
    edits.toggle_remedy("passive")
    assert View().present.remedies == ()
    edits.set_lane("single")
    assert View().present.lane == "single"
