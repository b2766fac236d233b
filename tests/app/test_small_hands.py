"""Lists of choices, limits on measures and edits of networks, with results made up by hand."""

from __future__ import annotations

import math
from types import SimpleNamespace as Made
from typing import Any

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from onda.app.shell.ledger import LedgerRow
from onda.app.shell.shapes import shape_of
from onda.app.stages.buses.search_view import search_words
from onda.app.stages.buses.sweep_view import sweep_words as bus_sweep_words
from onda.app.stages.coupling.choices_view import ChoicesView, choice_words
from onda.app.stages.eyes.corners_view import corner_words
from onda.app.stages.eyes.costs_view import cost_words
from onda.app.stages.eyes.map_view import map_words
from onda.app.stages.eyes.sweep_view import sweep_words as link_sweep_words
from onda.app.stages.networks.edits import NetworkEdits
from onda.app.stages.paths import limits
from onda.app.stages.paths.limits import MeasureLimits
from onda.app.theme import Look
from onda.project.model import Project
from onda.project.quantities import quantity
from onda.studies.buses.search import BusSearch
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


@pytest.mark.parametrize(
    ("words", "begun"),
    [
        (corner_words, "Working out every corner"),
        (map_words, "Trying every setting"),
        (link_sweep_words, "Working out the eye at every value"),
        (cost_words, "Working out what each thing costs"),
        (search_words, "Trying every strength and termination"),
        (bus_sweep_words, "Working out the margins at every value"),
        (lambda found, why: choice_words(found, 0, why), "Working out what else could be done"),
    ],
)
def test_what_is_not_there_yet_is_begun_or_cannot_be(words: Any, begun: str) -> None:
    assert words(None, "") == f"{begun}…"
    assert words(None, "no eye to start from") == "no eye to start from"


def choice(words: str, noise: float, change: float, rise: float, at: float) -> Any:
    """What a choice does to the second lane; the first one is the other way about."""
    return Made(
        words=words, noise=np.array([9e-3 - noise, noise]), change_db=np.array([-change, change]),
        rise_db=np.array([-rise, rise]), rise_at=np.array([1e9, at]),
    )  # fmt: skip


def test_the_best_choice_is_the_quietest_for_the_lane_and_what_rings_is_said() -> None:
    guards = choice("guards", 3e-3, -2.0, 0.0, 1e9)
    apart = choice("twice the distance", 1e-3, -6.0, 4.0, 3.2e9)
    vias = choice("stitched guards", 2e-3, -4.0, 7.5, 5.5e9)
    louder = choice("another layer", 5e-3, 3.0, 9.0, 7e9)
    found: Any = Made(lanes=("DQ0", "DQ1"), choices=(guards, apart, vias, louder))
    # What is louder in all anyway is not said to ring.
    assert choice_words(found, 1, "") == (
        "DQ1 would be quietest with: twice the distance, −6.0 dB. With stitched guards it is "
        "quieter in all, but +7.5 dB louder at 5.5 GHz."
    )
    assert choice_words(found, 0, "") == "DQ0 would be quietest with: another layer, −3.0 dB."
    found.choices = (louder,)
    assert choice_words(found, 1, "") == "Nothing of this makes DQ1 quieter."
    found.choices = ()
    assert choice_words(found, 1, "") == "Nothing else can be done about this group here."


def search(now: int, setup: list[float], hold: list[float]) -> BusSearch:
    models = ("strong", "middle", "weak")
    return BusSearch(
        ("U1", "A"), ("Controller", "Module"), tuple((m, "odt60") for m in models),
        1e-12 * np.array(setup), 1e-12 * np.array(hold), np.full(3, 0.2), now,
    )  # fmt: skip


def test_a_search_says_the_best_against_the_present_one() -> None:
    words = search_words(search(1, [30.0, 20.0, 80.0], [60.0, 50.0, 50.0]), "")
    assert words.startswith(
        "Best of 3: Controller weak, Module odt60, 50 ps against 20 ps now; none comes near it"
    )
    words = search_words(search(2, [30.0, 20.0, 80.0], [60.0, 50.0, 50.0]), "")
    assert words.startswith("Nothing of 3 is better than the present 50 ps; none")
    # Two of 50 and 46 ps are within a tenth.
    words = search_words(search(0, [46.0, 20.0, 80.0], [60.0, 50.0, 50.0]), "")
    assert "50 ps against 46 ps now; 2 come within a tenth of it" in words
    nothing = [math.nan] * 3
    assert search_words(search(0, nothing, nothing), "") == (
        "No choice gives this signal an answer."
    )
    words = search_words(search(0, [math.nan, 20.0, 10.0], [math.nan, 20.0, 50.0]), "")
    assert "20 ps against no eye now" in words


def test_a_shape_is_told_in_whole_micrometres_or_tenths_of_a_mil(
    request: pytest.FixtureRequest,
) -> None:
    width, gap = quantity(124.4e-6, "length"), quantity(150e-6, "length")
    assert shape_of(width, gap) == "124/150 µm"
    assert shape_of(width, None, with_unit=False) == "124"
    request.getfixturevalue("in_inches")
    assert shape_of(width, gap) == "4.9/5.9 mil"
    assert shape_of(width, None, with_unit=False) == "4.9"
