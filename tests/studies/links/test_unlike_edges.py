"""Links with unlike edges, device edges, codes, clocks, measured equalisers: what each does."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.links.codes import coded
from onda.engine.links.measured import more_loss
from onda.errors import InputError, NotPhysical
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.files import keep
from onda.project.links.equalisers import Listener, Sender, de_emphasis
from onda.project.links.link import Corner, EyeMask, Link
from onda.project.links.model_edits import with_response
from onda.project.model import Project
from onda.project.quantities import parse_quantity as q
from onda.studies.core.keys import key_of
from onda.studies.core.study import Control
from onda.studies.links.channel import channel_step
from onda.studies.links.eye import EYE, EyeResult
from onda.studies.links.inputs import channel_inputs, eye_inputs, link_inputs, mask_inputs
from onda.studies.links.link import LINK
from onda.studies.links.link_eye import LinkEye
from onda.studies.links.link_grid import channel_pulses
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import StimulusInputs
from onda.studies.paths.run import run_path

LATEST: dict[str, object] = {"code": "64b66b", "typed": "1100", "devices": True}


@pytest.fixture(scope="module")
def board(project) -> Project:
    return project


@pytest.fixture
def jl0(board) -> Link:
    """Lane 0 without a mask, quick."""
    return set_value(board.design.link("jl0"), mask=None, bits=20_000)


def at_rate(project: Project, link: Link) -> LinkEye:
    return LINK.run(replace(link_inputs(project.design, link), compare=False), Control())


def bits(project: Project, link: Link) -> EyeResult:
    return EYE.run(eye_inputs(project.design, link), Control())


def trigger(**changes) -> Link:
    """Over the trigger's path, whose devices are far from linear."""
    made = Link(
        id="t", name="Trigger", path="trig", rate=q("400 Mb/s", "data rate"), prbs=9, bits=3000,
    )  # fmt: skip
    return set_value(made, **changes)


def test_slow_falls_come_late_and_are_no_part_of_the_pulse_alone(board, jl0) -> None:
    slow = set_value(jl0, sender=Sender(fall=q("300 %", "ratio")))
    step = channel_step(channel_inputs(board.design, slow))
    assert step.fall is not None
    even = channel_step(channel_inputs(board.design, jl0))
    # Settled, both edges are each other's mirror; on the way the fall is the slower one.
    mirrored = step.volts[0] + step.volts[-1] - step.volts
    assert step.fall[-1] == pytest.approx(mirrored[-1], abs=1e-3)
    steepest = [float(np.abs(np.diff(x)).max()) for x in (step.volts, step.fall)]
    assert steepest[1] < 0.9 * steepest[0]
    assert np.abs(np.diff(even.volts)).max() == pytest.approx(steepest[0], rel=0.02)
    # Their middles lie together at the transmitter, and nearly so behind the path.
    middle = 0.5 * (step.volts[0] + step.volts[-1])
    crossed = [
        float(step.time[np.flatnonzero(np.diff(np.sign(x - middle)))[0]])
        for x in (step.volts, step.fall)
    ]
    assert abs(crossed[1] - crossed[0]) < 0.3 / jl0.symbols_per_second


