"""Pieces of a link's studies by themselves, against sums made by hand."""

from __future__ import annotations

import math
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from scipy.special import ndtr, ndtri

from onda.engine.links.chain import Chain
from onda.engine.links.sampler import Jitter
from onda.errors import InputError
from onda.project.model import Project
from onda.studies.core.runner import StudyRunner
from onda.studies.core.study import Control
from onda.studies.links import along, costs
from onda.studies.links.along import LINK_ALONG
from onda.studies.links.channel import channel_step
from onda.studies.links.costs import LINK_COSTS
from onda.studies.links.equalised import _to_try, _with_taps
from onda.studies.links.inputs import LinkInputs, link_inputs
from onda.studies.links.link import LINK, _doubts, _fit, _run_on
from onda.studies.links.waves import _refolded


def test_a_wave_is_folded_with_what_lies_between_two_responses() -> None:
    """What turns one into the other is three taps: so it is done to the wave."""
    rng = np.random.default_rng(3)
    before = np.exp(-np.arange(200.0) / 6.0)
    taps = np.array([0.8, -0.25, 0.1])
    made = np.convolve(before, taps)[:200]
    wave = np.repeat(rng.choice([-0.5, 0.5], 60), 16)
    wanted = np.convolve(wave, taps)[: len(wave)]
    assert _refolded(wave, before, made) == pytest.approx(wanted, abs=1e-6)
    # And nothing is asked for where nothing comes through: a response without its even places.
    hollow = np.zeros(200)
    hollow[[0, 2]] = 1.0
    kept = _refolded(wave, hollow, hollow)
    assert np.isfinite(kept).all()
    assert np.abs(kept - wave).max() < 0.05


RUN_ON = "errors of the decision feedback may run on: its taps together exceed the main cursor"


def doubts(
    taps: tuple[float, ...] = (), *, main: float = 0.2, random: float = 0.0, edge: float = 0.0
) -> list[str]:
    """Doubts of a link of 100 ps with feedback taps in V, limited to half of the main cursor."""
    density = np.zeros((4, 9))
    density[2, 0] = edge
    inputs: Any = SimpleNamespace(
        jitter=SimpleNamespace(random=random), channel=SimpleNamespace(unit_interval=100e-12)
    )
    best: Any = SimpleNamespace(volts=np.linspace(-0.4, 0.4, 9), density=density)
    return list(_doubts(inputs, Chain(limit=0.5), {0: main}, taps, best))


@pytest.mark.parametrize(
    ("case", "words"),
    [
        ({}, []),
        ({"taps": (0.05, -0.05)}, []),
        (
            {"taps": (0.1, -0.05)},
            ["tap 1 of the decision feedback stands at its limit of 100 mV"],
        ),
        (
            {"taps": (-0.1, 0.01, 0.0999)},
            ["taps 1, 3 of the decision feedback stand at their limit of 100 mV",
             RUN_ON],
        ),
        (
            {"taps": (0.08, 0.08, -0.05)},
            [RUN_ON],
        ),
        ({"taps": (0.08, 0.07, -0.05)}, []),
        ({"random": 9.9e-12}, []),
        (
            {"random": 10.1e-12},
            ["random jitter above 0.1 UI leaves the moments that are looked at"],
        ),
        ({"edge": 1e-16}, []),
        ({"edge": 1e-14}, ["noise reaches beyond the 0.8 V that are looked at"]),
    ],
)  # fmt: skip
def test_doubts_come_where_their_reason_begins(case: dict[str, Any], words: list[str]) -> None:
    assert doubts(**case) == words


def test_what_is_sent_has_the_edge_that_the_channel_is_given(project: Project) -> None:
    """Straight from one level to the other, in 0 to 100 %, at its middle two bits in."""
    inputs = link_inputs(project.design, project.design.link("up1")).channel
    unit = inputs.unit_interval
    far = channel_step(inputs)
    at_start = replace(inputs, at_start=True)
    for edge, took in ((0.3 * unit, 0.5 * unit), (0.9 * unit, unit)):
        assert at_start.lane is not None
        found = channel_step(replace(at_start, lane=replace(at_start.lane, edge=edge)))
        low, high = found.volts[0], found.volts[-1]
        middle = np.interp(0.5, (found.volts - low) / (high - low), found.time)
        assert middle == pytest.approx(2.0 * unit, abs=1e-3 * unit)
        share = (found.volts - low) / (high - low)
        moving = found.time[(share > 0.0) & (share < 1.0)]
        assert moving[-1] - moving[0] == pytest.approx(took, rel=0.05)
        assert found.others.shape[0] == 0
    assert channel_step(at_start).volts[-1] == pytest.approx(far.volts[-1], rel=1e-9)


