"""What a bus's margin follows from beyond the bus itself."""

from __future__ import annotations

import math

import pytest

from onda.engine.timing.quality import WaveQuality
from onda.project.base import set_value
from onda.project.buses.measures import BUS_MEASURES
from onda.project.coupling.edits import set_spacing
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.paths.elements.lane import LanePiece
from onda.project.quantities import parse_quantity
from onda.studies.buses.bus import BusCase, BusResult
from onda.studies.buses.case import CaseResult
from onda.studies.buses.judge import measure_bus
from onda.studies.core.judge import Book


def test_a_bus_whose_net_runs_in_a_group_follows_the_group(project: Project) -> None:
    """A byte along a lane of another group: to move its lanes is to move the margin."""
    path = project.design.path("mem-dq")
    lane = LanePiece(id="G", group="memory-byte", lane="dq0")
    inside = set_value(path, elements=(lane, *path.elements))
    board = replace_object(project, inside)
    requirement = next(r for r in board.requirements if r.kind == "bus")
    book = Book()
    before = book.look(board.design, requirement)
    assert before.need is not None
    group = board.design.group("memory-byte")
    moved = set_spacing(group, group.pieces[0].id, parse_quantity("700 um", "length"))
    other = replace_object(board, moved)
    assert book.look(other.design, requirement).key != before.key


def test_every_measure_is_its_own_figure_of_the_worst_case() -> None:
    def case(signal: str, k: float) -> BusCase:
        quality = WaveQuality(
            0.01 * k, 0.02 * k, 1e-12 * k, 2e-12 * k, 0.3 / k, 500e-12 / k, short=0
        )
        found = CaseResult(
            height=0.4 / k, slew=3e9 / k, duty=(0.5 - 0.01 * k, 0.5 + 0.005 * k),
            crossing=0.015 * k, quality=quality, level=0.6, centre=0.6,
        )  # fmt: skip
        return BusCase(
            signal, signal, "S", "w", "Write", "typ", 90e-12 / k, 70e-12 / k, 0.0, 1e-9, found
        )

    result = BusResult((case("D0", 1.0), case("D1", 2.0)))
    wanted = {
        "bus_setup": 45e-12, "bus_hold": 35e-12, "bus_height": 0.2, "bus_overshoot": 0.02,
        "bus_undershoot": 0.04, "bus_overshoot_area": 2e-12, "bus_undershoot_area": 4e-12,
        "bus_ring_back": 0.15, "bus_pulse": 250e-12, "bus_slew": 1.5e9, "bus_duty": 0.02,
        "bus_crossing": 0.03,
    }  # fmt: skip
    for measure, value in wanted.items():
        told = measure_bus(result, measure)
        assert (told.where, told.how) == ("D1, Write, typ", "of 2 cases")
        assert told.value == pytest.approx(value), measure
    assert set(wanted) == {m.key for m in BUS_MEASURES} - {"bus_to_clock"}


def test_a_case_holds_where_both_margins_and_its_eye_do() -> None:
    def case(setup: float, hold: float, height: float, failure: str = "") -> BusCase:
        found = CaseResult(height=height, failure=failure)
        return BusCase("D", "D", "S", "w", "W", "typ", setup, hold, 0.0, 1e-9, found)

    for values, state in (
        ((1e-12, 2e-12, 0.1), "holds"), ((0.0, 2e-12, 0.1), "holds"),
        ((-1e-12, 2e-12, 0.1), "fails"), ((2e-12, -1e-12, 0.1), "fails"),
        ((1e-12, 2e-12, -0.1), "fails"), ((float("nan"), 2e-12, 0.1), "unknown"),
        ((1e-12, 2e-12, 0.1, "no way"), "unknown"),
    ):  # fmt: skip
        assert case(*values).state == state, values
    whole = BusResult((case(1e-12, 3e-12, 0.2), case(2e-12, 1e-12, 0.1)))
    assert (whole.least("setup"), whole.least("hold"), whole.least("height")) == (
        1e-12, 1e-12, 0.1,
    )  # fmt: skip
    # One without an answer leaves nothing to say of all.
    open_ = BusResult((*whole.cases, case(float("nan"), 1e-12, 0.3)))
    assert math.isnan(open_.least("setup"))
    assert open_.least("hold") == 1e-12
    assert open_.worst is open_.cases[2]
