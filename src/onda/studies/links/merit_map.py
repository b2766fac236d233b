"""The figure of merit of a link over two settings: where it is best, and how flat it is there."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.chain import Chain, Trial
from onda.errors import InputError
from onda.project.links.equalisers import USUAL_POLES, USUAL_ZERO, around_main, three_taps
from onda.studies.core.study import Control, Study
from onda.studies.links.equalised import found_chain
from onda.studies.links.inputs import LinkInputs
from onda.studies.links.link_grid import channel_pulses

__all__ = ["LINK_MAP", "SETTINGS", "LinkMap", "MapInputs", "settings_of"]

FloatArray = NDArray[np.float64]

SETTINGS: dict[str, tuple[str, FloatArray]] = {
    "behind": ("Tap behind", np.linspace(-0.4, 0.1, 26)),
    "before": ("Tap before", np.linspace(-0.25, 0.05, 16)),
    "gain": ("Gain at 0 Hz, dB", np.linspace(-12.0, 0.0, 25)),
}
"""What can be looked at: what it is called, and its values."""


@dataclass(frozen=True, slots=True)
class MapInputs:
    """A link, and which two of `SETTINGS` lie across and up."""

    link: LinkInputs
    across: str = "behind"
    up: str = "before"


@dataclass(frozen=True, slots=True, eq=False)
class LinkMap:
    """Figures of merit (u, a) dB over `up_values` (u,) and `across_values` (a,).

    `chosen` and `best` are (across, up, dB) of the link's own setting and of the best on the map;
    `falls` is by how much, dB, the chosen one can fall within a step to any side.
    """

    across: str
    up: str
    across_values: FloatArray
    up_values: FloatArray
    merit_db: FloatArray
    chosen: tuple[float, float, float]
    best: tuple[float, float, float]
    falls: float


def settings_of(chain: Chain) -> dict[str, float]:
    """A chain's own values of `SETTINGS`."""
    before, behind = around_main(chain.taps, chain.main)
    return {"before": before, "behind": behind, "gain": 20.0 * math.log10(chain.gain)}


def _with(chain: Chain, values: dict[str, float], unit: float) -> Chain:
    """The chain with other values; sizes of transmit taps add up to 1."""
    if values.keys() & {"before", "behind"}:
        now = settings_of(chain) | values
        chain = replace(chain, taps=three_taps(now["before"], now["behind"]), main=1)
    if "gain" in values:
        chain = replace(chain, gain=10.0 ** (values["gain"] / 20.0))
        if not chain.poles:
            poles = tuple(share / unit for share in USUAL_POLES)
            chain = replace(chain, zero=USUAL_ZERO / unit, poles=poles)
    return chain


def _run(inputs: MapInputs, control: Control) -> LinkMap:
    link, (across, up) = inputs.link, (inputs.across, inputs.up)
    if across == up or not {across, up} <= SETTINGS.keys():
        raise InputError(
            f"a map over {across!r} and {up!r}", remedy=f"Two of {', '.join(SETTINGS)}."
        )
    pulses, unit = channel_pulses(link.channel), link.channel.unit_interval
    terms = link.merit_terms
    control.progress(0.1)
    chain, found = found_chain(link.equalisers, link.channel, terms)
    trial = Trial(pulses.own, pulses.others, unit, **terms)

    def db(values: dict[str, float]) -> float:
        return trial.merit(_with(chain, values, unit)).db

    x, y = SETTINGS[across][1], SETTINGS[up][1]
    out = np.empty((len(y), len(x)))
    for i, b in enumerate(y):
        for j, a in enumerate(x):
            out[i, j] = db({across: float(a), up: float(b)})
        control.progress(0.1 + 0.9 * (i + 1) / len(y))
    row, column = divmod(int(np.argmax(out)), len(x))
    own = settings_of(chain)
    steps = {across: float(x[1] - x[0]), up: float(y[1] - y[0])}
    around = [
        db({across: own[across] + a * steps[across], up: own[up] + b * steps[up]})
        for a, b in ((-1, 0), (1, 0), (0, -1), (0, 1))
        if own[up] + b * steps[up] <= y[-1] + 1e-12 and own[across] + a * steps[across] <= x[-1]
    ]
    return LinkMap(
        across,
        up,
        x,
        y,
        out,
        (own[across], own[up], found.db),
        (float(x[column]), float(y[row]), float(out[row, column])),
        max(found.db - min(around), 0.0),
    )


LINK_MAP: Study[MapInputs, LinkMap] = Study("link_map", _run, LinkMap, title="Map of settings")