@pytest.mark.parametrize("link", ["jl0", "up0"])
def test_bits_and_statistics_agree_with_unlike_edges(board, link) -> None:
    """At 1e-4 over enough bits, on a path and on a network of four levels."""
    found = board.design.link(link)
    found = set_value(
        found, mask=None, error_rate=1e-4, prbs=23, bits=200_000, crosstalk=False,
        sender=Sender(fall=q("200 %", "ratio")), listener=Listener(),
    )  # fmt: skip
    rate, long = at_rate(board, found), bits(board, found)
    main = rate.merit.main
    for at, counted in zip(rate.eye.eyes, long.eye.openings, strict=True):
        n = len(counted.high_edge)
        height = counted.high_edge[n // 2] - counted.low_edge[n // 2]
        # The most extreme of all bits lies beyond the contour of one in ten thousand.
        assert at.height == pytest.approx(float(height), abs=0.06 * main)
        assert at.height >= float(height) - 0.01 * main
    even = at_rate(board, set_value(found, sender=Sender()))
    assert rate.eye.eyes[0].upper != pytest.approx(even.eye.eyes[0].upper, abs=1e-4)
    assert rate.worst < even.worst


def test_edges_of_devices_are_those_that_paths_shows(board) -> None:
    """Bits sent along the path with its devices, one transient, laid beside the sum of edges."""
    link = trigger(devices=True, typed="110100101110001010011101")
    result = bits(board, link)
    path = path_inputs(board.design, board.design.path("trig"))
    unit = 1.0 / link.symbols_per_second
    some = link.typed * 3
    sent = StimulusInputs("bits", rate=link.rate.si, bits=some)
    run = run_path(replace(path, stimulus=sent, window=len(some) * unit))
    volts = run.solution.node(run.built.load)
    eye = result.eye

    def height(away: float) -> float:
        """Between the lowest one and the highest zero, sampled so far behind each bit's start."""
        numbers = np.arange(26, len(some) - 3)
        seen = np.interp((numbers + away) * unit, run.solution.time, volts)
        one = np.array([some[k] == "1" for k in numbers])
        return float(seen[one].min() - seen[~one].max())

    tallest = max(height(away) for away in np.linspace(0.0, 2.0, 257))
    assert tallest == pytest.approx(eye.least.tallest[1], rel=0.02)
    linear = bits(board, trigger(typed=link.typed))
    assert abs(linear.eye.height - eye.height) > 0.2


def test_linear_ends_give_the_same_edges_by_either_way(board, jl0) -> None:
    """Nothing at the ends of lane 0 is a device: one way solves in time, the other one by lines."""
    both = [bits(board, set_value(jl0, devices=d)).eye for d in (False, True)]
    assert both[1].height == pytest.approx(both[0].height, rel=5e-3)
    assert both[1].width == pytest.approx(both[0].width, abs=5e-3)
    assert both[1].means == pytest.approx(both[0].means, abs=1e-3)


@pytest.mark.parametrize("over", [{"group": "memory-byte", "group_lane": "dq3"}])
def test_groups_have_edges_alike(board, jl0, over) -> None:
    link = set_value(jl0, path=None, sender=Sender(fall=q("150 %", "ratio")), **over)
    with pytest.raises(InputError, match="paths and networks only"):
        at_rate(board, link)


def test_codes_and_typed_patterns_are_what_is_sent(board, jl0) -> None:
    inputs = eye_inputs(board.design, set_value(jl0, code="8b10b"))
    assert inputs.pattern.symbols(500, 2).tolist() == coded("8b10b", 15, 500).tolist()
    typed = set_value(jl0, typed="10", bits=1000)
    # A clock has no neighbours that differ: its eye is taller than that of data.
    assert bits(board, typed).eye.jitter_pp < 1e-6
    long = set_value(jl0, typed="0x40 1 0x40 1 0 1x40 0 1x40 0", bits=1000)
    assert bits(board, long).eye.height < bits(board, set_value(jl0, typed="10")).eye.height
    four = eye_inputs(board.design, set_value(jl0, modulation="pam4", prbs=13)).pattern
    assert np.bincount(four.symbols(8191, 4)).tolist() == [2048, 2048, 2048, 2047] or sorted(
        np.bincount(four.symbols(8191, 4)).tolist()
    ) == [2047, 2048, 2048, 2048]


def test_a_polygon_is_the_mask_in_every_eye(board) -> None:
    corners = [(-0.2, 0.0), (0.0, 0.004), (0.2, 0.0), (0.05, -0.006), (-0.05, -0.006)]
    mask = EyeMask(
        width=q("0.4 UI", "unit interval"), flat=q("0.1 UI", "unit interval"),
        height=q("10 mV", "voltage"),
        corners=tuple(
            Corner(at=x, volts=q(f"{y} V", "voltage")) for x, y in corners
        ),
    )  # fmt: skip
    up0 = set_value(board.design.link("up0"), mask=mask)
    found = mask_inputs(up0)
    assert found is not None
    assert np.array(found.corners) == pytest.approx(np.array(corners))
    result = at_rate(board, up0)
    assert len(result.growths) == 3
    assert result.mask_growth == min(result.growths)
    for eye, growth in zip(result.eye.eyes, result.growths, strict=True):
        x = result.moments / result.unit_interval
        for more, fits in ((0.999, True), (1.005, False)):
            low, high = found.grown(more * (1.0 + growth)).reach(x)
            some = ~np.isnan(low)
            above, below = eye.upper - eye.threshold - high, low - eye.lower + eye.threshold
            assert (float(np.minimum(above, below)[some].min()) >= 0.0) is fits
    plain = set_value(mask, corners=())
    assert mask_inputs(set_value(up0, mask=plain)) != found
    with pytest.raises(InputError, match="crosses itself"):
        set_value(mask, corners=tuple(mask.corners[k] for k in (0, 2, 1, 3, 4)))
    with pytest.raises(InputError, match="at"):
        set_value(mask.corners[0], at=-1.2)


def test_a_clock_follows_what_is_slow(board, jl0) -> None:
    shaking = Sender(sine=q("0.1 UI", "unit interval"), sine_at=q("1 MHz", "frequency"))
    still = at_rate(board, jl0).eye.width
    free = at_rate(board, set_value(jl0, sender=shaking)).eye.width
    loop = Listener(clock="second", clock_bandwidth=q("4 MHz", "frequency"))
    slow = at_rate(board, set_value(jl0, sender=shaking, listener=loop))
    fast = at_rate(
        board,
        set_value(jl0, sender=set_value(shaking, sine_at=q("50 MHz", "frequency")), listener=loop),
    )
    unit = slow.unit_interval
    # In the second order (f / f0)^2 of it is left, far below: a sixteenth.
    assert slow.left.sine / unit == pytest.approx(0.1 * 0.0588, rel=0.01)
    assert still - slow.eye.width == pytest.approx(2.0 * slow.left.sine, rel=0.2)
    assert free == pytest.approx(still - 0.2 * unit, abs=0.02 * unit)
    assert fast.eye.width == pytest.approx(free, abs=0.02 * unit)
    # The pattern shakes the clock a little, even where nothing else does.
    calm = at_rate(board, set_value(jl0, listener=loop))
    assert 0.0 < calm.left.random < 0.01 * unit
    assert calm.eye.width < still
    with pytest.raises(InputError, match="needs a bandwidth"):
        set_value(Listener(), clock="first")


def test_a_sampler_takes_what_it_needs_and_decides_where_it_does(board, jl0) -> None:
    plain = at_rate(board, jl0)
    needs = at_rate(board, set_value(jl0, listener=Listener(sensitivity=q("30 mV", "voltage"))))
    assert needs.eye.height == pytest.approx(plain.eye.height - 0.03, abs=1e-9)
    assert needs.eye.width < plain.eye.width
    high = at_rate(board, set_value(jl0, listener=Listener(offset=q("20 mV", "voltage"))))
    assert high.eye.height == pytest.approx(plain.eye.height - 0.04, abs=2e-3)
    assert high.eye.eyes[0].threshold == pytest.approx(0.02)
    assert high.eye.width < plain.eye.width
    low = at_rate(board, set_value(jl0, listener=Listener(offset=q("-20 mV", "voltage"))))
    assert low.eye.width == pytest.approx(high.eye.width, abs=1e-3 * plain.unit_interval)


def responses(*, settings: int = 3) -> bytes:
    """A family of peaking stages as a table, each 3 dB lower at 0 Hz."""
    f = np.linspace(0.0, 60e9, 601)
    lines = ["frequency_hz" + ",gain_db" * settings]
    for x in f:
        row = [x]
        for k in range(settings):
            g = 10.0 ** (-3.0 * k / 20.0)
            h = (g + 1j * x / 4e9) / (1 + 1j * x / 4.2e9) / (1 + 1j * x / 16e9)
            row.append(20.0 * math.log10(abs(h)))
        lines.append(",".join(f"{v:.9g}" for v in row))
    return "\n".join(lines).encode()


def test_a_measured_family_is_the_poles_that_made_it(board, jl0) -> None:
    made = with_response(board, jl0, "peaking.csv", keep(responses()))
    link = made.design.link("jl0")
    assert made.design.device_files[-1].path == "responses/peaking.csv"
    best = at_rate(made, link)
    each = []
    for k in range(3):
        one = set_value(link, listener=set_value(link.listener, response_setting=k + 1))
        found = at_rate(made, one)
        poles = Listener(
            gain=q(f"{-3 * k} dB", "loss"), zero=q("4 GHz", "frequency"),
            poles=(q("4.2 GHz", "frequency"), q("16 GHz", "frequency")),
        )  # fmt: skip
        ours = at_rate(board, set_value(jl0, listener=poles))
        assert found.eye.height == pytest.approx(ours.eye.height, rel=0.02)
        assert found.merit.db == pytest.approx(ours.merit.db, abs=0.3)
        each.append(found.merit.db)
    assert best.merit.db == pytest.approx(max(each), abs=1e-9)
    assert [s.name for s in LINK.run(link_inputs(made.design, link), Control()).settings] == [
        "all equalisers",
        "without peaking",
    ]
    with pytest.raises(InputError, match="no setting 9"):
        at_rate(made, set_value(link, listener=set_value(link.listener, response_setting=9)))
    with pytest.raises(InputError, match="not by both"):
        set_value(poles, response=link.listener.response)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "is empty"),
        (b"f,g\n1,2\n", "its first line is"),
        (b"frequency_hz,phase_deg\n1,2\n", "its first line is"),
        (b"frequency_hz,gain_db\n1,x\n", "no number"),
        (b"frequency_hz,gain_db\n1,2,3\n", "3 values"),
        (b"frequency_hz,gain_db\n1,2\n1,3\n", "do not rise"),
        (b"frequency_hz,gain_db\n1,nan\n", "out of range"),
        (b"frequency_hz,gain_db\n1,2\n", "two or more"),
        (b"frequency_hz,gain_db\n0,0\n1e9,0\n", "good to 2e"),
    ],
)
def test_responses_that_cannot_be(board, jl0, data, words) -> None:
    made = with_response(board, jl0, "bad.csv", keep(data))
    with pytest.raises((InputError, NotPhysical), match=words):
        at_rate(made, made.design.link("jl0"))


