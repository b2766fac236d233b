"""A link at its error rate: contours, bathtubs, what each equaliser earns, what shakes the eye."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.chain import Chain, Merit
from onda.engine.links.eye import Mask
from onda.engine.links.eye_grid import EyeGrid, contours, log10_errors, with_jitter, with_noise
from onda.engine.links.statistical import SampledPulse, crossings, shaken
from onda.errors import InputError
from onda.studies.core.study import Control, Study
from onda.studies.links.equalised import found_chain
from onda.studies.links.inputs import LinkInputs
from onda.studies.links.link_grid import StillEye, channel_pulses, still_eye

__all__ = ["LINK", "EyeAtRate", "JitterFit", "LinkEye", "Setting"]

FloatArray = NDArray[np.float64]
_FINE, _QUICK = 128, 64
"""Moments in a unit interval."""
_SHOWN = 0.75
"""Unit intervals to either side of the sampling time that are shown."""
_FIT_FROM, _FIT_TO = -6.0, -14.0
"""log10 of the error rates that a dual-Dirac fit goes by."""
_NAMES = {2: ("eye",), 4: ("lower", "middle", "upper")}
_MASKS_MOST = 8.0


@dataclass(frozen=True, slots=True, eq=False)
class EyeAtRate:
    """The eye between two neighbouring levels, at the error rate.

    Attributes
    ----------
    upper, lower : (m,) V over the moments; they cross where it is closed
    height : V at the sampling time, below 0 where it is closed there
    left, right : s, where the bathtub passes the error rate; NaN where it nowhere does
    tallest : s from the sampling time, where it is tallest; area : V s
    bathtub : (m,) log10 of the share of the two levels taken for the other one, at `threshold` V
    """

    name: str
    upper: FloatArray
    lower: FloatArray
    height: float
    left: float
    right: float
    tallest: float
    area: float
    bathtub: FloatArray
    threshold: float

    @property
    def width(self) -> float:
        """Seconds around the sampling time at the threshold; 0 where it is closed."""
        return self.right - self.left if math.isfinite(self.right - self.left) else 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Setting:
    """The eye with some of the equalisers: `eyes` from the lowest up; `density` (m, n) of all
    levels together, at `volts` (n,)."""

    name: str
    chain: Chain
    eyes: tuple[EyeAtRate, ...]
    volts: FloatArray
    density: NDArray[np.float32]

    @property
    def height(self) -> float:
        """Of the least tall of its eyes, V."""
        return min(eye.height for eye in self.eyes)

    @property
    def width(self) -> float:
        """Of the narrowest of its eyes, s."""
        return min(eye.width for eye in self.eyes)


@dataclass(frozen=True, slots=True)
class JitterFit:
    """Dual-Dirac fit of both slopes of a bathtub: s rms, s between both places, and both together
    at the error rate, s; NaN where the slopes do not go that deep."""

    random: float
    deterministic: float
    total: float


@dataclass(frozen=True, slots=True, eq=False)
class LinkEye:
    """A link's eye at its error rate.

    Attributes
    ----------
    moments : (m,) s from the sampling time
    settings : with all equalisers first, then without some, the bare channel last
    chain : all settings; taps : V of the decision feedback; merit : its figure
    time : (p,) s from the sampling time; pulse : (p,) V at the sampler but for the feedback, bare :
        (p,) V behind the channel
    cursor_numbers, cursor_volts : V of each, the feedback taken off; 0 is the main one
    worst : V, of the least tall eye by peak distortion; worst_symbols : the levels that make it for
        the highest one, oldest first; those of cursors before the main one come last
    frequency : (f,) Hz; channel_db, equalised_db : (f,) of the channel with its edge, and with all
        linear equalisers
    crosstalk : V that other lanes can add at most
    mask_growth : share by which the mask may grow until the contour touches it, NaN without one
    base : V, the level in the middle of the swing
    """

    unit_interval: float
    levels: tuple[float, ...]
    error_rate: float
    moments: FloatArray
    settings: tuple[Setting, ...]
    chain: Chain
    taps: tuple[float, ...]
    merit: Merit
    time: FloatArray
    pulse: FloatArray
    bare: FloatArray
    cursor_numbers: NDArray[np.int64]
    cursor_volts: FloatArray
    worst: float
    worst_symbols: tuple[float, ...]
    frequency: FloatArray
    channel_db: FloatArray
    equalised_db: FloatArray
    jitter: JitterFit
    crosstalk: float
    mask_growth: float
    base: float
    delay: float
    doubts: tuple[str, ...] = ()

    @property
    def eye(self) -> Setting:
        """With all equalisers."""
        return self.settings[0]

    @property
    def cursors(self) -> dict[int, float]:
        """V by number, the feedback taken off."""
        pairs = zip(self.cursor_numbers, self.cursor_volts, strict=True)
        return {int(k): float(v) for k, v in pairs}


def _chains(chain: Chain) -> Iterator[tuple[str, Chain]]:
    """What is compared: each only where it is another one."""
    seen: list[Chain] = []
    for name, one in (
        ("all equalisers", chain),
        ("without feedback", chain.without_decisions),
        ("without peaking", chain.without_continuous),
        ("bare", chain.bare),
    ):
        if one not in seen:
            seen.append(one)
            yield name, one


def _run(inputs: LinkInputs, control: Control) -> LinkEye:
    channel, unit = inputs.channel, inputs.channel.unit_interval
    pulses = channel_pulses(channel)
    control.progress(0.3)
    shake = inputs.jitter.effective
    chain, figure = found_chain(
        inputs.equalisers,
        pulses.own,
        list(pulses.others),
        unit,
        where=inputs.sampling,
        noise=inputs.noise,
        jitter=shake,
        levels=inputs.levels,
    )
    per_ui = _FINE if inputs.fine else _QUICK
    settings, all_of_it = [], None
    choices = [(name, one, channel) for name, one in _chains(chain)]
    if channel != channel.without_models:
        choices.insert(1, ("without models", chain, channel.without_models))
    if not (inputs.fine and inputs.compare):
        choices = choices[:1]
    for k, (name, one, through) in enumerate(choices):
        try:
            still = still_eye(through, one, inputs.levels, inputs.sampling, per_ui)
        except InputError:
            if k == 0:
                raise
            # Without that equaliser nothing is left to look at.
            continue
        all_of_it = all_of_it or still
        settings.append(_setting(name, one, still, inputs))
        control.progress(0.3 + 0.6 * (k + 1) / len(choices))
    assert all_of_it is not None
    return _whole(inputs, chain, figure, settings, all_of_it)


def _is_shown(grid: EyeGrid, unit: float) -> NDArray[np.bool_]:
    """Which of the moments are shown; both last ones whole, whatever the rounding."""
    apart = float(grid.moments[1] - grid.moments[0])
    return np.asarray(np.abs(grid.moments) <= _SHOWN * unit + 0.5 * apart)


def _setting(name: str, chain: Chain, still: StillEye, inputs: LinkInputs) -> Setting:
    grid, unit = still.grid, inputs.channel.unit_interval
    apart = float(grid.moments[1] - grid.moments[0])
    noisy = with_noise(grid.mass, grid.step, inputs.noise)
    shaking = with_jitter(noisy, apart, inputs.jitter)
    shown = _is_shown(grid, unit)
    moments = grid.moments[shown]
    middle = len(moments) // 2
    main = still.sampler.seen(0.0)[0]
    count = len(grid.levels)
    eyes = []
    for k, title in enumerate(_NAMES.get(count, tuple(map(str, range(count - 1))))):
        upper, lower = (x[shown] for x in contours(shaking, grid.volts, k, inputs.error_rate))
        threshold = 0.5 * (grid.levels[k] + grid.levels[k + 1]) * main
        at = np.full(len(grid.moments), threshold)
        errors = log10_errors(noisy, grid.volts, k, at)
        tub = shaken(moments, grid.moments, errors, inputs.jitter)
        ends = crossings(moments, tub, inputs.error_rate)
        height = upper - lower
        eyes.append(
            EyeAtRate(
                title,
                upper,
                lower,
                float(height[middle]),
                ends.left,
                ends.right,
                float(moments[int(np.argmax(height))]),
                float(np.maximum(height, 0.0).sum() * apart),
                tub,
                threshold,
            )
        )
    density = shaking[:, shown].sum(axis=0) / count
    return Setting(name, chain, tuple(eyes), grid.volts, density.astype(np.float32))


def _whole(
    inputs: LinkInputs, chain: Chain, figure: Merit, settings: list[Setting], still: StillEye
) -> LinkEye:
    channel, unit = inputs.channel, inputs.channel.unit_interval
    pulses, sampler = channel_pulses(channel), still.sampler
    # The channel itself is what lies between the models.
    bare = channel_pulses(channel.without_models).own
    cursors = sampler.pulse.cursors(sampler.sampling, unit)
    for k, tap in enumerate(sampler.taps, 1):
        cursors[k] = cursors.get(k, 0.0) - tap
    cursors = dict(sorted(cursors.items()))
    worst, symbols = _worst(cursors, inputs.levels, still.peak_crosstalk)
    frequency, channel_db, equalised_db = _responses(bare, sampler.pulse, unit)
    moments = still.grid.moments[_is_shown(still.grid, unit)]
    count = max(len(sampler.pulse.samples), len(bare.samples))
    time = np.asarray(np.arange(count) * sampler.pulse.step, dtype=np.float64)
    best = settings[0]
    return LinkEye(
        unit,
        inputs.levels,
        inputs.error_rate,
        moments,
        tuple(settings),
        chain,
        tuple(sampler.taps),
        figure,
        np.asarray(time - sampler.sampling),
        sampler.pulse.at(time),
        bare.at(time),
        np.array(list(cursors), dtype=np.int64),
        np.array(list(cursors.values())),
        worst,
        symbols,
        frequency,
        channel_db,
        equalised_db,
        _fit(moments, best.eyes[len(best.eyes) // 2].bathtub, inputs.error_rate, unit),
        still.peak_crosstalk,
        _growth(inputs, best, moments),
        pulses.base,
        pulses.delay,
        (*pulses.doubts, *_doubts(inputs, chain, cursors, tuple(sampler.taps), settings[0])),
    )


def _worst(
    cursors: dict[int, float], levels: tuple[float, ...], crosstalk: float
) -> tuple[float, tuple[float, ...]]:
    """Height by peak distortion of the least tall eye, and the symbols around a highest one."""
    top, bottom = levels[-1], levels[0]
    others = {k: c for k, c in cursors.items() if k != 0}
    gap = min(b - a for a, b in pairwise(levels))
    spread = math.fsum(abs(c) for c in others.values()) * (top - bottom)
    # Cursor k is of the symbol sent k before the sampled one.
    order = sorted(cursors, reverse=True)
    symbols = tuple(top if k == 0 or cursors[k] <= 0.0 else bottom for k in order)
    return gap * cursors[0] - spread - 2.0 * crosstalk, symbols


def _responses(
    bare: SampledPulse, made: SampledPulse, unit: float
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Hz up to the rate, and dB of both, less what a symbol itself has."""
    count = max(8192, 2 ** math.ceil(math.log2(4 * len(made.samples))))
    every = np.fft.rfftfreq(count, bare.step)
    some = (every > 0.0) & (every <= 0.98 / unit)
    frequency: FloatArray = np.asarray(every[some], dtype=np.float64)
    x = np.pi * frequency * unit
    symbol = np.abs(np.sin(x) / np.sin(np.pi * frequency * bare.step))

    def level(pulse: SampledPulse) -> FloatArray:
        size = np.abs(np.fft.rfft(pulse.samples, count))[some]
        return np.asarray(20.0 * np.log10(np.maximum(size / symbol, 1e-12)))

    first = level(bare)
    # At rest a symbol of half a swing that goes on and on has half of the swing.
    return frequency, np.asarray(first - first[0]), np.asarray(level(made) - first[0])