def test_without_each_thing_it_is_asked_once_and_closed_where_nothing_is_left(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The link study is played by one that knows a height for every question."""
    link = project.design.link("jl0")
    inputs = link_inputs(project.design, link)
    inputs = replace(
        inputs, noise=2e-3, jitter=Jitter(random=1e-12, dual_dirac=2e-12, sine=0.0, duty=3e-12)
    )
    chain = Chain(taps=(-0.1, 0.8, -0.1), main=1, decisions=2)
    whole = SimpleNamespace(eye=SimpleNamespace(height=0.1, width=50e-12), chain=chain,
                            crosstalk=0.0, unit_interval=61e-12)  # fmt: skip
    asked = []

    def run(one: LinkInputs, _: object) -> object:
        asked.append(one)
        if len(asked) == 1:
            return whole
        if one.noise == 0.0:
            return eye(0.13, 51e-12)
        if one.jitter.random == 0.0:
            return eye(0.1, 58e-12)
        if one.jitter.dual_dirac == 0.0:
            return eye(0.1, 53e-12)
        if one.jitter.duty == 0.0:
            return eye(0.1, 54e-12)
        if one.equalisers.chain.taps == (1.0,):
            raise InputError("the eye is closed")
        return eye(0.05, 40e-12)

    def eye(height: float, width: float) -> object:
        return SimpleNamespace(eye=SimpleNamespace(height=height, width=width))

    monkeypatch.setattr(costs, "LINK", SimpleNamespace(run=run))
    found = LINK_COSTS.run(inputs, Control())
    assert (found.height, found.width, found.unit_interval) == (0.1, 50e-12, 61e-12)
    assert [(c.what, c.height, c.width, c.is_help) for c in found.costs] == [
        # The largest change of width first, either way.
        ("transmit taps", 0.0, 0.0, True),
        ("decision feedback", 0.05, 40e-12, True),
        ("random jitter", 0.1, 58e-12, False),
        ("duty cycle", 0.1, 54e-12, False),
        ("bounded jitter", 0.1, 53e-12, False),
        ("noise", 0.13, 51e-12, False),
    ]
    # Settings stay as they were found for all of them.
    for one in asked[1:]:
        assert not one.equalisers.find_taps
        assert one.equalisers.gains == ()
        assert not one.compare


def test_a_point_without_an_eye_is_told_and_the_last_one_must_have_one(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    inputs = link_inputs(project.design, project.design.link("jl0"))
    whole = LINK_ALONG.run(inputs, Control())
    own = along.still_eye
    points = iter(("sent", "channel"))

    def closed(*given: Any) -> Any:
        if next(points, "") == "channel":
            raise InputError("nothing comes through")
        return own(*given)

    monkeypatch.setattr(along, "still_eye", closed)
    found = LINK_ALONG.run(inputs, Control())
    assert found.closed == (("channel", "nothing comes through"),)
    assert found.points == tuple(p for p in whole.points if p != "channel")
    for point in found.points:
        one, other = found.at(point), whole.at(point)
        assert one is not None
        assert other is not None
        assert one.height == other.height
    assert found.at("channel") is None

    def never(*_: Any) -> Any:
        raise InputError("nothing comes through")

    monkeypatch.setattr(along, "still_eye", never)
    with pytest.raises(InputError, match="nothing comes through"):
        LINK_ALONG.run(inputs, Control())


def test_a_bathtub_of_two_gaussians_gives_them_back() -> None:
    """Edges at two places 40 ps of 100 ps apart: half of all symbols have one on each side."""
    unit, sigma, left, right = 100e-12, 2e-12, -30e-12, 26e-12
    t = np.linspace(-50e-12, 50e-12, 2001)
    errors = 0.5 * (ndtr(-(t - left) / sigma) + ndtr(-(right - t) / sigma))
    found = _fit(t, np.log10(np.maximum(errors, 1e-300)), 1e-12, unit)
    assert found.random == pytest.approx(sigma, rel=1e-3)
    assert found.deterministic == pytest.approx(unit - (right - left), rel=1e-3)
    deep = -2.0 * float(ndtri(2e-12))
    assert found.total == pytest.approx(found.deterministic + deep * sigma, rel=1e-3)
    # A bathtub that does not reach so far down has none.
    shallow = _fit(t, np.full(len(t), -3.0), 1e-12, unit)
    assert math.isnan(shallow.random)


@pytest.mark.parametrize(("offset", "taps"), [(0.0, (0.1,)), (0.12, (0.1, -0.05)), (-0.2, (0.3,))])
def test_how_many_errors_come_of_one_against_gaussians(
    offset: float, taps: tuple[float, ...]
) -> None:
    """Two levels of 0.5 V in noise: a wrong decision moves the threshold by two taps."""
    main, sigma = 0.5, 0.12
    volts = np.linspace(-3.0, 3.0, 6001)
    mass = np.zeros((2, 3, len(volts)))
    mass[0, :, np.argmin(np.abs(volts + main))] = mass[1, :, np.argmin(np.abs(volts - main))] = 1.0
    grid: Any = SimpleNamespace(mass=mass, step=1e-3, volts=volts, moments=np.zeros(3))
    sampler: Any = SimpleNamespace(taps=taps, cursors=lambda _: {0: main})
    still: Any = SimpleNamespace(grid=grid, sampler=sampler)
    inputs: Any = SimpleNamespace(levels=(-1.0, 1.0), noise=sigma, offset=offset)
    brought = 0.0
    for tap in taps:
        for way in (-1.0, 1.0):
            at = offset + 2.0 * way * tap
            wrong = ndtr((at - main) / sigma) + ndtr((-main - at) / sigma)
            # Half of the symbols are of each level; both signs of the error come as often.
            brought += 0.5 * (0.5 * wrong)
    assert brought > 1e-4
    assert _run_on(inputs, still) == pytest.approx(1.0 / (1.0 - brought), rel=1e-3)


def test_of_four_levels_the_outer_ones_have_one_neighbour_alone() -> None:
    """Errors of feedback between any two neighbours: half as many as levels have sides."""
    levels, main, sigma, tap = (-1.0, -1.0 / 3.0, 1.0 / 3.0, 1.0), 0.6, 0.12, 0.08
    volts = np.linspace(-3.0, 3.0, 6001)
    mass = np.zeros((4, 3, len(volts)))
    for k, level in enumerate(levels):
        mass[k, :, np.argmin(np.abs(volts - level * main))] = 1.0
    grid: Any = SimpleNamespace(mass=mass, step=1e-3, volts=volts, moments=np.zeros(3))
    sampler: Any = SimpleNamespace(taps=(tap,), cursors=lambda _: {0: main})
    still: Any = SimpleNamespace(grid=grid, sampler=sampler)
    inputs: Any = SimpleNamespace(levels=levels, noise=sigma, offset=0.0)
    # Of every level: the chance to be taken for a neighbour, where the threshold is moved by one
    # step between levels times the tap, either way.
    wrong = 0.0
    for k, level in enumerate(levels):
        for way in (-1.0, 1.0):
            moved = way * 2.0 / 3.0 * tap
            if k > 0:
                at = 0.5 * (levels[k - 1] + level) * main + moved
                wrong += 0.5 * 0.25 * ndtr((at - level * main) / sigma)
            if k < 3:
                at = 0.5 * (levels[k + 1] + level) * main + moved
                wrong += 0.5 * 0.25 * ndtr((level * main - at) / sigma)
    assert wrong > 1e-3
    assert _run_on(inputs, still) == pytest.approx(1.0 / (1.0 - wrong), rel=5e-3)


def test_jitter_is_told_of_the_eye_in_the_middle(project: Project, runner: StudyRunner) -> None:
    link = next(x for x in project.design.links if x.modulation == "pam4")
    found = runner.result(LINK, link_inputs(project.design, link))
    eyes = found.settings[0].eyes
    fits = [_fit(found.moments, eye.bathtub, found.error_rate, found.unit_interval) for eye in eyes]
    assert found.jitter.random == fits[1].random
    assert fits[0].random != fits[1].random


def test_transmit_taps_that_are_tried() -> None:
    """Before the main tap to -0.18 in steps of 0.02, behind it to -0.3 in steps of 0.025; what is
    left for the main one is what they leave of a volt, and more than half of it."""
    taps = [chain.taps for chain in _with_taps(Chain(gain=0.5))]
    assert len(set(taps)) == len(taps)
    assert sorted({t[0] for t in taps}) == pytest.approx([-0.02 * k for k in range(9, -1, -1)])
    assert sorted({t[2] for t in taps}) == pytest.approx([-0.025 * k for k in range(12, -1, -1)])
    wanted = sum(0.02 * a + 0.025 * b < 0.5 - 1e-9 for a in range(10) for b in range(13))
    assert len(taps) == wanted
    assert [sum(np.abs(t)) for t in taps] == pytest.approx([1.0] * wanted)
    assert min(t[1] for t in taps) > 0.5
    assert all(c.main == 1 and c.gain == 0.5 for c in _with_taps(Chain(gain=0.5)))


def test_every_gain_is_tried_with_every_response() -> None:
    """Where nothing is to be found it is what it is."""
    wanted: Any = SimpleNamespace(chain=Chain(gain=0.7), gains=(0.5, 0.8), responses=())
    assert [(c.gain, c.response) for c in _to_try(wanted)] == [
        (0.5, wanted.chain.response), (0.8, wanted.chain.response),
    ]  # fmt: skip
    wanted.gains = ()
    assert [c.gain for c in _to_try(wanted)] == [0.7]
