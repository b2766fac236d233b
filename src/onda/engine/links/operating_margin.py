"""Channel operating margin after IEEE Std 802.3-2018, annex 93A: every step and its figures.

Equations are numbered as there. Voltages are differential; f in Hz, z in m, time in s.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.statistical import Levels, interference
from onda.engine.networks.algebra import cascade
from onda.errors import NotPhysical

__all__ = [
    "ChannelMargin",
    "MarginSettings",
    "MarginTerms",
    "channel_margin",
    "package",
    "receiver_filter",
    "transfer",
]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
_MM, _NS, _GHZ = 1e-3, 1e-9, 1e9
_LOSS_1, _LOSS_2, _DELAY = 1.734e-3, 1.455e-4, 6.141e-3
"""Of the reference package, 1/mm by root GHz, 1/mm by GHz, ns/mm (table 93A-3)."""
_NOTHING = 1e-3
_KEPT = 1e-5
"""Share of a pulse's top below which it is over."""


@dataclass(frozen=True, slots=True)
class MarginTerms:
    """The parameters of a sheet; usual values are those of clause 93 for 25.78125 GBd.

    Attributes
    ----------
    baud : 1/s; capacitance, board_capacitance : F, of the device and of the package's board side
    package_length : m; package_z : differential ohm; reference, device : single-ended ohm
    receiver : Hz, bandwidth of the noise filter
    before, behind : transmit taps that are tried; least_main : of the main tap
    gains : dB at 0 Hz that are tried; zero, poles : Hz
    victim, far, near : V, amplitudes
    levels, samples, decisions : symbols, samples in a unit interval, taps of the feedback
    tap_limit : of each of these as a share of the main cursor
    random, dual_dirac : jitter in unit intervals, rms and half of the distance of both places
    noise : V^2/Hz, one-sided; snr : dB of the transmitter; level_ratio : R_LM
    error_ratio : DER_0; rise : 20 to 80 percent time, s, 0 for none
    """

    baud: float = 25.78125e9
    capacitance: float = 250e-15
    board_capacitance: float = 180e-15
    package_length: float = 30e-3
    package_z: float = 78.2
    reference: float = 50.0
    device: float = 55.0
    receiver: float = 0.75 * 25.78125e9
    before: tuple[float, ...] = tuple(round(-0.02 * k, 3) for k in range(10))
    behind: tuple[float, ...] = tuple(round(-0.02 * k, 3) for k in range(20))
    least_main: float = 0.62
    gains: tuple[float, ...] = tuple(float(-k) for k in range(13))
    zero: float = 25.78125e9 / 4.0
    poles: tuple[float, float] = (25.78125e9 / 4.0, 25.78125e9)
    victim: float = 0.4
    far: float = 0.4
    near: float = 0.6
    levels: int = 2
    samples: int = 32
    decisions: int = 14
    tap_limit: float = 1.0
    random: float = 0.01
    dual_dirac: float = 0.05
    noise: float = 5.2e-8 / 1e9
    snr: float = 27.0
    level_ratio: float = 1.0
    error_ratio: float = 1e-5
    rise: float = 0.0

    def __post_init__(self) -> None:
        for name, least in (("levels", 2), ("samples", 4)):
            if getattr(self, name) < least:
                raise NotPhysical(name, getattr(self, name), f"{least} or more")
        if not self.baud > 0.0:
            raise NotPhysical("baud", self.baud, "above 0")
        for name in ("before", "behind", "gains"):
            if not getattr(self, name):
                raise NotPhysical(name, "nothing to try", "one value or more")
        if not 0.0 < self.error_ratio < 0.5:
            raise NotPhysical("error ratio", self.error_ratio, "between 0 and 1/2")

    @property
    def unit_interval(self) -> float:
        """Seconds."""
        return 1.0 / self.baud

    @property
    def symbol_power(self) -> float:
        """sigma_X^2 of evenly spaced levels between -1 and 1 (93A-29)."""
        n = self.levels
        return (n**2 - 1.0) / (3.0 * (n - 1.0) ** 2)


