"""Operating margin, step by step against the same worked out by hand or from the circuit."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.signal import butter, freqs
from scipy.special import ndtr

from onda.engine.links.operating_margin import (
    MarginTerms,
    _symbol,
    channel_margin,
    package,
    receiver_filter,
    transfer,
)
from onda.errors import NotPhysical

BAUD = 25e9
F = np.arange(0.0, 50e9 + 1.0, 20e6)
BARE = MarginTerms(
    baud=BAUD,
    capacitance=0.0,
    board_capacitance=0.0,
    package_length=0.0,
    device=50.0,
    receiver=0.75 * BAUD,
    before=(0.0,),
    behind=(0.0,),
    gains=(0.0,),
    zero=1e15,
    poles=(1e15, 2e15),
    decisions=0,
    random=0.0,
    dual_dirac=0.0,
    noise=0.0,
    snr=200.0,
)
"""Nothing but the filter of the receiver."""


def two_port(through: np.ndarray, back: np.ndarray | float = 0.0) -> np.ndarray:
    s = np.zeros((len(through), 2, 2), dtype=complex)
    s[:, 0, 1] = s[:, 1, 0] = through
    s[:, 0, 0] = s[:, 1, 1] = back
    return s


def delay(tau: float = 0.4e-9) -> np.ndarray:
    return np.exp(-2j * np.pi * F * tau)


def lossy() -> np.ndarray:
    """A root of frequency and its phase, so that it is causal."""
    return two_port(np.exp(-(1 + 1j) * 0.9 * np.sqrt(F / 12.5e9)) * delay())


# ---- parts


def test_the_package_is_its_circuit() -> None:
    """Chain matrices of a capacitor, a line and a capacitor, ended in 100 ohm."""
    terms = MarginTerms(baud=BAUD)
    s = package(F[1:], terms)
    for k in (10, 300, 1200):
        f = F[1 + k]
        ghz = f / 1e9
        gamma = 1.734e-3 * (1 + 1j) * math.sqrt(ghz) + ghz * (
            1.455e-4 * (1 - 2j / math.pi * math.log(ghz)) + 2j * math.pi * 6.141e-3
        )
        x = gamma * 30.0
        line = np.array([
            [np.cosh(x), 78.2 * np.sinh(x)], [np.sinh(x) / 78.2, np.cosh(x)]
        ])  # fmt: skip
        # A capacitor from each conductor to 0 V is half of it between both.
        chain = np.eye(2)
        for part in (
            np.array([[1, 0], [2j * math.pi * f * 125e-15, 1]]),
            line,
            np.array([[1, 0], [2j * math.pi * f * 90e-15, 1]]),
        ):
            chain = chain @ part
        (a, b), (c, d) = chain
        z = 100.0
        under = a + b / z + c * z + d
        assert s[k, 1, 0] == pytest.approx(2.0 / under, rel=1e-9)
        assert s[k, 0, 0] == pytest.approx((a + b / z - c * z - d) / under, rel=1e-9)
        assert s[k, 1, 1] == pytest.approx((-a + b / z - c * z + d) / under, rel=1e-9)


def test_transfer_is_twice_the_share_at_the_load() -> None:
    """A pi of resistors between 55 ohm at both ends."""
    terms = replace(BARE, device=55.0)
    g, y = 1.0 / 30.0, 1.0 / 200.0
    admittance = np.array([[y + g, -g], [-g, y + g]])
    eye = np.eye(2)
    s = (eye - 50.0 * admittance) @ np.linalg.inv(eye + 50.0 * admittance)
    found = transfer(np.broadcast_to(s.astype(complex), (1, 2, 2)), terms)[0]
    ends = admittance + np.eye(2) / 55.0
    volts = np.linalg.solve(ends, np.array([1.0 / 55.0, 0.0]))
    assert found == pytest.approx(2.0 * volts[1], rel=1e-12)


def test_the_filter_is_a_butterworth() -> None:
    b, a = butter(4, 2 * np.pi * BARE.receiver, analog=True)
    _, h = freqs(b, a, 2 * np.pi * F)
    assert np.abs(receiver_filter(F, BARE)) == pytest.approx(np.abs(h), rel=1e-5)
    turned = receiver_filter(F, BARE) / h
    assert turned == pytest.approx(np.ones(len(F)), abs=1e-5)


def test_receiver_noise_has_the_bandwidth_of_the_filter() -> None:
    wide = np.arange(0.0, 200e9, 20e6)
    s = two_port(np.exp(-2j * np.pi * wide * 0.4e-9))
    found = channel_margin(wide, s, terms=replace(BARE, noise=5.2e-17))
    bandwidth = BARE.receiver * (math.pi / 8) / math.sin(math.pi / 8)
    assert found.sigma_noise == pytest.approx(math.sqrt(5.2e-17 * bandwidth), rel=1e-3)


# ---- a whole case by hand


@pytest.fixture(scope="module")
def plain():
    return channel_margin(F, lossy(), terms=BARE)


def cursors_of(found, terms=BARE) -> tuple[float, np.ndarray]:
    """Main cursor and all others, read off the pulse that is told."""
    unit = 1.0 / terms.baud
    numbers = np.arange(-6, 200)
    values = np.interp(found.sampling + numbers * unit, found.time, found.pulse, left=0, right=0)
    return float(values[6]), np.delete(values, 6)


def test_the_pulse_is_the_transform_of_the_channel(plain) -> None:
    """A sum over frequencies at a few moments, with the symbol's own spectrum."""
    unit = 1.0 / BAUD
    h = lossy()[:, 1, 0] * receiver_filter(F, BARE) * unit * np.sinc(F * unit) * 0.4
    top = int(np.argmax(plain.pulse))
    # Where it lies in time is not told, how it runs is.
    t0 = (np.arange(64 * 12) + 9 * 32) * unit / 32
    exact = np.array([2 * 20e6 * float((h * np.exp(2j * np.pi * F * t)).real.sum()) for t in t0])
    exact -= 20e6 * h[0].real
    k = int(np.argmax(exact))
    for away in (-20, -8, 5, 24, 64):
        assert plain.pulse[top + away] == pytest.approx(exact[k + away], abs=1e-4 * exact[k])


