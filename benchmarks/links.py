"""Links at their error rate, against the sums and products that they are made of."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np

from benchmarks.measure import Figure, median_ms
from onda.demo import fulmar_project
from onda.engine.links.statistical import SampledPulse, interference
from onda.project.base import set_value
from onda.project.links.equalisers import Listener, Sender
from onda.project.quantities import parse_quantity
from onda.studies.core.study import Control
from onda.studies.links.inputs import link_inputs
from onda.studies.links.link import LINK

_UI, _CURSORS, _PHASES = 1e-10, 64, 64


def _interference() -> Figure:
    """Distributions of 64 cursors at 64 phases; the floor is as many transforms of their grid."""
    t = np.arange((_CURSORS + 6) * 64) / 64
    decay = np.exp(-(t - 3.0) / 4.0) * np.minimum((t - 3.0) * 2.0, 1.0)
    samples = np.where(t > 3.0, 0.4 * decay, 0.0)
    pulse = SampledPulse(samples, _UI / 64)
    cursors = [
        list(pulse.cursors((3.0 + k / _PHASES) * _UI, _UI).values())[1 : _CURSORS + 1]
        for k in range(_PHASES)
    ]
    took = median_ms(lambda: [interference(c) for c in cursors], times=5)
    grid = np.random.default_rng(0).random((_PHASES, 16384))
    floor = median_ms(lambda: np.fft.irfft(np.fft.rfft(grid), 16384), times=5)
    return Figure("64 cursors x 64 phases", 200.0, took, floor, "transforms of their grid")


def _stress() -> list[Figure]:
    """Sliders of jitter and of noise to the new contour; the floor is the mixture's product."""
    design = fulmar_project().design
    link = set_value(
        design.link("jl0"),
        sender=Sender(random=parse_quantity("0.01 UI", "unit interval")),
        listener=Listener(decisions=3, noise=parse_quantity("2 mV", "voltage")),
    )
    inputs = replace(link_inputs(design, link), fine=False)
    LINK.run(inputs, Control())
    mixing = np.random.default_rng(0).random((161, 161))
    mass = np.random.default_rng(1).random((2, 161, 2048))
    floor = median_ms(lambda: mixing @ mass, times=5)
    jitter = (1e-13 * (1.0 + 0.01 * k) for k in itertools.count())
    noise = (1e-3 * (1.0 + 0.01 * k) for k in itertools.count())

    def shake() -> None:
        LINK.run(replace(inputs, jitter=replace(inputs.jitter, random=next(jitter))), Control())

    def hiss() -> None:
        LINK.run(replace(inputs, noise=next(noise)), Control())

    what = "the mixture's matrix product"
    return [
        Figure(
            "Slider of jitter to the new contour", 150.0, median_ms(shake, times=9), floor, what
        ),
        Figure("Slider of noise to the new contour", 150.0, median_ms(hiss, times=9), floor, what),
    ]


def figures() -> list[Figure]:
    """Links."""
    return [_interference(), *_stress()]
