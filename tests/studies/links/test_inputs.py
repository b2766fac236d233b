"""What a link's studies are told: every value of a link, each another one, in its own place."""

from __future__ import annotations

import pytest

from onda.engine.links.sampler import Jitter
from onda.project.base import set_value
from onda.project.links.equalisers import Listener, Sender
from onda.project.links.link import Launch, Link
from onda.project.model import Project
from onda.project.quantities import Quantity, quantity
from onda.studies.links.inputs import (
    channel_inputs,
    eye_inputs,
    link_inputs,
    pattern_inputs,
)


def volts(value: float) -> Quantity:
    return quantity(value, "voltage")


def ui(value: float) -> Quantity:
    return quantity(value, "unit interval", "UI")


def hertz(value: float) -> Quantity:
    return quantity(value, "frequency", "GHz")


@pytest.fixture
def link(project: Project) -> Link:
    """A lane of a network whose every value is another one."""
    base = next(x for x in project.design.links if x.network is not None)
    sender = Sender(
        taps=(-0.05, 0.8, -0.15), main=1, random=ui(0.01), bounded=ui(0.05), sine=ui(0.03),
        duty=ui(0.02), sine_at=quantity(11e6, "frequency", "MHz"),
        fall=quantity(1.3, "ratio", "%"), capacitance=quantity(150e-15, "capacitance", "fF"),
    )  # fmt: skip
    listener = Listener(
        gains=tuple(quantity(-x, "loss", "dB") for x in (0.0, 3.0, 6.0)), zero=hertz(6.1e9),
        poles=(hertz(7.3e9), hertz(26.2e9)), taps=(0.9, -0.1, 0.07), main=0, decisions=3,
        limit=quantity(0.4, "ratio", "%"), noise=volts(1.7e-3), clock="second",
        clock_bandwidth=quantity(4e6, "frequency", "MHz"), clock_damping=1.9,
        capacitance=quantity(230e-15, "capacitance", "fF"), gain_to=volts(0.21),
        offset=volts(2.3e-3), sensitivity=volts(9e-3),
    )  # fmt: skip
    return set_value(
        base, rate=quantity(20e9, "data rate", "Gb/s"), modulation="pam4", lane=2, near=(1,),
        launch=Launch(low=volts(-0.3), high=volts(0.5), edge=quantity(13e-12, "time", "ps")),
        prbs=9, bits=3000, sampling="tallest", error_rate=1e-7, crosstalk=False,
        mismatch=quantity(0.92, "ratio", "%"), sender=sender, listener=listener, mask=None,
    )  # fmt: skip


@pytest.mark.parametrize("of", [link_inputs, eye_inputs])
def test_every_value_of_an_equaliser_stands_in_its_place(project: Project, link: Link, of) -> None:
    equalisers = of(project.design, link).equalisers
    chain = equalisers.chain
    assert (chain.taps, chain.main) == ((-0.05, 0.8, -0.15), 1)
    assert (chain.receive_taps, chain.receive_main) == ((0.9, -0.1, 0.07), 0)
    assert (chain.zero, chain.poles) == (pytest.approx(6.1e9), pytest.approx((7.3e9, 26.2e9)))
    assert (chain.decisions, chain.limit, chain.gain_to) == (3, 0.4, pytest.approx(0.21))
    # Gains to choose from: the one that is set comes in their place.
    assert (chain.gain, equalisers.find_taps) == (1.0, False)
    assert equalisers.gains == pytest.approx((1.0, 10**-0.15, 10**-0.3))
    fixed = set_value(link.listener, gain=quantity(-4.0, "loss", "dB"))
    best = set_value(link.sender, setting="best")
    found = of(project.design, set_value(link, listener=fixed, sender=best)).equalisers
    assert found.chain.gain == pytest.approx(10**-0.2)
    assert (found.gains, found.find_taps) == ((), True)
    # Without a continuous equaliser zero and poles say nothing.
    none = of(project.design, set_value(link, listener=set_value(link.listener, gains=())))
    assert (none.equalisers.chain.zero, none.equalisers.chain.poles) == (0.0, ())
    # Main taps of equalisers without taps say nothing either.
    bare = set_value(link, sender=set_value(link.sender, taps=(), main=0))
    assert of(project.design, bare).equalisers.chain.taps == (1.0,)
    later = set_value(link.listener, main=2)
    chain = of(project.design, set_value(link, listener=later)).equalisers.chain
    assert (chain.main, chain.receive_main) == (1, 2)


def test_a_lane_is_counted_from_0_with_what_stands_at_its_ends(
    project: Project, link: Link
) -> None:
    channel = channel_inputs(project.design, link)
    assert (channel.path, channel.group, channel.pulse) == (None, None, None)
    assert channel.unit_interval == pytest.approx(100e-12)
    assert (channel.crosstalk, channel.fall, channel.devices) == (False, pytest.approx(1.3), False)
    lane = channel.lane
    assert lane is not None
    assert (lane.lane, lane.near) == (1, (0,))
    assert (lane.low, lane.high, lane.edge) == pytest.approx((-0.3, 0.5, 13e-12))
    assert lane.fall == pytest.approx(1.3)
    assert lane.across == pytest.approx((150e-15, 230e-15))
    fastest = set_value(link, launch=set_value(link.launch, edge=None))
    found = channel_inputs(project.design, fastest).lane
    assert found is not None
    assert found.edge == 0.0


def test_jitter_noise_and_clock_come_in_seconds_volts_and_hertz(
    project: Project, link: Link
) -> None:
    found = link_inputs(project.design, link)
    assert found.jitter == Jitter(*(pytest.approx(x * 1e-12) for x in (1.0, 5.0, 3.0, 2.0)))
    assert (found.noise, found.offset, found.sensitivity) == pytest.approx((1.7e-3, 2.3e-3, 9e-3))
    assert found.sine_at == pytest.approx(11e6)
    clock = found.clock
    assert clock is not None
    assert (clock.order, clock.bandwidth, clock.damping) == (2, pytest.approx(4e6), 1.9)
    assert (found.error_rate, found.sampling, found.fine) == (1e-7, "tallest", True)
    assert found.levels == link.levels
    assert found.merit_terms == {
        "where": "tallest", "noise": found.noise, "jitter": found.jitter.effective,
        "levels": link.levels,
    }  # fmt: skip
    bits = eye_inputs(project.design, link)
    assert (bits.bits, bits.sampling, bits.levels) == (3000, "tallest", link.levels)
    assert bits.merit_terms == found.merit_terms
    first = set_value(link.listener, clock="first")
    found = link_inputs(project.design, set_value(link, listener=first))
    assert found.clock is not None
    assert found.clock.order == 1
    ideal = set_value(link.listener, clock="ideal")
    assert link_inputs(project.design, set_value(link, listener=ideal)).clock is None


def test_two_bits_of_the_pattern_make_a_symbol_of_four_levels(link: Link) -> None:
    pattern = pattern_inputs(link)
    assert (pattern.order, pattern.code, pattern.typed) == (9, "none", "")
    two = pattern.symbols(40, 2)
    four = pattern.symbols(20, 4)
    # 00 01 11 10 are 0 1 2 3, so that neighbours differ in one bit.
    pairs = [int(a) * 2 + int(b) for a, b in zip(two[::2], two[1::2], strict=True)]
    assert four.tolist() == [{0: 0, 1: 1, 3: 2, 2: 3}[p] for p in pairs]
    assert set(four.tolist()) == {0, 1, 2, 3}
