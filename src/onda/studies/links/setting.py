"""The eye of one setting: what noise, jitter and the sampler make of all sums of a pulse."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.chain import Chain
from onda.engine.links.clock import recovered
from onda.engine.links.eye_grid import EyeGrid, contours, log10_errors, with_jitter, with_noise
from onda.engine.links.sampler import Jitter, crossings, shaken
from onda.studies.links.inputs import LinkInputs
from onda.studies.links.link_eye import EyeAtRate, Setting
from onda.studies.links.link_grid import StillEye

__all__ = ["is_shown", "jitter_left", "setting_of"]

_SHOWN = 0.75
"""Unit intervals to either side of the sampling time that are shown."""
_NAMES = {2: ("eye",), 4: ("lower", "middle", "upper")}


def jitter_left(inputs: LinkInputs, still: StillEye) -> Jitter:
    """The jitter that the sampler sees, behind its clock."""
    if inputs.clock is None:
        return inputs.jitter
    unit = inputs.channel.unit_interval
    return recovered(
        inputs.jitter,
        inputs.clock,
        unit,
        sine_at=inputs.sine_at,
        pattern=_pattern_jitter(still, unit),
    )


def _pattern_jitter(still: StillEye, unit: float) -> float:
    """How far edges between the outer levels are moved by what was sent before, s rms."""
    sampler = still.sampler
    half, near = -0.5 * unit, sampler.pulse.step
    cursors = sampler.cursors(half)
    early, late = sampler.cursors(half - near), sampler.cursors(half + near)

    def slope(k: int) -> float:
        return (late.get(k, 0.0) - early.get(k, 0.0)) / (2.0 * near)

    # Symbol 0 comes up while symbol 1 goes.
    steep = abs(slope(0) - slope(1))
    if not steep > 0.0:
        return 0.0
    power = float(np.mean(np.square(sampler.levels)))
    rest = math.fsum(c * c for k, c in cursors.items() if k not in (0, 1))
    return min(math.sqrt(power * rest) / steep, 0.5 * unit)


def is_shown(grid: EyeGrid, unit: float) -> NDArray[np.bool_]:
    """Which of the moments are shown; both last ones whole, whatever the rounding."""
    apart = float(grid.moments[1] - grid.moments[0])
    return np.asarray(np.abs(grid.moments) <= _SHOWN * unit + 0.5 * apart)


def setting_of(name: str, chain: Chain, still: StillEye, inputs: LinkInputs) -> Setting:
    """The eye of a chain, with contours, bathtubs and what is measured."""
    grid, unit = still.grid, inputs.channel.unit_interval
    apart = float(grid.moments[1] - grid.moments[0])
    jitter = jitter_left(inputs, still)
    noisy = with_noise(grid.mass, grid.step, inputs.noise)
    shaking = with_jitter(noisy, apart, jitter)
    shown = is_shown(grid, unit)
    moments = grid.moments[shown]
    middle = len(moments) // 2
    main = still.sampler.cursors(0.0)[0]
    count = len(grid.levels)
    eyes = []
    for k, title in enumerate(_NAMES.get(count, tuple(map(str, range(count - 1))))):
        upper, lower = (x[shown] for x in contours(shaking, grid.volts, k, inputs.error_rate))
        # What the sampler needs is no part of the eye any more.
        upper, lower = upper - 0.5 * inputs.sensitivity, lower + 0.5 * inputs.sensitivity
        threshold = 0.5 * (grid.levels[k] + grid.levels[k + 1]) * main + inputs.offset
        at = np.full(len(grid.moments), threshold)
        errors = log10_errors(noisy, grid.volts, k, at, needed=inputs.sensitivity)
        tub = shaken(moments, grid.moments, errors, jitter)
        ends = crossings(moments, tub, inputs.error_rate)
        height = upper - lower
        if inputs.offset != 0.0:
            # A sampler that decides too high or too low has twice the smaller side.
            height = 2.0 * np.minimum(upper - threshold, threshold - lower)
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