def test_de_emphasis_lowers_what_repeats() -> None:
    main, behind = de_emphasis(-6.0)
    assert main - behind == pytest.approx(1.0)
    assert 20.0 * math.log10(main + behind) == pytest.approx(-6.0)
    assert de_emphasis(3.5) == de_emphasis(-3.5)


def test_more_line_is_more_line(board, jl0) -> None:
    """Six dB at half the symbol rate, read off the pulse's transform."""
    inputs = link_inputs(board.design, jl0)
    lossy = replace(inputs.channel, more_loss=6.0)
    spectra = []
    for channel in (inputs.channel, lossy):
        own = channel_pulses(channel).own
        spectra.append(np.abs(np.fft.rfft(own.samples, 2**17)))
    frequency = np.fft.rfftfreq(2**17, own.step)
    known = more_loss(6.0, jl0.symbols_per_second)
    for share in (0.25, 0.5):
        k = int(np.argmin(np.abs(frequency - share * jl0.symbols_per_second)))
        expected = np.interp(frequency[k], known.frequency, known.gain_db)
        assert 20.0 * math.log10(spectra[1][k] / spectra[0][k]) == pytest.approx(expected, abs=0.3)


def test_an_error_brings_more_where_feedback_is_strong(board) -> None:
    jl3 = board.design.link("jl3")
    noisy = set_value(jl3.listener, noise=q("40 mV", "voltage"))
    found = at_rate(board, set_value(jl3, listener=noisy))
    assert found.errors_run_on > 1.0
    none = at_rate(board, set_value(jl3, listener=set_value(noisy, decisions=0)))
    assert none.errors_run_on == 1.0


