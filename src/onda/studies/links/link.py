"""A link at its error rate: contours, bathtubs, what each equaliser earns, what shakes the eye."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.chain import Chain, Merit
from onda.engine.links.eye_grid import log10_errors, with_noise
from onda.engine.links.masks import Mask, largest
from onda.engine.links.statistical import SampledPulse
from onda.engine.links.uneven import extreme
from onda.errors import InputError
from onda.studies.core.study import Control, Study
from onda.studies.links.equalised import found_chain, with_settings
from onda.studies.links.inputs import LinkInputs
from onda.studies.links.link_eye import EyeAtRate, JitterFit, LinkEye, Setting
from onda.studies.links.link_grid import StillEye, channel_pulses, still_eye
from onda.studies.links.setting import is_shown, jitter_left, setting_of

__all__ = ["LINK", "EyeAtRate", "JitterFit", "LinkEye", "Setting"]

FloatArray = NDArray[np.float64]
_FINE, _QUICK = 128, 64
"""Moments in a unit interval."""
_FIT_FROM, _FIT_TO = -6.0, -14.0
"""log10 of the error rates that a dual-Dirac fit goes by."""
_MASKS_MOST = 8.0


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
    if inputs.settings_of is not None:
        inputs = with_settings(inputs)
    channel = inputs.channel
    chain, figure = found_chain(inputs.equalisers, channel, inputs.merit_terms)
    control.progress(0.3)
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
        settings.append(setting_of(name, one, still, inputs))
        control.progress(0.3 + 0.6 * (k + 1) / len(choices))
    assert all_of_it is not None
    return _whole(inputs, chain, figure, settings, all_of_it)


def _whole(
    inputs: LinkInputs, chain: Chain, figure: Merit, settings: list[Setting], still: StillEye
) -> LinkEye:
    channel, unit = inputs.channel, inputs.channel.unit_interval
    pulses, sampler = channel_pulses(channel), still.sampler
    # The channel itself is what lies between the models.
    bare = channel_pulses(channel.without_models).own
    cursors = dict(sorted(sampler.cursors(0.0).items()))
    worst, symbols = _worst(cursors, sampler.edges(0.0), inputs.levels, still.peak_crosstalk)
    frequency, channel_db, equalised_db = _responses(bare, sampler.pulse, unit)
    moments = still.grid.moments[is_shown(still.grid, unit)]
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
        _growths(inputs, best, moments),
        _run_on(inputs, still),
        jitter_left(inputs, still),
        pulses.base,
        pulses.delay,
        (*pulses.doubts, *_doubts(inputs, chain, cursors, tuple(sampler.taps), settings[0])),
    )


def _worst(
    cursors: dict[int, float],
    edges: dict[int, float],
    levels: tuple[float, ...],
    crosstalk: float,
) -> tuple[float, tuple[float, ...]]:
    """Height by peak distortion of the least tall eye, and the symbols around its upper level."""
    found = []
    for k in range(len(levels) - 1):
        above = extreme(cursors, edges, levels, k + 1, lowest=True)
        below = extreme(cursors, edges, levels, k, lowest=False)
        found.append((above.volts - below.volts, above))
    # Of eyes alike the topmost, whose symbols are the outer ones.
    height, above = min(reversed(found), key=lambda pair: pair[0])
    # Cursor k is of the symbol sent k before the sampled one.
    symbols = tuple(above.sent[k] for k in sorted(above.sent, reverse=True))
    return height - 2.0 * crosstalk, symbols


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


def _growths(inputs: LinkInputs, best: Setting, moments: FloatArray) -> tuple[float, ...]:
    if inputs.mask is None:
        return ()
    x = np.asarray(moments / inputs.channel.unit_interval)

    def growth(eye: EyeAtRate, mask: Mask) -> float:
        low, high = eye.lower - eye.threshold, eye.upper - eye.threshold
        return largest(mask, lambda grown: grown.clear_between(x, low, high), _MASKS_MOST)

    return tuple(growth(eye, inputs.mask) for eye in best.eyes)


def _run_on(inputs: LinkInputs, still: StillEye) -> float:
    """How many errors come of one by the decision feedback, itself counted.

    While a wrong decision stands in the feedback, its tap adds to interference instead of taking it
    off, one step between levels wide, with either sign: the share of symbols that are then taken
    for another one, summed over the taps, is what one error brings at once.
    """
    grid, taps = still.grid, still.sampler.taps
    if not any(taps):
        return 1.0
    middle = len(grid.moments) // 2
    mass = with_noise(grid.mass[:, middle : middle + 1], grid.step, inputs.noise)
    main = still.sampler.cursors(0.0)[0]
    brought = 0.0
    for tap in taps:
        shares = []
        for k, (low, high) in enumerate(pairwise(inputs.levels)):
            threshold = 0.5 * (low + high) * main + inputs.offset
            for way in (-1.0, 1.0):
                at = np.array([threshold + way * (high - low) * tap])
                shares.append(10.0 ** float(log10_errors(mass, grid.volts, k, at)[0]))
        # Every level but the outer ones has a neighbour on both sides.
        brought += math.fsum(shares) / len(shares) * 2.0 * (1.0 - 1.0 / len(inputs.levels))
    return 1.0 / (1.0 - brought) if brought < 1.0 else math.inf


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
        which, stand = ("taps", "stand at their") if len(stuck) > 1 else ("tap", "stands at its")
        yield (
            f"{which} {', '.join(map(str, stuck))} of the decision feedback {stand} limit of "
            f"{most * 1e3:.3g} mV"
        )
    if math.fsum(abs(t) for t in taps) > main:
        # An error then turns the next symbols over by itself.
        yield "errors of the decision feedback may run on: its taps together exceed the main cursor"
    if inputs.jitter.random > 0.1 * inputs.channel.unit_interval:
        yield "random jitter above 0.1 UI leaves the moments that are looked at"


LINK: Study[LinkInputs, LinkEye] = Study("link_eye", _run, LinkEye, title="Eye at its error rate")