def test_sampling_is_where_both_neighbours_are_alike(plain) -> None:
    unit = 1.0 / BAUD
    early, late = np.interp([plain.sampling - unit, plain.sampling + unit], plain.time, plain.pulse)
    assert early - late == pytest.approx(1e-3 * plain.pulse.max(), abs=1e-4 * plain.main)
    assert plain.available == pytest.approx(plain.main)


def test_merit_and_margin_from_the_cursors(plain) -> None:
    main, rest = cursors_of(plain)
    assert main == pytest.approx(plain.main, rel=1e-6)
    isi = math.sqrt(float((rest**2).sum()))
    assert plain.sigma_isi == pytest.approx(isi, rel=1e-4)
    assert plain.merit_db == pytest.approx(20 * math.log10(main / isi), abs=1e-3)
    # Every pattern of the ten largest cursors; the rest move the answer little.
    sizes = np.sort(np.abs(rest))[::-1]
    sums = np.array([
        float(np.dot(signs, sizes[:12])) for signs in itertools.product((-1.0, 1.0), repeat=12)
    ])  # fmt: skip
    little = math.sqrt(float((sizes[12:] ** 2).sum()))
    low, high = 0.0, float(sizes.sum())
    while high - low > 1e-9:
        middle = 0.5 * (low + high)
        share = float(np.mean(ndtr((-middle - sums) / max(little, 1e-9))))
        low, high = (middle, high) if share > 1e-5 else (low, middle)
    assert plain.noise_peak == pytest.approx(low, rel=0.02)
    assert plain.com_db == pytest.approx(20 * math.log10(main / plain.noise_peak), abs=1e-9)


def test_feedback_takes_off_what_it_reaches(plain) -> None:
    terms = replace(BARE, decisions=3)
    found = channel_margin(F, lossy(), terms=terms)
    main, rest = cursors_of(found, terms)
    assert found.taps == pytest.approx(tuple(rest[6:9] / main), rel=1e-4)
    left = rest.copy()
    left[6:9] = 0.0
    assert found.sigma_isi == pytest.approx(math.sqrt(float((left**2).sum())), rel=1e-3)
    assert found.com_db > plain.com_db + 3.0
    held = channel_margin(F, lossy(), terms=replace(terms, tap_limit=0.05))
    assert max(held.taps) <= 0.05
    assert held.warnings == ("a tap of the feedback stands at its limit",)
    assert held.com_db < found.com_db


def test_jitter_transmitter_and_levels_by_their_formulas(plain) -> None:
    found = channel_margin(F, lossy(), terms=replace(BARE, random=0.01, dual_dirac=0.05, snr=27.0))
    unit = 1.0 / BAUD
    numbers = np.arange(-6, 60)
    at = found.sampling + numbers * unit
    slopes = (
        np.interp(at + unit / 32, found.time, found.pulse, left=0, right=0)
        - np.interp(at - unit / 32, found.time, found.pulse, left=0, right=0)
    ) * 16.0
    total = float((slopes**2).sum())
    assert found.sigma_jitter == pytest.approx(math.sqrt((0.01**2 + 0.05**2) * total), rel=1e-3)
    assert found.sigma_transmitter == pytest.approx(found.main * 10 ** (-27 / 20))
    gaussian = math.sqrt(0.01**2 * total + found.sigma_transmitter**2)
    assert found.sigma_gaussian == pytest.approx(gaussian, rel=1e-3)
    four = channel_margin(F, lossy(), terms=replace(BARE, levels=4, level_ratio=0.95))
    assert four.available == pytest.approx(0.95 * plain.main / 3.0, rel=1e-6)
    assert four.sigma_isi == pytest.approx(plain.sigma_isi * math.sqrt(15 / 27), rel=1e-6)