def _shunt(f: FloatArray, c: float, r: float) -> ComplexArray:
    """S of a shunt capacitance (93A-8)."""
    x = 2j * np.pi * f * c * r
    through = 2.0 / (2.0 + x)
    back = -x / (2.0 + x)
    return np.stack([np.stack([back, through], -1), np.stack([through, back], -1)], -2)


def _line(f: FloatArray, length: float, z: float, r: float) -> ComplexArray:
    """S of the package's line (93A-9 to 93A-14)."""
    ghz = np.maximum(f / _GHZ, 1e-9)
    gamma = _LOSS_1 * (1.0 + 1.0j) * np.sqrt(ghz) + ghz * (
        _LOSS_2 * (1.0 - 2j / np.pi * np.log(ghz)) + 2j * np.pi * _DELAY
    )
    decay = np.exp(-gamma * length / _MM)
    rho = (z - 2.0 * r) / (z + 2.0 * r)
    under = 1.0 - rho**2 * decay**2
    back = rho * (1.0 - decay**2) / under
    through = (1.0 - rho**2) * decay / under
    return np.stack([np.stack([back, through], -1), np.stack([through, back], -1)], -2)


def package(f: FloatArray, terms: MarginTerms) -> ComplexArray:
    """S (f, 2, 2) of the transmitter's package, device first (93A-15); the receiver's is turned."""
    r = terms.reference
    return cascade(
        _shunt(f, terms.capacitance, r),
        _line(f, terms.package_length, terms.package_z, r),
        _shunt(f, terms.board_capacitance, r),
    )


def transfer(s: ComplexArray, terms: MarginTerms) -> ComplexArray:
    """H21 (f,) between terminations of the devices (93A-18)."""
    g = (terms.device - terms.reference) / (terms.device + terms.reference)
    s11, s12, s21, s22 = s[:, 0, 0], s[:, 0, 1], s[:, 1, 0], s[:, 1, 1]
    det = s11 * s22 - s12 * s21
    return np.asarray(s21 * (1.0 - g) * (1.0 + g) / (1.0 - (s11 + s22) * g + g * g * det))


def receiver_filter(f: FloatArray, terms: MarginTerms) -> ComplexArray:
    """H_r, four poles of Butterworth (93A-20)."""
    x = f / terms.receiver
    return np.asarray(
        1.0 / (1.0 - 3.414214 * x**2 + x**4 + 2.613126j * (x - x**3)), dtype=np.complex128
    )


def _continuous(f: FloatArray, gain_db: float, terms: MarginTerms) -> ComplexArray:
    """H_ctf (93A-22)."""
    a, b = terms.poles
    g = 10.0 ** (gain_db / 20.0)
    return np.asarray((g + 1j * f / terms.zero) / ((1.0 + 1j * f / a) * (1.0 + 1j * f / b)))


@dataclass(frozen=True, slots=True)
class MarginSettings:
    """What the search settled on."""

    before: float
    main: float
    behind: float
    gain_db: float


@dataclass(frozen=True, slots=True, eq=False)
class ChannelMargin:
    """The margin and every figure on the way.

    Attributes
    ----------
    com_db, merit_db : COM and the figure of merit of the best settings
    available : A_s, V; noise_peak : A_ni, V at the error ratio
    sampling : t_s, s; main : h(t_s), V; taps : b(n)
    sigma_isi, sigma_jitter, sigma_crosstalk, sigma_noise, sigma_transmitter : V rms
    sigma_gaussian : V rms, of what is Gaussian in the distribution
    time, pulse : (t,) s, V of the victim at the best settings
    """

    com_db: float
    merit_db: float
    settings: MarginSettings
    available: float
    noise_peak: float
    sampling: float
    main: float
    taps: tuple[float, ...]
    sigma_isi: float
    sigma_jitter: float
    sigma_crosstalk: float
    sigma_noise: float
    sigma_transmitter: float
    sigma_gaussian: float
    time: FloatArray
    pulse: FloatArray
    warnings: tuple[str, ...] = ()


