"""Study `link_point`: what counts of a link's eye, for one value of a sweep or one corner."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from onda.errors import OndaError
from onda.studies.core.study import Control, Study
from onda.studies.links.equalised import found_chain
from onda.studies.links.inputs import LinkInputs
from onda.studies.links.link import LINK
from onda.studies.links.link_grid import channel_pulses

__all__ = ["LINK_POINT", "LinkPoint", "PointInputs", "held_at"]


@dataclass(frozen=True, slots=True)
class PointInputs:
    """A link as it is there; `settings_of` is the link whose equaliser settings are kept, None for
    such as are best there."""

    link: LinkInputs
    settings_of: LinkInputs | None = None


@dataclass(frozen=True, slots=True)
class LinkPoint:
    """Height V and width UI at the error rate, figure of merit dB, loss of the channel at half the
    symbol rate dB; `why` there is none where there is none, all else NaN then."""

    height: float = math.nan
    width: float = math.nan
    merit: float = math.nan
    loss: float = math.nan
    why: str = ""


def held_at(link: LinkInputs, settings_of: LinkInputs) -> LinkInputs:
    """A link with the equalisers that another one finds best."""
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
    return replace(link, equalisers=fixed)


def _run(inputs: PointInputs, _: Control) -> LinkPoint:
    link = replace(inputs.link, compare=False)
    try:
        if inputs.settings_of is not None:
            link = held_at(link, inputs.settings_of)
        found = LINK.run(link, Control())
    except OndaError as error:
        return LinkPoint(why=str(error))
    half = 0.5 / found.unit_interval
    below = int(abs(found.frequency - half).argmin())
    return LinkPoint(
        found.eye.height,
        found.eye.width / found.unit_interval,
        found.merit.db,
        -float(found.channel_db[below]),
    )


LINK_POINT: Study[PointInputs, LinkPoint] = Study(
    "link_point", _run, LinkPoint, title="Point of the sweep"
)