def test_errors_that_follow_one_are_those_counted(board) -> None:
    """Symbols decided one by one with feedback of what was decided, right or wrong."""
    jl3 = set_value(board.design.link("jl3"), crosstalk=False, sender=Sender())
    listener = set_value(jl3.listener, noise=q("70 mV", "voltage"), limit=q("100 %", "ratio"))
    link = set_value(jl3, listener=set_value(listener, decisions=1))
    result = at_rate(board, link)
    cursors = result.cursors
    rng = np.random.default_rng(2)
    n = 400_000
    s = 2.0 * rng.integers(0, 2, n) - 1.0
    v = np.zeros(n)
    for k, c in cursors.items():
        v += c * np.roll(s, k)
    v += rng.normal(0.0, 0.07, n)
    # The feedback is taken off already, of what was sent: a wrong decision adds twice its tap.
    wrong, tap = np.zeros(n, dtype=bool), result.taps[0]
    last = False
    for k in range(n):
        seen = v[k] + (2.0 * tap * s[k - 1] if last else 0.0)
        last = (seen > 0.0) != (s[k] > 0.0)
        wrong[k] = last
    ideal = ((v > 0.0) != (s > 0.0)).mean()
    assert wrong.mean() / ideal == pytest.approx(result.errors_run_on, rel=0.1)


