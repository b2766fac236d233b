"""Networks in time and place against lines whose answers are known."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.coupled_lines import lossless_coupled
from onda.engine.lines import CapacitancePart, Line, lossless_line
from onda.engine.networks.algebra import cascade
from onda.engine.networks.crosstalk_place import rank_peaks
from onda.engine.networks.mixed_mode import mixed_mode, single_ended
from onda.engine.networks.peeling import (
    Profile,
    find_lumps,
    peeled,
    plain_impedance,
    sharpened,
)
from onda.engine.networks.sampling import dc_point, even_grid, interpolated, phase_delay
from onda.engine.networks.skew import leg_responses, pair_delay, pair_skew
from onda.engine.networks.split import split_through
from onda.engine.networks.time_domain import (
    Edge,
    crossing,
    fastest_edge,
    gated,
    impulse_response,
    pulse_response,
    step_response,
)
from onda.errors import NotPhysical

F = np.arange(0, 2001) * 2e7


def line(z: float, delay: float, f: np.ndarray = F) -> np.ndarray:
    s = lossless_line(z).s_parameters(np.where(f == 0, 1.0, f), delay)
    return np.asarray(s)


def lossy(z: float = 50.0, delay: float = 1e-9, f: np.ndarray = F) -> np.ndarray:
    made = Line(z * 5e-9, (CapacitancePart(5e-9 / z),), r_dc=2.0, k_skin=4e-4)
    return np.asarray(made.s_parameters(np.where(f == 0, 1.0, f), delay / 5e-9))


def shunt_c(c: float, f: np.ndarray = F) -> np.ndarray:
    y = 2j * np.pi * f * c * 50.0
    return np.stack([np.stack([-y, 2 + 0 * y], -1), np.stack([2 + 0 * y, -y], -1)], -2) / (
        2 + y[:, None, None]
    )


def series_l(inductance: float, f: np.ndarray = F) -> np.ndarray:
    z = 2j * np.pi * f * inductance / 50.0
    return np.stack([np.stack([z, 2 + 0 * z], -1), np.stack([2 + 0 * z, z], -1)], -2) / (
        2 + z[:, None, None]
    )


# ---- edges


def test_a_delay_moves_the_edge_and_nothing_else() -> None:
    edge = Edge(40e-12)
    time, volts = step_response(F, np.exp(-2j * np.pi * F * 1.3e-9), edge)
    assert crossing(time, volts, 0.5) == pytest.approx(1.3e-9, abs=1e-14)
    # Read on straight pieces between samples, of which the error falls with their square.
    for per_rise, room in ((8.0, 5e-3), (16.0, 1.25e-3), (64.0, 8e-5)):
        fine = step_response(F, np.exp(-2j * np.pi * F * 1.3e-9), edge, per_rise=per_rise)
        rise = crossing(*fine, 0.8) - crossing(*fine, 0.2)
        assert rise == pytest.approx(40e-12, rel=room)
    assert volts[0] == pytest.approx(0.0, abs=1e-6)
    assert volts[-1] == pytest.approx(1.0, abs=1e-6)


def test_the_fastest_edge_uses_the_whole_band() -> None:
    edge = fastest_edge(40e9)
    assert edge.needs == pytest.approx(40e9)
    assert edge.spectrum(np.array([40e9]))[0] == pytest.approx(0.01, rel=0.02)
    with pytest.raises(NotPhysical, match="edge"):
        Edge(-1.0)


def test_impulse_sums_to_dc_and_a_pulse_is_two_steps() -> None:
    h = 0.7 * np.exp(-2j * np.pi * F * 5e-10)
    edge = Edge(50e-12)
    assert impulse_response(F, h, edge)[1].sum() == pytest.approx(0.7)
    time, pulse = pulse_response(F, h, edge, 400e-12)
    assert np.interp(7e-10, time, pulse) == pytest.approx(0.7, abs=1e-3)
    assert np.interp(2e-9, time, pulse) == pytest.approx(0.0, abs=1e-6)
    with pytest.raises(NotPhysical, match="even steps from 0"):
        impulse_response(F[1:], h[1:], edge)


def test_an_edge_that_never_comes_has_no_time() -> None:
    time = np.linspace(0, 1, 11)
    assert math.isnan(crossing(time, np.zeros(11), 0.5))
    assert math.isnan(crossing(time, np.ones(11), 0.5))


# ---- sampling


def test_delay_by_phase_slope_and_values_between_points() -> None:
    f = np.arange(1, 101) * 1e8
    s = line(65.0, 2e-9, f)
    assert phase_delay(f, s[:, 1, 0]) == pytest.approx(2e-9, rel=0.02)
    between = f[:-1] + 0.37e8
    assert np.abs(interpolated(f, s, between) - line(65.0, 2e-9, between))[2:-2].max() < 0.02
    through = interpolated(f, s, between)[:, 1, 0]
    # Without taking the delay out a fast phase would be cut short.
    assert np.abs(np.abs(through) - np.abs(line(65.0, 2e-9, between)[:, 1, 0])).max() < 0.02
    with pytest.raises(NotPhysical, match="inside the data"):
        interpolated(f, s, np.array([2e10]))


@pytest.mark.parametrize("count", [2, 3, 4])
def test_a_delay_is_met_between_a_few_points(count: int) -> None:
    f = 1e9 + np.arange(count) * 3e8
    s = 0.9 * np.exp(-2j * np.pi * f * 1.2e-9)[:, None, None] * np.array([[0.0, 1.0], [0.5, 0.0]])
    between = np.array([1.13e9, 1e9 + (count - 1) * 3e8])
    found = interpolated(f, s, between)
    assert found[:, 0, 1] == pytest.approx(0.9 * np.exp(-2j * np.pi * between * 1.2e-9), abs=1e-9)
    assert found[:, 1, 0] == pytest.approx(0.45 * np.exp(-2j * np.pi * between * 1.2e-9), abs=1e-9)
    assert np.abs(found[:, 0, 0]).max() == 0.0


def test_dc_is_real_and_near_the_truth() -> None:
    f = np.arange(1, 500) * 1e7
    s = lossy(f=f)
    truth = 2.0 * 0.2 / (2.0 * 0.2 + 100.0)
    found = dc_point(f, s)
    assert np.abs(found.imag).max() == 0.0
    assert found[0, 0].real == pytest.approx(truth, abs=2e-3)
    assert found[1, 0].real == pytest.approx(1.0 - truth, abs=2e-3)


def test_the_even_grid_tells_what_it_added() -> None:
    f = np.linspace(1e8, 1e10, 100)
    even = even_grid(f, lossy(f=f), top=1.5e10)
    assert even.frequency[0] == 0.0
    assert even.step == pytest.approx(1e8)
    assert len(even.notes) == 2
    assert "DC" in even.notes[0]
    assert "10 GHz" in even.notes[1]
    inside = even.frequency > 9e7
    truth = lossy(f=even.frequency[inside])
    assert np.abs(even.s[inside] - truth)[:, 1, 0].max() < 0.01
    with pytest.raises(NotPhysical, match="two points"):
        even_grid(f[:1], lossy(f=f[:1]))
    with pytest.raises(NotPhysical, match="grid"):
        even_grid(f, lossy(f=f), step=1.0)


# ---- peeling


def profile_of(s: np.ndarray, edge: Edge) -> Profile:
    time, response = impulse_response(F, s[:, 0, 0], edge)
    return peeled(time, response, 50.0)


def test_peeling_finds_each_section_where_a_plain_reading_is_off() -> None:
    s = cascade(line(50, 2e-10), line(70, 3e-10), line(40, 3e-10), line(60, 3e-10), line(50, 2e-10))
    edge = Edge(25e-12)
    profile = profile_of(s, edge)
    for middle, z in ((3.5e-10, 70), (6.5e-10, 40), (9.5e-10, 60), (1.2e-9, 50)):
        assert profile.mean(middle - 5e-11, middle + 5e-11) == pytest.approx(z, rel=2e-3)
    time, rho = step_response(F, s[:, 0, 0], edge)
    plain = np.interp(2 * 9.5e-10, time, plain_impedance(rho, 50.0))
    assert abs(plain - 60) > 1.5


@pytest.mark.parametrize("c", [0.1e-12, 0.3e-12, 0.6e-12])
def test_a_capacitance_is_found_with_its_value_and_place(c: float) -> None:
    s = cascade(line(50, 4e-10), shunt_c(c), line(50, 4e-10))
    edge = Edge(25e-12)
    lumps = find_lumps(profile_of(s, edge), edge.rise)
    assert [lump.kind for lump in lumps] == ["shunt C"]
    assert lumps[0].value == pytest.approx(c, rel=0.1)
    assert lumps[0].delay == pytest.approx(4e-10, abs=1.5e-11)


def test_a_plain_step_is_no_lumped_part() -> None:
    edge = Edge(25e-12)
    assert find_lumps(profile_of(cascade(line(50, 4e-10), line(65, 9e-10)), edge), edge.rise) == []


@pytest.mark.parametrize(
    "steps", [(35, 90, 30), (50, 20, 120, 25, 100), (60, 45, 80, 30, 70), (48, 52, 49, 55)]
)
@pytest.mark.parametrize("rise", [15e-12, 25e-12, 60e-12])
def test_a_profile_of_steps_has_no_parts(steps: tuple[float, ...], rise: float) -> None:
    edge = Edge(rise)
    s = cascade(line(50, 4e-10), *(line(z, 3.5e-10) for z in steps), line(50, 4e-10))
    assert find_lumps(profile_of(s, edge), edge.rise) == []


@pytest.mark.parametrize("after", [50.0, 65.0, 40.0])
def test_parts_at_steps_are_found_with_value_and_place(after: float) -> None:
    edge = Edge(15e-12)
    coil = series_l(0.6e-9)
    s = cascade(line(50, 4e-10), shunt_c(0.3e-12), line(after, 4e-10), coil, line(50, 4e-10))
    found = find_lumps(profile_of(s, edge), edge.rise)
    assert [lump.kind for lump in found] == ["shunt C", "series L"]
    assert found[0].value == pytest.approx(0.3e-12, rel=0.1)
    assert found[1].value == pytest.approx(0.6e-9, rel=0.1)
    assert found[0].delay == pytest.approx(4e-10, abs=1e-11)
    assert found[1].delay == pytest.approx(8e-10, abs=1.5e-11)


def test_the_profile_ends_where_the_line_is_open() -> None:
    open_end = np.exp(-2j * np.pi * F * 1e-9)[:, None, None]
    profile = profile_of(open_end, Edge(25e-12))
    assert profile.ends == "open"
    assert profile.delay[-1] == pytest.approx(5e-10, abs=7e-11)
    assert profile.mean(2e-10, 4e-10) == pytest.approx(50.0, rel=1e-3)
    assert profile_of(-open_end, Edge(25e-12)).ends == "short"
    assert math.isnan(profile.mean(1.0, 2.0))


def test_a_ramp_is_taken_off_exactly() -> None:
    step = np.zeros(400)
    step[100:] = 0.2
    step[250:] = -0.1
    ramp = np.convolve(step, np.full(40, 1 / 40))[:400]
    found = np.cumsum(sharpened(ramp, 40, 5))
    assert found[150] == pytest.approx(0.2)
    assert found[390] == pytest.approx(-0.1)
    with pytest.raises(NotPhysical, match="two or more"):
        peeled(np.zeros(1), np.zeros(1), 50.0)


# ---- gates, skew, split, crosstalk


def test_a_gate_takes_one_echo_and_leaves_the_other() -> None:
    first, second = 0.2 * np.exp(-2j * np.pi * F * 1e-9), 0.1 * np.exp(-2j * np.pi * F * 3e-9)
    s = (first + second)[:, None, None]
    kept = gated(F, s, 0.5e-9, 1.5e-9, edge=2e-10)[:, 0, 0]
    low = F < 30e9
    assert np.abs(kept - first)[low].max() < 5e-3
    assert np.abs((s[:, 0, 0] - kept) - second)[low].max() < 5e-3
    with pytest.raises(NotPhysical, match="gate"):
        gated(F, s, 2e-9, 1e-9, edge=0.0)


def coupled_pair(extra: float = 0.0) -> np.ndarray:
    """A coupled pair whose n leg goes on alone for `extra` seconds."""
    inductance = np.array([[3.0e-7, 0.7e-7], [0.7e-7, 3.0e-7]])
    c = np.array([[1.2e-10, -0.2e-10], [-0.2e-10, 1.2e-10]])
    f = np.where(F == 0, 1.0, F)
    s = lossless_coupled(inductance, c).s_parameters(f, 0.1)
    late = np.exp(-2j * np.pi * F * extra)
    s[:, 3, :] *= late[:, None]
    s[:, :, 3] *= late[:, None]
    return np.asarray(s)


def test_skew_of_a_matched_delay_is_that_delay() -> None:
    found = pair_skew(F, coupled_pair(4e-12), Edge(30e-12), upto=1e10)
    assert found.figure == pytest.approx(4e-12, rel=0.02)
    # Away from the resonances of the mismatched pair it holds at each frequency too.
    assert np.median(found.skew) == pytest.approx(4e-12, rel=0.05)
    none = pair_skew(F, coupled_pair(), Edge(30e-12))
    assert none.figure == pytest.approx(0.0, abs=1e-15)


def test_legs_driven_alone_are_as_late_as_their_own_ways() -> None:
    s = np.zeros((len(F), 4, 4), complex)
    for row, column, delay, size in (
        (2, 0, 100e-12, 0.9), (3, 1, 107e-12, 0.9), (2, 1, 90e-12, 0.05), (3, 0, 80e-12, 0.05)
    ):  # fmt: skip
        way = size * np.exp(-2j * np.pi * F * delay)
        s[:, row, column] = s[:, column, row] = way
    found = pair_skew(F, s, Edge(30e-12), upto=2e10)
    assert found.single_delay == pytest.approx(7e-12, rel=1e-6)
    assert found.upto == 2e10


def test_a_pair_that_ends_nowhere_has_no_skew() -> None:
    with pytest.raises(NotPhysical, match="without transmission"):
        pair_skew(F, np.zeros((len(F), 4, 4), complex), Edge(30e-12))


def test_single_delays_differ_from_skew_where_the_pair_is_coupled() -> None:
    """A mismatch put before the coupled part is partly evened out by it."""
    late = np.zeros((len(F), 4, 4), complex)
    turn = np.exp(-2j * np.pi * F * 10e-12)
    late[:, 2, 0] = late[:, 0, 2] = 1.0
    late[:, 3, 1] = late[:, 1, 3] = turn
    s = cascade(late, coupled_pair())
    found = pair_skew(F, s, Edge(30e-12), upto=5e9)
    assert found.figure != pytest.approx(found.single_delay, rel=0.02)
    h_p, h_n = leg_responses(s)
    assert h_p[0] == pytest.approx(h_n[0])


def test_delay_of_a_lane() -> None:
    assert pair_delay(F, line(50, 7e-10)[:, 1, 0], Edge(30e-12)) == pytest.approx(7e-10, rel=1e-4)


def test_a_double_fixture_comes_apart_into_its_halves() -> None:
    half = cascade(line(50, 3e-10), shunt_c(5e-14), line(54, 2e-10))
    other = half[:, ::-1, ::-1]
    whole = cascade(half, other)
    found = split_through(F[1:], whole[1:])
    low = (found.frequency < 25e9) & (found.frequency > 0)
    assert found.delay == pytest.approx(5e-10, rel=0.02)
    inside = found.frequency >= F[1]
    assert np.abs(cascade(found.left, found.right) - whole)[inside].max() < 1e-6
    assert found.error < 1e-3
    assert np.abs(found.left - half)[low].max() < 0.03
    assert np.abs(found.right - other)[low].max() < 0.03
    with pytest.raises(NotPhysical, match="2 or 4 ports"):
        split_through(F, np.zeros((len(F), 3, 3), complex))
    with pytest.raises(NotPhysical, match="no transmission"):
        split_through(F, np.zeros((len(F), 2, 2), complex))


def test_a_double_fixture_of_a_pair() -> None:
    pair = coupled_pair()
    whole = cascade(pair, pair)
    found = split_through(F[1:], whole[1:])
    low = (found.frequency < 20e9) & (found.frequency > 0)
    assert np.abs(found.left - pair)[low].max() < 0.05


def test_mixed_mode_and_back() -> None:
    rng = np.random.default_rng(1)
    s = rng.normal(size=(3, 5, 5)) + 0j
    pairs = ((3, 0), (1, 4))
    assert single_ended(mixed_mode(s, pairs), pairs) == pytest.approx(s)


def test_peaks_are_ranked_by_size_with_place_and_share() -> None:
    place = np.linspace(0, 1e-9, 1001)

    def bump(at: float, size: float) -> np.ndarray:
        return size * np.exp(-(((place - at) / 2e-11) ** 2))

    found = rank_peaks(
        place,
        {("A", "near"): bump(2e-10, 0.01), ("B", "near"): bump(6e-10, -0.03)},
        apart=5e-11,
    )
    assert [(p.aggressor, p.end) for p in found] == [("B", "near"), ("A", "near")]
    assert found[0].volts == pytest.approx(-0.03)
    assert [p.place for p in found] == pytest.approx([6e-10, 2e-10], abs=1e-12)
    assert [p.share for p in found] == pytest.approx([0.75, 0.25])
    assert rank_peaks(place, {("A", "near"): 0 * place}, apart=1e-11) == []
    with pytest.raises(NotPhysical, match="three or more"):
        rank_peaks(place[:2], {}, apart=1e-11)


@pytest.mark.parametrize(("r", "end"), [(1e9, "open"), (1e-9, "short")])
def test_layers_end_where_nothing_goes_on(r: float, end: str) -> None:
    """Ten samples of 75 ohm behind 50 ohm, then nothing, or no way past it."""
    first = (75.0 - 50.0) / 125.0
    last = 1.0 if end == "open" else -1.0
    response = np.zeros(40)
    response[2] = first
    # Twenty samples there and back; its first echo ends it.
    response[22] = (1.0 - first**2) * last
    found = peeled(np.arange(40.0) * 1e-12, response, 50.0)
    assert found.ends == end
    assert len(found.z) == len(found.delay) == 22
    assert found.z[:2] == pytest.approx(50.0)
    assert found.z[2:] == pytest.approx(75.0, rel=1e-9)
    assert found.delay[1] == pytest.approx(0.5e-12)