def test_crosstalk_counts_at_its_worst_phase(plain) -> None:
    other = 0.02 * lossy()
    far = channel_margin(F, lossy(), [other], terms=BARE)
    # The victim's own pulse, a fiftieth: its power at the phase where it is largest.
    pulse = 0.02 * plain.pulse
    whole = pulse[: len(pulse) // 32 * 32].reshape(-1, 32)
    assert far.sigma_crosstalk == pytest.approx(
        math.sqrt(float((whole**2).sum(axis=0).max())), rel=1e-3
    )
    near = channel_margin(F, lossy(), (), [other], terms=BARE)
    assert near.sigma_crosstalk == pytest.approx(1.5 * far.sigma_crosstalk, rel=1e-6)
    assert near.com_db < far.com_db < plain.com_db
    # Near ones know nothing of transmit taps.
    taps = replace(BARE, before=(-0.1,), behind=(-0.2,))
    assert channel_margin(F, lossy(), (), [other], terms=taps).sigma_crosstalk == pytest.approx(
        near.sigma_crosstalk, rel=1e-3
    )
    assert channel_margin(F, lossy(), [other], terms=taps).sigma_crosstalk < (
        0.95 * far.sigma_crosstalk
    )


def test_the_search_takes_what_has_most_merit() -> None:
    terms = replace(
        BARE, before=(0.0, -0.05), behind=(0.0, -0.1, -0.2), gains=(0.0, -3.0),
        zero=BAUD / 4, poles=(BAUD / 4, BAUD), snr=27.0, noise=5.2e-17,
    )  # fmt: skip
    best = channel_margin(F, lossy(), terms=terms)
    every = {
        (b, a, g): channel_margin(
            F, lossy(), terms=replace(terms, before=(b,), behind=(a,), gains=(g,))
        ).merit_db
        for b in terms.before
        for a in terms.behind
        for g in terms.gains
    }
    assert best.merit_db == pytest.approx(max(every.values()), abs=1e-6)
    chosen = (best.settings.before, best.settings.behind, best.settings.gain_db)
    assert every[chosen] == pytest.approx(best.merit_db, abs=1e-6)
    assert best.settings.main == pytest.approx(1 - abs(chosen[0]) - abs(chosen[1]))
    held = channel_margin(F, lossy(), terms=replace(terms, least_main=0.9))
    assert held.settings.main >= 0.9


def test_what_cannot_be_judged() -> None:
    with pytest.raises(NotPhysical, match="frequencies"):
        channel_margin(F[1:], lossy()[1:], terms=BARE)
    with pytest.raises(NotPhysical, match="frequencies"):
        channel_margin(F[:400], lossy()[:400], terms=BARE)
    with pytest.raises(NotPhysical, match="comes through"):
        channel_margin(F, two_port(-1e-30 * delay()), terms=BARE)
    with pytest.raises(NotPhysical):
        replace(BARE, gains=())


@pytest.mark.parametrize("rise", [8e-12, 25e-12])
def test_a_stated_rise_is_that_of_20_to_80_percent(rise: float) -> None:
    f = np.arange(0.0, 4e12, 2e8)
    terms = replace(BARE, baud=2.5e9, rise=rise)
    unit = 400e-12
    pulse = np.fft.irfft(_symbol(f, terms)) * 2e8 * 2 * (len(f) - 1)
    t = np.arange(len(pulse)) / (2e8 * 2 * (len(f) - 1))
    # The rectangle stands around 0: its end falls at half a unit interval.
    some = t < unit
    falls = pulse[some]
    assert falls[0] == pytest.approx(1.0, abs=1e-3)
    at = [float(np.interp(-level, -falls, t[some])) for level in (0.8, 0.5, 0.2)]
    assert at[1] == pytest.approx(0.5 * unit, abs=2e-14)
    assert at[2] - at[0] == pytest.approx(rise, rel=0.01)


def test_no_stated_rise_leaves_the_rectangle() -> None:
    f = np.arange(0.0, 200e9, 7e9)
    assert _symbol(f, replace(BARE, rise=0.0)) == pytest.approx(np.sinc(f / BAUD) / BAUD, abs=1e-25)
