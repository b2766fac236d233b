"""Factors of an edge from waveforms that were made from known factors by brute force."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from onda.engine.circuits.devices import Table
from onda.engine.circuits.measure import edge_time
from onda.engine.devices import switching_of
from onda.engine.devices.buffer import Buffer, FixtureWave
from onda.engine.devices.maker_loads import LoadSide, MakersLoad, MakerWave, check_makers_waves
from onda.engine.devices.quality import check_fixtures
from onda.engine.devices.switching import weights
from onda.errors import NotPhysical

RAIL, UP, DOWN, C = 1.8, 32.0, 27.0, 1.5e-12
START, SPAN = 2e-9, 10e-9
POWER, GROUND = 150.0, 220.0
"""Clamps that are resistors to their rails, ohm."""


def factor(t: np.ndarray, edge: float) -> np.ndarray:
    """From 0 to 1, its middle at START and its 20 to 80 % over 0.6 about `edge`."""
    return 0.5 * (1.0 + np.tanh(1.155 * (t - START) * 2.0 / edge))


def wave(
    edge: float, rising: bool, rail: float, points: int, clamps: tuple[float, float], load: float
) -> FixtureWave:
    """Into 50 ohm and `load` F to a rail, C at the die, solved by a stiff integrator; `clamps` are
    S to the upper and to the lower rail."""
    upper, lower = clamps

    def on(t: float) -> float:
        k = float(factor(np.array(t), edge))
        return k if rising else 1.0 - k

    def slope(t: float, v: np.ndarray) -> np.ndarray:
        k = on(t)
        into = (RAIL - v) / UP * k - v / DOWN * (1.0 - k) - (v - rail) / 50.0
        return (into + (RAIL - v) * upper - v * lower) / (C + load)

    k0 = on(0.0)
    pulls = k0 / UP + (1.0 - k0) / DOWN + 1.0 / 50.0 + upper + lower
    rest = (RAIL / UP * k0 + rail / 50.0 + RAIL * upper) / pulls
    time = np.unique(
        np.concatenate(
            [
                np.linspace(0.0, SPAN, 101),
                np.linspace(max(START - 3.0 * edge, 0.0), START + 3.0 * edge + 0.3e-9, points),
            ]
        )
    )
    found = solve_ivp(
        slope, (0.0, SPAN), [rest], method="LSODA", t_eval=time, rtol=1e-9, atol=1e-11,
        max_step=edge / 5.0,
    )  # fmt: skip
    return FixtureWave(rising, 50.0, rail, load, tuple(time.tolist()), tuple(found.y[0].tolist()))


def buffer(edge: float, points: int = 800, *, clamped: bool = False, load: float = 0.0) -> Buffer:
    volts = (-RAIL, 2.0 * RAIL)
    clamps = (1.0 / POWER, 1.0 / GROUND) if clamped else (0.0, 0.0)
    return Buffer(
        "made",
        "Output",
        pullup=Table(volts, tuple(-v / UP for v in volts)),
        pulldown=Table(volts, tuple(v / DOWN for v in volts)),
        power_clamp=Table(volts, tuple(-v / POWER for v in volts)) if clamped else None,
        gnd_clamp=Table(volts, tuple(v / GROUND for v in volts)) if clamped else None,
        v_pullup=RAIL,
        v_pulldown=0.0,
        v_power=RAIL,
        v_gnd=0.0,
        c_comp=C,
        waves=tuple(
            wave(edge, up, rail, points, clamps, load)
            for up in (True, False)
            for rail in (0.0, RAIL)
        ),
    )


@pytest.mark.parametrize(
    ("edge", "clamped", "load"),
    [
        (30e-12, False, 0.0), (100e-12, False, 0.0), (600e-12, False, 0.0), (100e-12, True, 0.0),
        (100e-12, False, 3e-12),
    ],
)  # fmt: skip
def test_a_fast_edge_in_a_long_table_is_met(edge: float, clamped: bool, load: float) -> None:
    made = buffer(edge, clamped=clamped, load=load)
    found = switching_of(made)
    assert found.source == "two waveforms an edge"
    assert found.edge == pytest.approx(edge, rel=0.05)
    t = np.asarray(found.rise.time)
    # The common wait is cut off: the middles lie over one another.
    middle = float(np.interp(0.5, found.rise.up, t))
    wanted = factor(t - middle + START, edge)
    assert np.asarray(found.rise.up) == pytest.approx(wanted, abs=3e-3)
    assert np.asarray(found.rise.down) == pytest.approx(1.0 - wanted, abs=3e-3)
    for check in check_fixtures(made, found):
        assert check.error < 3e-3
        assert abs(check.end_error) < 1e-3


def test_the_time_of_an_edge_is_that_of_its_middle() -> None:
    t = np.linspace(0.0, 10.0, 1001)
    ramp = np.clip((t - 3.0) / 2.0, 0.0, 1.0)
    assert edge_time(t, ramp) == pytest.approx(2.0, rel=1e-6)
    assert edge_time(t, 1.0 - ramp) == pytest.approx(2.0, rel=1e-6)
    assert edge_time(t, np.full_like(t, 3.0)) == float("inf")
    # A bump before the edge that passes 20 % is not its beginning.
    bump = ramp + 0.3 * np.exp(-(((t - 1.0) / 0.2) ** 2))
    assert edge_time(t, bump) == pytest.approx(2.0, rel=1e-3)


def test_waveforms_that_stand_still_are_refused_in_words() -> None:
    flat = tuple(replace(w, volts=(0.5,) * len(w.time)) for w in buffer(100e-12, 60).waves)
    with pytest.raises(NotPhysical, match="do not switch"):
        switching_of(replace(buffer(100e-12, 60), waves=flat))


def driven(load, rest: list[float], edge: float, rising: bool):
    """Time and volts at the die, with `load` (t, state, into the load) after the integrator."""

    def on(t: float) -> float:
        k = float(factor(np.array(t), edge))
        return k if rising else 1.0 - k

    def slope(t: float, state: np.ndarray) -> list[float]:
        k, v = on(t), state[0]
        into = (RAIL - v) / UP * k - v / DOWN * (1.0 - k)
        return load(state, into)

    time = np.linspace(0.0, SPAN, 2001)
    # What rests before the edge is found by standing still for long.
    still = solve_ivp(
        lambda t, x: slope(0.0, x), (0.0, 1e-6), rest, method="LSODA", rtol=1e-10, atol=1e-12
    ).y[:, -1]
    found = solve_ivp(
        slope, (0.0, SPAN), still, method="LSODA", t_eval=time, rtol=1e-9, atol=1e-11,
        max_step=edge / 5.0,
    )  # fmt: skip
    return tuple(time.tolist()), tuple(found.y[0].tolist())


@pytest.mark.parametrize("rising", [True, False])
def test_the_capacitance_of_a_fixture_loads_the_buffer(rising: bool) -> None:
    made, c = buffer(100e-12), 6e-12

    def load(state: np.ndarray, into: float) -> list[float]:
        return [(into - (state[0] - 0.6) / 40.0) / (C + c)]

    time, volts = driven(load, [0.0], 100e-12, rising)
    found = switching_of(made)
    loaded = replace(made, waves=(FixtureWave(rising, 40.0, 0.6, c, time, volts),))
    (check,) = check_fixtures(loaded, found)
    assert check.error < 3e-3
    assert abs(check.end_error) < 1e-3
    without = replace(made, waves=(FixtureWave(rising, 40.0, 0.6, 0.0, time, volts),))
    # 6 pF on about 16 ohm: a tenth of a nanosecond, which the best shift does not hide.
    assert check_fixtures(without, found)[0].error > 5 * check.error


@pytest.mark.parametrize("rising", [True, False])
def test_a_makers_load_of_resistors_to_two_rails_behind_a_coil(rising: bool) -> None:
    made = buffer(100e-12)
    rs, ls, c2, rp1, rp2, v1, v2 = 15.0, 3e-9, 2e-12, 90.0, 130.0, 1.8, 0.3

    def load(state: np.ndarray, into: float) -> list[float]:
        v, i, end = state
        away = (end - v1) / rp1 + (end - v2) / rp2
        return [(into - i) / C, (v - rs * i - end) / ls, (i - away) / c2]

    time, volts = driven(load, [0.0, 0.0, 0.0], 100e-12, rising)
    side = LoadSide(rs=rs, ls=ls, c2=c2, rp1=rp1, rp2=rp2)
    wave = MakerWave("made", rising, MakersLoad(side, LoadSide(), v1=v1, v2=v2), time, volts)
    (check,) = check_makers_waves(made, switching_of(made), (wave,))
    assert check.error < 5e-3
    assert abs(check.end_error) < 1e-3
    turned = replace(wave, load=replace(wave.load, v1=v2, v2=v1))
    (wrong,) = check_makers_waves(made, switching_of(made), (turned,))
    assert abs(wrong.end_error) > 0.02


def test_an_edge_that_is_cut_short_is_taken_over_where_it_is() -> None:
    edge = 600e-12
    found = switching_of(buffer(edge))
    t = np.asarray(found.rise.time)
    half = float(np.interp(0.5, found.rise.up, t))
    start = 1e-9
    up, down = weights(found, [(start, True), (start + half, False)], start_high=False)
    at = start + half
    # Where the command comes, both are half way; it goes on from there without a jump.
    assert up.at(at - 1e-15) == pytest.approx(0.5, abs=1e-3)
    assert up.at(at + 1e-15) == pytest.approx(0.5, abs=1e-3)
    assert down.at(at + 1e-15) == pytest.approx(0.5, abs=5e-3)
    steps = np.array([up.at(x) for x in np.linspace(at, at + 3e-9, 400)])
    assert np.abs(np.diff(steps)).max() < 0.03
    assert up.at(at + 10e-9) == pytest.approx(0.0, abs=1e-3)
    assert down.at(at + 10e-9) == pytest.approx(1.0, abs=1e-3)
    # Before that command nothing differs from an edge that is let be.
    alone, _ = weights(found, [(start, True)], start_high=False)
    for x in np.linspace(start, at - 1e-15, 20):
        assert up.at(x) == pytest.approx(alone.at(x), abs=1e-12)
