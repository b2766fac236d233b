"""What goes into the operating margin: whose channel, whose noise, and what the sheet says."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any

import numpy as np
import pytest

from onda.engine.links.operating_margin import MarginTerms
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.model import Project
from onda.studies.core.study import Control
from onda.studies.links import margin
from onda.studies.links.margin import (
    OPERATING_MARGIN,
    MarginInputs,
    link_terms,
    margin_inputs,
    terms_of,
    usual_terms,
)
from onda.studies.networks.build import BuiltNetwork

ROOT = np.sqrt(0.5)


@pytest.fixture
def built() -> BuiltNetwork:
    """Three pairs, no two entries of which are alike."""
    rng = np.random.default_rng(5)
    f = np.arange(1.0, 401.0) * 50e6
    s = np.broadcast_to(0.1 * rng.normal(size=(12, 12)) + 0j, (400, 12, 12))
    return BuiltNetwork(f, s, 50.0, tuple(range(1, 13)), f, s, 0.0, ())


@pytest.fixture
def asked(project: Project, monkeypatch: pytest.MonkeyPatch, built: BuiltNetwork) -> dict[str, Any]:
    """What the margin is asked of."""
    seen: dict[str, Any] = {}

    def capture(frequency: Any, through: Any, far: Any, near: Any, terms: Any) -> str:
        seen.update(frequency=frequency, through=through, far=far, near=near, terms=terms)
        return "margin"

    monkeypatch.setattr(margin, "build_network", lambda _: built)
    monkeypatch.setattr(margin, "channel_margin", capture)
    return seen


def differential(s: np.ndarray, to: int, of: int) -> float:
    """Between pairs, number `to` and `of` from the left, of a constant matrix."""
    at = s[0].real
    return float(
        0.5 * (at[2 * to, 2 * of] - at[2 * to, 2 * of + 1])
        - 0.5 * (at[2 * to + 1, 2 * of] - at[2 * to + 1, 2 * of + 1])
    )


@pytest.mark.parametrize(("lane", "near"), [(0, ()), (1, (0,)), (2, (0, 1))])
def test_each_other_lane_is_heard_from_where_it_sends(
    project: Project, asked: dict[str, Any], built: BuiltNetwork, lane: int, near: tuple[int, ...]
) -> None:
    link = project.design.link("up1")
    inputs = replace(margin_inputs(project.design, link), lane=lane, near=near)
    assert OPERATING_MARGIN.run(inputs, Control()) == "margin"
    assert asked["terms"] is inputs.terms
    assert asked["frequency"][-1] == pytest.approx(20e9)
    assert np.diff(asked["frequency"]) == pytest.approx(np.full(2000, 10e6))

    def two_port(found: np.ndarray, sends: int) -> None:
        """From pair `sends` to the right end of the lane, both in any of their roles."""
        ports = (sends, 3 + lane)
        middle = found[len(found) // 2]
        for i in (0, 1):
            for j in (0, 1):
                assert middle[i, j].real == pytest.approx(
                    differential(built.s, ports[i], ports[j]), rel=1e-6
                )

    two_port(asked["through"], lane)
    far = [k for k in range(3) if k != lane and k not in near]
    assert (len(asked["far"]), len(asked["near"])) == (len(far), len(near))
    for found, k in zip(asked["far"], far, strict=True):
        two_port(found, k)
    for found, k in zip(asked["near"], near, strict=True):
        two_port(found, 3 + k)


def test_the_band_ends_at_twice_the_rate(project: Project, asked: dict[str, Any]) -> None:
    link = project.design.link("up1")
    inputs = margin_inputs(project.design, link, MarginTerms(baud=4e9))
    OPERATING_MARGIN.run(inputs, Control())
    assert asked["frequency"][-1] == pytest.approx(8e9)


@pytest.mark.parametrize(("lane", "near"), [(3, ()), (0, (3,)), (-1, ())])
def test_lanes_that_there_are_not(
    project: Project, asked: dict[str, Any], lane: int, near: tuple[int, ...]
) -> None:
    inputs = margin_inputs(project.design, project.design.link("up1"))
    number = (lane if lane not in (0, 1, 2) else near[0]) + 1
    with pytest.raises(InputError, match=rf"has no lane {number}.*It has 3"):
        OPERATING_MARGIN.run(replace(inputs, lane=lane, near=near), Control())


def test_inputs_of_a_link_over_a_network_of_pairs(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    design = project.design
    link = set_value(design.link("up1"), lane=2, near=(1,))
    inputs = margin_inputs(design, link)
    assert isinstance(inputs, MarginInputs)
    assert (inputs.lane, inputs.near) == (1, (0,))
    assert inputs.network.name == design.network(link.network).name
    assert inputs.terms == link_terms(link)
    assert margin_inputs(design, link, MarginTerms(baud=4e9)).terms == MarginTerms(baud=4e9)
    with pytest.raises(InputError, match=r"does not run over a network.*run the link over a net"):
        margin_inputs(design, design.link("jl3"))
    single = replace(inputs.network, pair=False)
    monkeypatch.setattr(margin, "network_inputs", lambda *_: single)
    with pytest.raises(InputError, match="is no network of pairs"):
        margin_inputs(design, link)


def test_the_usual_sheet_is_that_of_the_rate_and_its_levels(project: Project) -> None:
    link = project.design.link("up1")
    two = usual_terms(link)
    baud = link.symbols_per_second
    assert two == MarginTerms(
        baud=baud, receiver=0.75 * baud, zero=0.25 * baud, poles=(0.25 * baud, baud),
        levels=len(link.levels), level_ratio=link.mismatch.si,
        error_ratio={2: 1e-5, 4: 1e-4}[len(link.levels)],
    )  # fmt: skip


# -- sheets ----------------------------------------------------------------------------

USUAL = MarginTerms()


def test_a_sheet_says_what_is_other_than_usual() -> None:
    sheet = {
        "random": 0.02,
        "decisions": 6,
        "before": [-0.1, 0],
        "gains": -3,
        "noise": 1e-17,
    }
    found = terms_of(sheet, USUAL, "sheet")
    assert found == replace(
        USUAL, random=0.02, decisions=6, before=(-0.1, 0.0), gains=(-3.0,), noise=1e-17
    )
    # Whole numbers are whole, whatever they are written as.
    assert terms_of({"decisions": 6.0}, USUAL, "sheet").decisions == 6
    assert isinstance(terms_of({"decisions": 6.0}, USUAL, "sheet").decisions, int)
    assert terms_of({}, USUAL, "sheet") == USUAL


@pytest.mark.parametrize(
    ("sheet", "words"),
    [
        ([1.0], "is no sheet of names and values"),
        ({"colour": 1.0}, "there is no parameter 'colour'"),
        ({"random": "much"}, "random: 'much' is no number"),
        ({"random": True}, "random: True is no number"),
        ({"random": float("nan")}, "random: nan is no number"),
        ({"before": [0.1, None]}, "before: None is no number"),
        ({"random": [0.1, 0.2]}, r"random: \[0.1, 0.2\] is no number"),
        ({"baud": -1.0}, "baud: must be above 0, got -1"),
        ({"levels": 1}, "levels: must be 2 or more, got 1"),
        ({"samples": 3}, "samples: must be 4 or more, got 3"),
        ({"gains": []}, "gains: must be one value or more, got nothing to try"),
        ({"error_ratio": 0.5}, "error ratio"),
    ],
)
def test_sheets_that_make_no_sense(sheet: object, words: str) -> None:
    with pytest.raises(InputError, match=words) as caught:
        terms_of(sheet, USUAL, "a sheet")
    assert "a sheet" in str(caught.value)


def test_every_parameter_can_be_said() -> None:
    for f in fields(MarginTerms):
        value = getattr(USUAL, f.name)
        said = list(value) if isinstance(value, tuple) else value
        assert terms_of({f.name: said}, USUAL, "sheet") == USUAL