def test_new_fields_are_part_of_the_keys(board, jl0) -> None:
    before = key_of("eye", eye_inputs(board.design, jl0))
    for field, value in LATEST.items():
        changed = set_value(jl0, **{field: value})
        assert key_of("eye", eye_inputs(board.design, changed)) != before, field
    was = key_of("link_eye", link_inputs(board.design, jl0))
    loop = {"clock": "first", "clock_bandwidth": q("4 MHz", "frequency")}
    for listener in (
        {"offset": q("1 mV", "voltage")},
        {"sensitivity": q("1 mV", "voltage")},
        loop,
        loop | {"clock": "second"},
    ):
        changed = set_value(jl0, listener=set_value(jl0.listener, **listener))
        assert key_of("link_eye", link_inputs(board.design, changed)) != was
    for sender in ({"fall": q("110 %", "ratio")}, {"sine_at": q("1 MHz", "frequency")}):
        changed = set_value(jl0, sender=set_value(jl0.sender, **sender))
        assert key_of("link_eye", link_inputs(board.design, changed)) != was
    every = [
        key_of("link_eye", link_inputs(board.design, set_value(jl0, **{k: v})))
        for k, v in (("devices", True), ("crosstalk", False))
    ]
    assert len({was, *every}) == 3
    assert all(a != b for a, b in itertools.pairwise(every))
    assert replace_object(board, jl0).design.link("jl0") == jl0


def test_a_gain_control_goes_to_its_level(board) -> None:
    """Without noise everything grows alike; with it the eye gains what noise no more takes."""
    jl3 = set_value(board.design.link("jl3"), sender=Sender(), mask=None)
    quiet = set_value(jl3, listener=set_value(jl3.listener, noise=q("0 V", "voltage")))
    plain = at_rate(board, quiet)
    to = q("600 mV", "voltage")
    loud = at_rate(board, set_value(quiet, listener=set_value(quiet.listener, gain_to=to)))
    gain = 0.6 / plain.merit.main
    assert loud.merit.main == pytest.approx(0.6, rel=1e-6)
    assert loud.eye.height == pytest.approx(gain * plain.eye.height, rel=2e-3)
    assert loud.crosstalk == pytest.approx(gain * plain.crosstalk, rel=1e-6)
    assert loud.taps == pytest.approx([gain * t for t in plain.taps])
    assert loud.eye.width == pytest.approx(plain.eye.width, abs=2e-3 * plain.unit_interval)
    noisy = at_rate(board, set_value(jl3, listener=set_value(jl3.listener, gain_to=to)))
    assert noisy.eye.height > gain * at_rate(board, jl3).eye.height
    both = [
        bits(board, set_value(x, bits=5000)).eye.height
        for x in (quiet, set_value(quiet, listener=set_value(quiet.listener, gain_to=to)))
    ]
    assert both[1] == pytest.approx(gain * both[0], rel=5e-3)
    with pytest.raises(InputError, match="more than 0 V"):
        set_value(jl3.listener, gain_to=q("0 V", "voltage"))


@pytest.mark.parametrize("link", ["up0", "jl3"])
def test_bits_have_the_settings_of_the_eye_at_its_rate(board, link) -> None:
    found = set_value(board.design.link(link), crosstalk=False)
    rate = at_rate(board, found)
    long = bits(board, set_value(found, bits=3000))
    # Both ways say the same of the worst pattern, so they have the same equalisers.
    assert long.peak.height == pytest.approx(rate.worst, rel=0.01)