def _fit(moments: FloatArray, tub: FloatArray, error_rate: float, unit: float) -> JitterFit:
    from scipy.special import ndtri

    middle = int(np.argmin(tub))
    sides = []
    for half in (slice(0, middle + 1), slice(middle, len(tub))):
        t, log10 = moments[half], tub[half]
        some = (log10 <= _FIT_FROM) & (log10 >= _FIT_TO)
        if np.count_nonzero(some) < 3:
            return JitterFit(math.nan, math.nan, math.nan)
        # Half of all symbols have an edge there.
        q = -ndtri(2.0 * 10.0 ** log10[some])
        slope, start = np.polyfit(q, t[some], 1)
        sides.append((abs(float(slope)), float(start)))
    (a, left), (b, right) = sides
    random = 0.5 * (a + b)
    deterministic = unit - (right - left)
    deep = -float(ndtri(min(2.0 * error_rate, 1.0)))
    return JitterFit(random, deterministic, deterministic + 2.0 * deep * random)


def _growth(inputs: LinkInputs, best: Setting, moments: FloatArray) -> float:
    if inputs.mask is None:
        return math.nan
    mask = inputs.mask
    x = moments / inputs.channel.unit_interval

    def clear(scale: float) -> bool:
        shape = Mask(0.5 * mask.width * scale, 0.5 * mask.flat * scale, 0.5 * mask.height * scale)
        needed = shape.half_height_at(x)
        some = needed > 0.0
        return all(
            bool(
                ((e.upper - e.threshold >= needed) & (e.threshold - e.lower >= needed))[some].all()
            )
            for e in best.eyes
        )

    low, high = 0.0, _MASKS_MOST
    while high - low > 1e-4:
        middle = 0.5 * (low + high)
        low, high = (middle, high) if clear(middle) else (low, middle)
    return low - 1.0


def _doubts(
    inputs: LinkInputs,
    chain: Chain,
    cursors: dict[int, float],
    taps: tuple[float, ...],
    best: Setting,
) -> Iterator[str]:
    reach = best.volts[-1]
    if float(best.density[:, [0, -1]].max()) > 1e-15:
        yield f"noise reaches beyond the {2.0 * reach:.3g} V that are looked at"
    main = cursors[0]
    most = chain.limit * main
    stuck = [k for k, tap in enumerate(taps, 1) if abs(tap) >= 0.999 * most > 0.0]
    if stuck:
        yield (
            f"tap{'s' if len(stuck) > 1 else ''} {', '.join(map(str, stuck))} of the decision "
            f"feedback stand at their limit of {most * 1e3:.3g} mV"
        )
    if math.fsum(abs(t) for t in taps) > main:
        # An error then turns the next symbols over by itself.
        yield "errors of the decision feedback may run on: its taps together exceed the main cursor"
    if inputs.jitter.random > 0.1 * inputs.channel.unit_interval:
        yield "random jitter above 0.1 UI leaves the moments that are looked at"


LINK: Study[LinkInputs, LinkEye] = Study("link_eye", _run, LinkEye, title="Eye at its error rate")
