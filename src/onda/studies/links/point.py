"""Study `link_point`: what counts of a link's eye, for one value of a sweep or one corner."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from onda.errors import OndaError
from onda.studies.core.study import Control, Study
from onda.studies.links.inputs import LinkInputs
from onda.studies.links.link import LINK

__all__ = ["LINK_POINT", "LinkPoint"]


@dataclass(frozen=True, slots=True)
class LinkPoint:
    """Height V and width UI at the error rate, figure of merit dB, loss of the channel at half the
    symbol rate dB; `why` there is none where there is none, all else NaN then."""

    height: float = math.nan
    width: float = math.nan
    merit: float = math.nan
    loss: float = math.nan
    why: str = ""


def _run(inputs: LinkInputs, _: Control) -> LinkPoint:
    try:
        found = LINK.run(replace(inputs, compare=False), Control())
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


LINK_POINT: Study[LinkInputs, LinkPoint] = Study(
    "link_point", _run, LinkPoint, title="Point of the sweep"
)
