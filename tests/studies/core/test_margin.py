"""Margins: states, distances, sentences."""

from __future__ import annotations

import math

import pytest

from onda.project.model import Project
from onda.studies.core.margin import Measured, State, limits_text, margin_of, worst


def requirement(project: Project, measure: str):
    return next(r for r in project.requirements if r.measure == measure)


@pytest.mark.parametrize(
    ("measure", "value", "state", "margin", "of"),
    [
        ("overshoot", 0.1, State.HOLDS, 0.2, 0.3),
        ("overshoot", 0.28, State.TIGHT, 0.02, 0.3),
        ("overshoot", 0.55, State.FAILS, -0.25, 0.3),
        ("overshoot", 0.3, State.TIGHT, 0.0, 0.3),
        ("impedance", 100.0, State.HOLDS, 7.0, 7.0),
        ("impedance", 106.8, State.TIGHT, 0.2, 7.0),
        ("impedance", 92.0, State.FAILS, -1.0, 7.0),
        ("impedance", 110.0, State.FAILS, -3.0, 7.0),
        ("eye_width", 0.9, State.HOLDS, 0.3, 0.6),
        ("eye_width", 0.5, State.FAILS, -0.1, 0.6),
    ],
)
def test_states(project, measure, value, state, margin, of) -> None:
    m = margin_of(requirement(project, measure), Measured(value, "here", "so"))
    assert m.state is state
    assert m.margin == pytest.approx(margin, abs=1e-12)
    # A share of the limit, of two of half the room between them.
    assert m.normalised == pytest.approx(margin / of, abs=1e-12)


def test_no_result_is_unknown_and_no_number_fails(project: Project) -> None:
    r = requirement(project, "settling")
    assert margin_of(r, None).state is State.UNKNOWN
    never = margin_of(r, Measured(math.nan, "load", "never settles"))
    assert never.state is State.FAILS
    assert never.how == "never settles"


def test_limits_and_sentences(project: Project) -> None:
    m = margin_of(requirement(project, "overshoot"), Measured(0.55, "", ""))
    assert limits_text(m) == "≤ 0.300 V"
    assert m.sentence == "Overshoot 0.550 V, ≤ 0.300 V: fails"
    z = margin_of(requirement(project, "impedance"), Measured(99.6, "", ""))
    assert limits_text(z) == "93.0 – 107 Ω"
    assert z.value_text == "99.6 Ω"
    assert z.title == "Impedance L1"
    w = margin_of(requirement(project, "eye_width"), Measured(0.9, "", ""))
    assert limits_text(w) == "≥ 0.600 UI"


def test_worst_of_many(project: Project) -> None:
    r = requirement(project, "overshoot")
    held = [margin_of(r, Measured(v, "", "")) for v in (0.1, 0.29)]
    assert worst(held) is State.TIGHT
    assert worst([*held, margin_of(r, Measured(1.0, "", ""))]) is State.FAILS
    assert worst([]) is State.UNKNOWN
    # What is tight is worse than what is not known yet, and that worse than what holds.
    unknown = margin_of(r, None)
    assert worst([*held, unknown]) is State.TIGHT
    assert worst([held[0], unknown]) is State.UNKNOWN


def test_a_margin_says_what_it_is_about(project: Project) -> None:
    r = next(r for r in project.requirements if r.measure == "impedance" and r.layer == "L3")
    m = margin_of(r, Measured(99.0, "", ""))
    assert (m.kind, m.subject, m.measure, m.layer, m.receiver) == (
        "line",
        r.subject,
        "impedance",
        "L3",
        None,
    )
    assert m.ref == r.ref
    assert m.measure_title == "Impedance"
    assert m.title == "Impedance L3"


@pytest.mark.parametrize(
    ("measure", "value", "normalised"),
    [("passivity", 1.0, 1.0), ("passivity", 0.9995, 0.5), ("passivity", 0.998, -1.0)],
)
def test_what_has_a_full_scale_has_the_room_up_to_it(
    project: Project, measure: str, value: float, normalised: float
) -> None:
    m = margin_of(requirement(project, measure), Measured(value, "", ""))
    assert m.normalised == pytest.approx(normalised, abs=1e-9)


def test_beside_a_limit_of_nothing_the_room_tells_what_is_tight(project: Project) -> None:
    """15 ps of a room of 208 ps is tight, 30 ps is not; without a room it is of seconds."""
    hold = next(r for r in project.requirements if r.measure == "bus_hold")
    assert hold.at_least is not None
    assert hold.at_least.si == 0.0
    room = 0.5 / 2.4e9
    for value, state in ((15e-12, State.TIGHT), (30e-12, State.HOLDS), (-1e-12, State.FAILS)):
        m = margin_of(hold, Measured(value, "", "", room=room))
        assert m.normalised == pytest.approx(value / room)
        assert m.state is state
    # Where the limit has a size it counts.
    height = next(r for r in project.requirements if r.measure == "bus_height")
    assert margin_of(height, Measured(0.3, "", "", room=9.0)).normalised == pytest.approx(1.0)
