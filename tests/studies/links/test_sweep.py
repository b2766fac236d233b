"""Sweeps, corners and points of a link, against single links set so."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.engine.links.sampler import Jitter
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.links.equalisers import Listener, Sender
from onda.project.links.link import Link
from onda.project.model import Project
from onda.project.quantities import parse_quantity as q
from onda.studies.core.study import Control
from onda.studies.links import corners as corners_module
from onda.studies.links.along import LINK_ALONG, POINTS
from onda.studies.links.corners import LINK_CORNERS, LinkCorners, corner_inputs
from onda.studies.links.inputs import LinkInputs, link_inputs
from onda.studies.links.link import LINK
from onda.studies.links.link_eye import LinkEye
from onda.studies.links.point import LinkPoint
from onda.studies.links.sweep import LINK_SWEEP, SWEEPS, sweep_inputs


@pytest.fixture
def jl0(project) -> Link:
    peaking = Listener(
        gains=(q("0 dB", "loss"), q("-2 dB", "loss"), q("-4 dB", "loss")),
        zero=q("4 GHz", "frequency"), poles=(q("4.1 GHz", "frequency"), q("16 GHz", "frequency")),
        decisions=2, noise=q("3 mV", "voltage"),
    )  # fmt: skip
    sender = Sender(setting="best", random=q("0.01 UI", "unit interval"))
    return set_value(project.design.link("jl0"), mask=None, listener=peaking, sender=sender)


def run(inputs: LinkInputs) -> LinkEye:
    return LINK.run(replace(inputs, compare=False), Control())


def typed(project: Project, link: Link, part: str, field: str, value: str, dimension: str):
    """The eye of the link with a field typed."""
    new = set_value(getattr(link, part), **{field: q(value, dimension)})
    return run(link_inputs(project.design, set_value(link, **{part: new})))


def test_at_another_rate_jitter_stays_what_it_is_in_unit_intervals(project, jl0) -> None:
    link = link_inputs(project.design, jl0)
    unit = link.channel.unit_interval
    some = Jitter(random=0.01 * unit, dual_dirac=0.1 * unit, sine=0.05 * unit, duty=0.02 * unit)
    fast = SWEEPS["speed"].put(replace(link, jitter=some), 1.25)
    assert fast.channel.unit_interval == pytest.approx(unit / 1.25)
    for kind in ("random", "dual_dirac", "sine", "duty"):
        now, before = getattr(fast.jitter, kind), getattr(some, kind)
        assert now / fast.channel.unit_interval == pytest.approx(before / unit)


@pytest.mark.parametrize(
    ("over", "value", "part", "field", "words"),
    [
        ("random", 0.02, "sender", "random", "0.02 UI"),
        ("bounded", 0.1, "sender", "bounded", "0.1 UI"),
        ("sine", 0.05, "sender", "sine", "0.05 UI"),
        ("noise", 0.01, "listener", "noise", "10 mV"),
    ],
)
def test_a_value_of_a_sweep_is_the_link_set_so(project, jl0, over, value, part, field, words):
    found = LINK_SWEEP.run(sweep_inputs(project.design, jl0, over, [0.0, value]), Control())
    dimension = SWEEPS[over].dimension
    expected = typed(project, jl0, part, field, words, dimension)
    assert found.heights[1] == pytest.approx(expected.eye.height, rel=1e-9)
    assert found.widths[1] == pytest.approx(expected.eye.width / expected.unit_interval, rel=1e-9)
    assert found.merits[1] == pytest.approx(expected.merit.db, rel=1e-9)
    assert found.heights[0] > found.heights[1]
    assert found.why == ("", "")
    assert found.values.tolist() == [0.0, value]


def test_a_faster_link_is_one_of_another_rate(project, jl0) -> None:
    inputs = sweep_inputs(project.design, jl0, "speed", [1.0, 1.25])
    found = LINK_SWEEP.run(inputs, Control())
    faster = set_value(jl0, rate=q(f"{1.25 * jl0.rate.si} b/s", "data rate"))
    expected = run(link_inputs(project.design, faster))
    assert found.heights[1] == pytest.approx(expected.eye.height, rel=1e-6)
    assert found.widths[1] == pytest.approx(expected.eye.width / expected.unit_interval, rel=1e-6)


def test_loss_grows_by_what_is_added_and_closes_the_eye(project, jl0) -> None:
    values = [0.0, 3.0, 6.0, 40.0]
    anew = LINK_SWEEP.run(sweep_inputs(project.design, jl0, "loss", values), Control())
    kept = LINK_SWEEP.run(sweep_inputs(project.design, jl0, "loss", values, anew=False), Control())
    assert np.diff(anew.losses[:3]) == pytest.approx([3.0, 3.0], abs=0.15)
    assert anew.heights[0] > anew.heights[1] > anew.heights[2]
    # Settings that are found anew are never worse by the figure that they are found by.
    assert (anew.merits[:3] >= kept.merits[:3] - 1e-9).all()
    assert anew.merits[2] > kept.merits[2] + 0.01
    assert anew.merits[0] == pytest.approx(kept.merits[0], abs=1e-9)
    assert anew.widths[3] == 0.0 or anew.why[3]


@pytest.mark.parametrize(
    ("over", "values", "words"),
    [
        ("colour", [], "a sweep over 'colour'"),
        ("noise", [-1.0], "0 or above"),
        ("speed", [0.0], "0.05 or above"),
        ("noise", [0.0] * 300, "At most 201"),
        ("noise", [float("nan")], "0 or above"),
    ],
)
def test_sweeps_that_cannot_be(project, jl0, over, values, words) -> None:
    with pytest.raises(InputError, match=words):
        sweep_inputs(project.design, jl0, over, values)


def test_corners_keep_the_settings_of_the_link_as_it_is(project, jl0) -> None:
    inputs = corner_inputs(project.design, jl0)
    found = LINK_CORNERS.run(inputs, Control())
    assert found.names[0] == "as it is"
    # Nothing of this path is a device: lines and resistors alone make corners, each once.
    assert len(found.names) == 1 + 4 + 4 + 2
    assert len({c.link for c in inputs.corners[:5]}) == 5
    here = run(link_inputs(project.design, jl0))
    assert found.points[0].height == pytest.approx(here.eye.height, rel=1e-9)
    by_name = dict(zip(found.names, found.points, strict=True))
    chain = here.chain
    given = tuple(chain.taps)
    moved = (given[0], 1.0 - abs(given[0]) - abs(given[2] - 0.025), given[2] - 0.025)
    link = link_inputs(project.design, jl0)
    fixed = replace(
        link.equalisers, chain=replace(chain, taps=moved, main=1), gains=(), find_taps=False
    )
    expected = run(replace(link, equalisers=fixed))
    assert by_name["tap behind −0.025"].height == pytest.approx(expected.eye.height, rel=1e-9)
    assert by_name["tap behind −0.025"].merit <= found.points[0].merit
    lowest = min(p.height for p in found.points)
    assert found.points[found.worst].height == lowest
    assert len({round(p.height, 9) for p in found.points}) > 5


def test_a_step_of_a_setting_goes_the_way_that_it_says(project, jl0) -> None:
    inputs = corner_inputs(project.design, jl0)
    first = inputs.corners[0].link
    # All of them keep the settings of the link as it is.
    cases = LINK_CORNERS.split(inputs)
    assert [c.inputs.link.settings_of for c in cases] == [first] * len(inputs.corners)
    link = replace(first, equalisers=replace(first.equalisers, chain=replace(
        first.equalisers.chain, taps=(-0.05, 0.85, -0.1), main=1, gain=0.5,
    )))  # fmt: skip

    def moved(before: float, behind: float, db: float):
        return corners_module._moved(link, (before, behind, db)).equalisers.chain

    assert moved(0.025, 0.0, 0.0).taps == pytest.approx((-0.025, 0.875, -0.1))
    assert moved(0.0, -0.025, 0.0).taps == pytest.approx((-0.05, 0.825, -0.125))
    assert moved(0.0, 0.0, 1.0).gain == pytest.approx(0.5 * 10 ** (1 / 20))
    assert moved(0.0, 0.0, -1.0).gain == pytest.approx(0.5 * 10 ** (-1 / 20))
    # Nothing is amplified.
    assert moved(0.0, 0.0, 12.0).gain == 1.0
    assert moved(0.0, 0.0, 1.0).taps == link.equalisers.chain.taps


def test_a_corner_without_an_eye_is_the_worst() -> None:
    shut = LinkPoint(why="no edges")
    points = (LinkPoint(height=0.2), LinkPoint(height=-0.1), shut, LinkPoint(height=0.1))
    assert LinkCorners(("a", "b", "c", "d"), points).worst == 2
    assert LinkCorners(("a", "b"), points[:2]).worst == 1


def test_a_path_of_other_lines_is_that_corner(project, jl0) -> None:
    inputs = corner_inputs(project.design, jl0)
    up = next(c for c in inputs.corners if "line +10" in c.name)
    assert up.link.channel.path is not None
    assert up.link.channel.path.line_factor == pytest.approx(1.1)
    assert replace(up.link, channel=inputs.corners[0].link.channel) == inputs.corners[0].link


def test_points_of_the_chain_are_links_that_end_there(project, jl0) -> None:
    along = LINK_ALONG.run(link_inputs(project.design, jl0), Control())
    assert along.points == tuple(POINTS)
    whole = LINK.run(link_inputs(project.design, jl0), Control())
    decided, peaking = along.at("decided"), along.at("peaking")
    assert decided is not None
    assert decided.height == pytest.approx(whole.eye.height, rel=1e-12)
    # Before the sampler there is no noise.
    bare = set_value(jl0, listener=Listener(), sender=set_value(jl0.sender, setting="given"))
    taps = set_value(bare.sender, taps=whole.chain.taps, main=whole.chain.main)
    expected = run(link_inputs(project.design, set_value(bare, sender=taps)))
    channel = along.at("channel")
    assert channel is not None
    assert channel.height == pytest.approx(expected.eye.height, rel=1e-9)
    gain = q(f"{20 * np.log10(whole.chain.gain)} dB", "loss")
    listener = set_value(jl0.listener, gains=(), gain=gain, decisions=0, noise=q("0 V", "voltage"))
    expected = run(link_inputs(project.design, set_value(bare, sender=taps, listener=listener)))
    assert peaking is not None
    assert peaking.height == pytest.approx(expected.eye.height, rel=1e-6)
    assert along.at("nowhere") is None


def test_what_is_sent_has_its_levels_and_its_taps(project, jl0) -> None:
    """Straight edges a long way apart: the eye is as tall as the taps leave it."""
    sender = Sender(taps=(0.8, -0.2), main=0)
    link = set_value(jl0, sender=sender, listener=Listener())
    along = LINK_ALONG.run(link_inputs(project.design, link), Control())
    assert along.points == ("sent", "channel", "decided")
    sent = along.at("sent")
    assert sent is not None
    from onda.studies.links.channel import channel_step
    from onda.studies.links.inputs import channel_inputs

    step = channel_step(channel_inputs(project.design, link))
    swing = float(step.volts[-1] - step.volts[0])
    assert sent.height == pytest.approx((0.8 - 0.2) * swing, rel=1e-3)


def test_a_lane_of_a_group_and_a_network_have_points_too(project) -> None:
    for link in ("jl3", "up0"):
        found = project.design.link(link)
        along = LINK_ALONG.run(link_inputs(project.design, found), Control())
        heights = {p: s.height for p, s in zip(along.points, along.settings, strict=True)}
        assert heights["sent"] == max(heights.values())
        assert replace_object(project, found).design.link(link) == found
