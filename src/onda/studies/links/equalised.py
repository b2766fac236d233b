"""Equalisers of a link put on the pulse of its channel, those that are looked for found first."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.chain import Chain, Merit, best_chain, decision_taps, sampling_time
from onda.engine.links.pulse import PulseResponse
from onda.engine.links.statistical import SampledPulse
from onda.studies.links.inputs import (
    ChainInputs,
    ChannelInputs,
    EyeInputs,
    LinkInputs,
    MeritTerms,
)
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
    wanted: ChainInputs, channel: ChannelInputs, terms: MeritTerms
) -> tuple[Chain, Merit]:
    """The chain with every choice made by the figure of merit over a channel, and that figure.

    Taps are looked for at the gain that is best without any, then the gain again with these.
    """
    pulses = channel_pulses(channel)

    def best(chains: Iterator[Chain]) -> tuple[Chain, Merit]:
        others = list(pulses.others)
        return best_chain(chains, pulses.own, others, channel.unit_interval, **terms)

    chain, found = best(_to_try(wanted))
    if wanted.find_taps:
        chain, found = best(_with_taps(chain))
        chain, found = best(_to_try(replace(wanted, chain=chain)))
    return chain, found


def at_sampler(pulse: PulseResponse, inputs: EyeInputs) -> tuple[PulseResponse, int]:
    """A channel's pulse as the sampler sees it, decision feedback taken off bit by bit, and the
    sample of its unit interval where it is sampled."""
    unit, per_ui = pulse.unit_interval, pulse.samples_per_ui
    sampled = SampledPulse(pulse.flat, unit / per_ui)
    # The same settings that the eye at the error rate has.
    chain, _ = found_chain(inputs.equalisers, inputs.channel, inputs.merit_terms)
    made, gain = chain.received(sampled, unit, inputs.sampling)
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


def with_settings(link: LinkInputs) -> LinkInputs:
    """A link whose equalisers are set: as those of `settings_of`, or as is best here."""
    of = link.settings_of or link
    chain, _ = found_chain(of.equalisers, of.channel, of.merit_terms)
    fixed = replace(link.equalisers, chain=chain, gains=(), responses=(), find_taps=False)
    return replace(link, equalisers=fixed, settings_of=None)