class _Heard:
    """A path's pulse at a gain under every setting of the transmit taps; near ones have none."""

    def __init__(self, pulse: FloatArray, samples: int, is_near: bool) -> None:
        self._bare, self._is_near = pulse, is_near
        # The first tap is not delayed (93A-21).
        self._delayed = np.stack([np.roll(pulse, k * samples) for k in range(3)])
        whole = self._delayed[:, : len(pulse) // samples * samples].reshape(3, -1, samples)
        self._products = np.einsum("anp,bnp->abp", whole, whole)

    def with_taps(self, taps: FloatArray) -> FloatArray:
        """The pulse with three taps."""
        return self._bare if self._is_near else np.asarray(taps @ self._delayed)

    def loudest(self, taps: FloatArray) -> float:
        """Sum of squares at the phase where it is largest (93A-33)."""
        given = np.array([1.0, 0.0, 0.0]) if self._is_near else taps
        return float((given @ (given @ self._products)).max())


@dataclass(slots=True)
class _Try:
    merit_db: float
    settings: MarginSettings
    pulse: FloatArray
    at: float
    taps: FloatArray
    sigmas: tuple[float, float, float, float, float]
    slopes: FloatArray
    others: list[FloatArray] = field(default_factory=list)


def channel_margin(
    frequency: FloatArray,
    through: ComplexArray,
    far: Sequence[ComplexArray] = (),
    near: Sequence[ComplexArray] = (),
    terms: MarginTerms = MarginTerms(),
) -> ChannelMargin:
    """COM of a channel between its package's board sides.

    Parameters
    ----------
    frequency : (f,) Hz from 0 in even steps; through : (f, 2, 2) differential S on twice the
        reference; far, near : the same of each crosstalk path, port 1 at the aggressor

    Raises
    ------
    NotPhysical : frequencies that do not do, or nothing comes through
    """
    step = float(frequency[1] - frequency[0])
    even = np.allclose(np.diff(frequency), step, rtol=1e-6, atol=0.0)
    if not even or frequency[0] != 0.0 or frequency[-1] < 0.5 * terms.baud:
        raise NotPhysical(
            "frequencies",
            f"{frequency[0] / 1e9:.3g} to {frequency[-1] / 1e9:.3g} GHz",
            "even from 0 to half of the rate or more",
        )
    tx = package(frequency, terms)
    rx = tx[:, ::-1, ::-1]
    paths = [through, *far, *near]
    transfers = [transfer(cascade(tx, s, rx), terms) for s in paths]
    shape = receiver_filter(frequency, terms) * _symbol(frequency, terms)
    amplitudes = [terms.victim, *[terms.far] * len(far), *[terms.near] * len(near)]
    best: _Try | None = None
    for gain in terms.gains:
        ctf = _continuous(frequency, gain, terms)
        heard = [
            _Heard(
                _trimmed(_pulse(amplitude * h * ctf * shape, step, terms), terms),
                terms.samples,
                k > len(far),
            )
            for k, (h, amplitude) in enumerate(zip(transfers, amplitudes, strict=True))
        ]
        noise = _noise(frequency, ctf, terms)
        for found in _tried(heard, gain, noise, terms):
            if best is None or found.merit_db > best.merit_db:
                best = found
    if best is None:
        raise NotPhysical("channel", "nothing comes through", "some signal at the receiver")
    return _whole(best, terms)


def _symbol(f: FloatArray, terms: MarginTerms) -> FloatArray:
    """Spectrum of a rectangle of one unit interval, with its rise where it is stated (93A-46)."""
    t = terms.unit_interval
    out = t * np.sinc(f * t)
    if terms.rise > 0.0:
        out = out * np.exp(-2.0 * (np.pi * f * terms.rise / 1.6832) ** 2)
    return np.asarray(out)


def _pulse(spectrum: ComplexArray, step: float, terms: MarginTerms) -> FloatArray:
    """Pulse with `samples` in a unit interval (93A-24); beyond the data nothing is added."""
    rate = terms.samples * terms.baud
    count = round(rate / step)
    half = count // 2 + 1
    padded = np.zeros(half, dtype=complex)
    n = min(half, len(spectrum))
    padded[:n] = spectrum[:n]
    apart = step * count
    return np.asarray(np.fft.irfft(padded, count) * apart)


def _trimmed(pulse: FloatArray, terms: MarginTerms) -> FloatArray:
    """Whole unit intervals around what is loud, with room for the transmit taps."""
    m = terms.samples
    loud = np.flatnonzero(np.abs(pulse) > _KEPT * np.abs(pulse).max())
    if not len(loud):
        return pulse[: 8 * m]
    first = max(int(loud[0]) // m - 4, 0) * m
    last = min(int(loud[-1]) // m + 5, len(pulse) // m) * m
    return np.concatenate([pulse[first:last], np.zeros(3 * m)])


def _noise(f: FloatArray, ctf: ComplexArray, terms: MarginTerms) -> float:
    """sigma_N (93A-35)."""
    power = np.abs(receiver_filter(f, terms) * ctf) ** 2
    return math.sqrt(terms.noise * float(np.trapezoid(power, f)))


def _sampling(pulse: FloatArray, terms: MarginTerms) -> float:
    """t_s in samples (93A-25): the last moment before the top that meets it, else the first behind.

    What comes before a symbol and stays below a thousandth of its top counts as nothing: where the
    feedback takes the whole cursor behind the main one, nothing is what must come before it.
    """
    m = terms.samples
    top = int(np.argmax(pulse))
    k = np.arange(max(top - 2 * m, m), min(top + m, len(pulse) - m - 1) + 1)
    if len(k) < 2:
        return float(top)
    here, late, early = pulse[k], pulse[k + m], pulse[k - m]
    taken = np.zeros(len(k))
    if terms.decisions:
        some = here > 0.0
        limit = terms.tap_limit * here[some]
        taken[some] = np.clip(late[some], -limit, limit)
    wrong = early - (late - taken) - _NOTHING * pulse[top]
    up = np.flatnonzero((wrong[:-1] < 0.0) & (wrong[1:] >= 0.0))
    if not len(up):
        return float(top)
    before = up[k[up] < top]
    i = int(before[-1] if len(before) else up[0])
    return float(k[i] + wrong[i] / (wrong[i] - wrong[i + 1]))


def _every(pulse: FloatArray, at: float, steps: IntArray) -> FloatArray:
    """The pulse at a place and steps from it, in straight pieces; nothing beyond its ends."""
    whole = math.floor(at)
    part, last = at - whole, len(pulse) - 1
    k = whole + steps
    here, after = pulse[np.clip(k, 0, last)], pulse[np.clip(k + 1, 0, last)]
    return np.where((k < 0) | (k + part > last), 0.0, (1.0 - part) * here + part * after)


def _interfering(
    pulse: FloatArray, at: float, terms: MarginTerms
) -> tuple[float, FloatArray, FloatArray, FloatArray]:
    """h(t_s), b(n), what is left of every other cursor (93A-26, 93A-27), and slopes (93A-28)."""
    m = terms.samples
    first = -math.floor(at / m)
    numbers = np.arange(first, math.floor((len(pulse) - 1 - at) / m) + 1)
    cursors = _every(pulse, at, numbers * m)
    main = float(cursors[-first])
    behind = cursors[-first + 1 : -first + 1 + terms.decisions]
    taps = np.clip(behind / main, -terms.tap_limit, terms.tap_limit)
    rest = cursors.copy()
    rest[-first] = 0.0
    rest[-first + 1 : -first + 1 + len(taps)] -= main * taps
    late, early = (_every(pulse, at + one, numbers * m) for one in (1.0, -1.0))
    slopes = 0.5 * m * (late - early)
    return main, taps, rest, slopes


def _phase_power(pulse: FloatArray, terms: MarginTerms) -> FloatArray:
    """Sum of squares of a crosstalk pulse at each phase (93A-33)."""
    m = terms.samples
    whole = pulse[: len(pulse) // m * m].reshape(-1, m)
    return np.asarray((whole**2).sum(axis=0))


def _tried(heard: list[_Heard], gain: float, noise: float, terms: MarginTerms) -> list[_Try]:
    """The best transmit taps at a gain."""
    power = terms.symbol_power
    best: _Try | None = None
    for before in terms.before:
        for behind in terms.behind:
            main_tap = 1.0 - abs(before) - abs(behind)
            if main_tap < terms.least_main - 1e-12:
                continue
            given = np.array([before, main_tap, behind])
            pulse = heard[0].with_taps(given)
            if -float(pulse.min()) >= float(pulse.max()):
                # Upside down, or nothing at all.
                continue
            at = _sampling(pulse, terms)
            main, taps, rest, slopes = _interfering(pulse, at, terms)
            if not main > 0.0:
                continue
            crosstalk = power * sum(other.loudest(given) for other in heard[1:])
            isi = power * float((rest**2).sum())
            jitter = (terms.dual_dirac**2 + terms.random**2) * power * float((slopes**2).sum())
            transmitter = main**2 * 10.0 ** (-terms.snr / 10.0)
            available = terms.level_ratio * main / (terms.levels - 1)
            total = isi + jitter + crosstalk + noise**2 + transmitter
            merit = 10.0 * math.log10(available**2 / total)
            if best is None or merit > best.merit_db:
                sigmas = tuple(
                    math.sqrt(x) for x in (isi, jitter, crosstalk, noise**2, transmitter)
                )
                best = _Try(
                    merit, MarginSettings(before, main_tap, behind, gain), pulse, at, taps,
                    sigmas, slopes,  # type: ignore[arg-type]
                    [other.with_taps(given) for other in heard[1:]],
                )  # fmt: skip
    return [] if best is None else [best]


def _whole(best: _Try, terms: MarginTerms) -> ChannelMargin:
    m = terms.samples
    main, taps, rest, slopes = _interfering(best.pulse, best.at, terms)
    symbols = tuple(np.linspace(-1.0, 1.0, terms.levels).tolist())
    least = _KEPT * main
    noise = interference([float(x) for x in rest if abs(x) > least * 1e-3], symbols)
    for other in best.others:
        phase = int(np.argmax(_phase_power(other, terms)))
        cursors = other[: len(other) // m * m].reshape(-1, m)[:, phase]
        heard = interference([float(x) for x in cursors if abs(x) > least * 1e-3], symbols)
        noise = noise.plus(heard)
    moved = terms.dual_dirac * slopes
    noise = noise.plus(interference([float(x) for x in moved if abs(x) > least * 1e-3], symbols))
    isi, jitter, crosstalk, receiver, transmitter = best.sigmas
    shaken = terms.random**2 * terms.symbol_power * float((slopes**2).sum())
    gaussian = math.sqrt(shaken + receiver**2 + transmitter**2)
    peak = _peak(noise, gaussian, terms.error_ratio)
    available = terms.level_ratio * main / (terms.levels - 1)
    warnings = []
    if np.any(np.abs(taps) >= terms.tap_limit - 1e-9):
        warnings.append("a tap of the feedback stands at its limit")
    return ChannelMargin(
        20.0 * math.log10(available / peak),
        best.merit_db,
        best.settings,
        available,
        peak,
        best.at / m * terms.unit_interval,
        main,
        tuple(float(t) for t in taps),
        isi,
        jitter,
        crosstalk,
        receiver,
        transmitter,
        gaussian,
        np.asarray(np.arange(len(best.pulse)) / m * terms.unit_interval),
        best.pulse,
        tuple(warnings),
    )


def _peak(noise: Levels, sigma: float, share: float) -> float:
    """A_ni: what is gone below with the error ratio (93A-44), positive."""
    from onda.engine.links.level_kernels import where_below

    size = max(abs(float(noise.values[0])), sigma)
    found = where_below(noise.values, noise.weights, sigma, math.log(share), 1e-9 * size)
    return -float(found)
