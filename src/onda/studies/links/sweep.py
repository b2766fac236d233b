"""Study `link_sweep`: a link's eye against one quantity."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError
from onda.project.links.link import Link
from onda.project.model import Design
from onda.studies.core.study import Case, Control, Study, compute
from onda.studies.links.inputs import LinkInputs, link_inputs
from onda.studies.links.point import LINK_POINT, LinkPoint

__all__ = [
    "LINK_SWEEP",
    "SWEEPS",
    "LinkSweep",
    "Sweep",
    "SweepInputs",
    "sweep_inputs",
]

FloatArray = NDArray[np.float64]
_MOST = 201


def _random(link: LinkInputs, value: float) -> LinkInputs:
    unit = link.channel.unit_interval
    return replace(link, jitter=replace(link.jitter, random=value * unit))


def _bounded(link: LinkInputs, value: float) -> LinkInputs:
    unit = link.channel.unit_interval
    return replace(link, jitter=replace(link.jitter, dual_dirac=value * unit))


def _sine(link: LinkInputs, value: float) -> LinkInputs:
    unit = link.channel.unit_interval
    return replace(link, jitter=replace(link.jitter, sine=value * unit))


def _noise(link: LinkInputs, value: float) -> LinkInputs:
    return replace(link, noise=value)


def _loss(link: LinkInputs, value: float) -> LinkInputs:
    return replace(link, channel=replace(link.channel, more_loss=value))


def _speed(link: LinkInputs, value: float) -> LinkInputs:
    """Jitter stays what it is in unit intervals."""
    unit = link.channel.unit_interval
    share = 1.0 / value
    jitter = replace(
        link.jitter,
        random=link.jitter.random * share,
        dual_dirac=link.jitter.dual_dirac * share,
        sine=link.jitter.sine * share,
        duty=link.jitter.duty * share,
    )
    return replace(link, channel=replace(link.channel, unit_interval=unit * share), jitter=jitter)


@dataclass(frozen=True, slots=True)
class Sweep:
    """A quantity that a link is looked at over: its name, its dimension, how it is set, and values
    to begin with."""

    title: str
    dimension: str
    put: Callable[[LinkInputs, float], LinkInputs]
    values: tuple[float, ...]


def _even(low: float, high: float, count: int) -> tuple[float, ...]:
    return tuple(float(v) for v in np.linspace(low, high, count))


SWEEPS: dict[str, Sweep] = {
    "loss": Sweep("More line, dB at half the rate", "loss", _loss, _even(0.0, 24.0, 13)),
    "speed": Sweep("Rate, of what it is", "ratio", _speed, _even(0.5, 1.5, 11)),
    "random": Sweep("Random jitter", "unit interval", _random, _even(0.0, 0.05, 11)),
    "bounded": Sweep("Bounded jitter", "unit interval", _bounded, _even(0.0, 0.4, 11)),
    "sine": Sweep("Sine of jitter", "unit interval", _sine, _even(0.0, 0.3, 11)),
    "noise": Sweep("Noise", "voltage", _noise, _even(0.0, 0.02, 11)),
}
"""What a link can be looked at over, by its key."""


@dataclass(frozen=True, slots=True)
class SweepInputs:
    """A link, one of `SWEEPS` and its values; `anew` finds the best equalisers at each of them."""

    link: LinkInputs
    over: str
    values: tuple[float, ...]
    anew: bool = True


@dataclass(frozen=True, slots=True)
class LinkSweep:
    """Over `values` (n,): heights V, widths UI, merits dB, losses dB (n,), NaN where there is no
    eye, and why."""

    over: str
    values: FloatArray
    heights: FloatArray
    widths: FloatArray
    merits: FloatArray
    losses: FloatArray
    why: tuple[str, ...]

    @property
    def is_open(self) -> NDArray[np.bool_]:
        """At which values there is an eye."""
        return self.heights > 0.0


def sweep_inputs(
    design: Design, link: Link, over: str, values: Sequence[float] = (), *, anew: bool = True
) -> SweepInputs:
    """Inputs for a sweep; the usual values where none are given.

    Raises
    ------
    InputError : it cannot be looked at over that, or values that cannot be
    """
    if over not in SWEEPS:
        raise InputError(f"a sweep over {over!r}", remedy=f"One of {', '.join(SWEEPS)}.")
    some = tuple(float(v) for v in values) or SWEEPS[over].values
    least = 0.05 if over == "speed" else 0.0
    if len(some) > _MOST or not all(math.isfinite(v) and v >= least for v in some):
        raise InputError(
            f"{len(some)} values of {SWEEPS[over].title.lower()}",
            remedy=f"At most {_MOST}, {least:g} or above.",
        )
    return SweepInputs(link_inputs(design, link), over, some, anew)


def _sweep_cases(inputs: SweepInputs) -> Sequence[Case]:
    sweep = SWEEPS[inputs.over]
    kept = None if inputs.anew else inputs.link
    return [
        Case(LINK_POINT, replace(sweep.put(inputs.link, value), settings_of=kept))
        for value in inputs.values
    ]


def _column(found: Sequence[LinkPoint], name: str) -> FloatArray:
    return np.array([getattr(one, name) for one in found], dtype=float)


def _sweep_gather(inputs: SweepInputs, found: Sequence[LinkPoint]) -> LinkSweep:
    return LinkSweep(
        inputs.over,
        np.array(inputs.values),
        _column(found, "height"),
        _column(found, "width"),
        _column(found, "merit"),
        _column(found, "loss"),
        tuple(one.why for one in found),
    )


def _run_sweep(inputs: SweepInputs, control: Control) -> LinkSweep:
    return compute(LINK_SWEEP, inputs, control)


LINK_SWEEP: Study[SweepInputs, LinkSweep] = Study(
    "link_sweep", _run_sweep, LinkSweep, split=_sweep_cases, gather=_sweep_gather, title="Sweep"
)
