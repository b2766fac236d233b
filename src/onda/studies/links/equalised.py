"""Equalisers of a link put on the pulse of its channel, those that are looked for found first."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.chain import Chain, Merit, best_chain, decision_taps, sampling_time, scaled
from onda.engine.links.pulse import PulseResponse
from onda.engine.links.statistical import SampledPulse
from onda.studies.links.inputs import ChainInputs, EyeInputs, LinkInputs
from onda.studies.links.link_grid import channel_pulses

__all__ = ["at_sampler", "found_chain", "with_settings"]

FloatArray = NDArray[np.float64]
_BEFORE = tuple(-0.02 * k for k in range(10))
_BEHIND = tuple(-0.025 * k for k in range(13))
"""Transmit taps that are tried, before and behind the main one."""


def _to_try(wanted: ChainInputs) -> Iterator[Chain]:
    """Every setting of what is to be found: gains first, each with the taps as they are."""
    for response in wanted.responses or (wanted.chain.response,):
        for gain in wanted.gains or (wanted.chain.gain,):
            yield replace(wanted.chain, gain=gain, response=response)


def _with_taps(chain: Chain) -> Iterator[Chain]:
    for before in _BEFORE:
        for behind in _BEHIND:
            if 1.0 + before + behind > 0.5:
                taps = (before, 1.0 + before + behind, behind)
                yield replace(chain, taps=taps, main=1)


def found_chain(
    wanted: ChainInputs,
    pulse: SampledPulse,
    others: list[SampledPulse],
    unit_interval: float,
    *,
    where: str,
    noise: float = 0.0,
    jitter: float = 0.0,
    levels: tuple[float, ...] = (-1.0, 1.0),
) -> tuple[Chain, Merit]:
    """The chain with every choice made by the figure of merit, and that figure.

    Taps are looked for at the gain that is best without any, then the gain again with these.
    """
    terms = {"where": where, "noise": noise, "jitter": jitter, "levels": levels}
    chain, found = best_chain(_to_try(wanted), pulse, others, unit_interval, **terms)
    if wanted.find_taps:
        chain, found = best_chain(_with_taps(chain), pulse, others, unit_interval, **terms)
        again = replace(wanted, chain=chain)
        chain, found = best_chain(_to_try(again), pulse, others, unit_interval, **terms)
    return chain, found


def at_sampler(pulse: PulseResponse, inputs: EyeInputs) -> tuple[PulseResponse, int]:
    """A channel's pulse as the sampler sees it, decision feedback taken off bit by bit, and the
    sample of its unit interval where it is sampled."""
    unit, per_ui = pulse.unit_interval, pulse.samples_per_ui
    sampled = SampledPulse(pulse.flat, unit / per_ui)
    chain = _settings_of(inputs)
    made = chain.behind_all(sampled, unit)
    gain = chain.control(made, unit, inputs.sampling)
    made = scaled(made, gain)
    at = sampling_time(made, unit, inputs.sampling)
    taps = decision_taps(made.cursors(at, unit), chain)
    bits = -(-len(made.samples) // per_ui)
    last = round(at / made.step) + (len(taps) + 1) * per_ui
    flat = np.zeros(max(bits, -(-last // per_ui)) * per_ui)
    flat[: len(made.samples)] = made.samples
    for k, tap in enumerate(taps, 1):
        # Each holds for the unit interval around its cursor.
        first = round(at / made.step) + k * per_ui - per_ui // 2
        flat[max(first, 0) : first + per_ui] -= tap
    volts = flat.reshape(-1, per_ui)
    uneven: FloatArray | None = None
    if pulse.uneven is not None:
        edge = SampledPulse(pulse.uneven.reshape(-1), unit / per_ui)
        edges = gain * chain.for_edges.behind_all(edge, unit).samples
        uneven = np.zeros(flat.size)
        uneven[: len(edges)] = edges[: flat.size]
        uneven = uneven.reshape(volts.shape)
    # A gain control acts around the middle of the swing.
    return PulseResponse(volts, unit, pulse.base, uneven), round(at / made.step) % per_ui


def _settings_of(inputs: EyeInputs) -> Chain:
    """The same settings that the eye at the error rate has."""
    pulses = channel_pulses(inputs.channel)
    chain, _ = found_chain(
        inputs.equalisers,
        pulses.own,
        list(pulses.others),
        inputs.unit_interval,
        where=inputs.sampling,
        noise=inputs.noise,
        jitter=inputs.jitter,
        levels=inputs.levels,
    )
    return chain


def with_settings(link: LinkInputs) -> LinkInputs:
    """A link whose equalisers are set: as those of `settings_of`, or as is best here."""
    settings_of = link.settings_of or link
    pulses = channel_pulses(settings_of.channel)
    chain, _ = found_chain(
        settings_of.equalisers,
        pulses.own,
        list(pulses.others),
        settings_of.channel.unit_interval,
        where=settings_of.sampling,
        noise=settings_of.noise,
        jitter=settings_of.jitter.effective,
        levels=settings_of.levels,
    )
    fixed = replace(link.equalisers, chain=chain, gains=(), responses=(), find_taps=False)
    return replace(link, equalisers=fixed, settings_of=None)
