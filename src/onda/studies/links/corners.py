"""Study `link_corners`: what is left of a link's eye in all corners, its settings kept."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from onda.project.links.equalisers import around_main, three_taps
from onda.project.links.link import Link
from onda.project.links.model_edits import End, model_of, with_model
from onda.project.model import Design
from onda.studies.core.study import Case, Control, Study, compute
from onda.studies.links.equalised import with_settings
from onda.studies.links.inputs import LinkInputs, link_inputs
from onda.studies.links.point import LINK_POINT, LinkPoint
from onda.studies.paths.corners import corner_variants

__all__ = ["LINK_CORNERS", "Corner", "CornerInputs", "LinkCorners", "corner_inputs"]

_TAP_STEP, _GAIN_STEP = 0.025, 1.0
"""Steps of a setting, of taps and of dB, that a robust one bears."""


@dataclass(frozen=True, slots=True)
class Corner:
    """A link in one corner, and what it is called. `moved` are transmit taps (before, behind) and
    gain (dB) added to the settings that are best at the first corner."""

    name: str
    link: LinkInputs
    moved: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True, slots=True)
class CornerInputs:
    """Corners; the first is the link as it is, whose equaliser settings all others keep."""

    corners: tuple[Corner, ...]


@dataclass(frozen=True, slots=True)
class LinkCorners:
    """What is left of the eye in each corner."""

    names: tuple[str, ...]
    points: tuple[LinkPoint, ...]

    @property
    def worst(self) -> int:
        """Number of the corner with the least tall eye, one without an eye before all others."""
        heights = [-math.inf if p.why else p.height for p in self.points]
        return int(np.argmin(heights))


def corner_inputs(design: Design, link: Link) -> CornerInputs:
    """Corners of a link: lines, resistors and devices of its path at both ends of their tolerance,
    its executable models slow and fast, and every setting a step to either side."""
    here = link_inputs(design, link)
    out = [Corner("as it is", here)]
    if link.path is not None:
        for variant in corner_variants(design, design.path(link.path), fine=True):
            changed = replace(here, channel=replace(here.channel, path=variant.path))
            if all(changed != one.link for one in out):
                out.append(Corner(variant.name, changed))
    ends: tuple[tuple[End, str], ...] = (("sender", "sends"), ("listener", "listens"))
    for end, does in ends:
        model = model_of(link, end)
        for corner in ("slow", "fast") if model is not None else ():
            assert model is not None
            other = with_model(link, end, model.model_copy(update={"corner": corner}))
            out.append(Corner(f"model that {does} {corner}", link_inputs(design, other)))
    sender, listener = link.sender, link.listener
    if sender.setting == "best" or len(sender.taps) > 1:
        for name, way in (("before", (1.0, 0.0)), ("behind", (0.0, 1.0))):
            for sign in (-1.0, 1.0):
                moved = (sign * _TAP_STEP * way[0], sign * _TAP_STEP * way[1], 0.0)
                words = f"tap {name} {sign * _TAP_STEP:+g}".replace("-", "\u2212")
                out.append(Corner(words, here, moved))
    if listener.gains or listener.gain is not None:
        for sign in (-1.0, 1.0):
            words = f"gain {sign * _GAIN_STEP:+g} dB".replace("-", "\u2212")
            out.append(Corner(words, here, (0.0, 0.0, sign * _GAIN_STEP)))
    return CornerInputs(tuple(out))


def _moved(link: LinkInputs, moved: tuple[float, float, float]) -> LinkInputs:
    """Settings of a chain that is given, a step away."""
    chain = link.equalisers.chain
    if any(moved[:2]):
        before, behind = around_main(chain.taps, chain.main)
        taps = three_taps(before + moved[0], behind + moved[1])
        chain = replace(chain, taps=taps, main=1)
    if moved[2]:
        chain = replace(chain, gain=min(chain.gain * 10.0 ** (moved[2] / 20.0), 1.0))
    return replace(link, equalisers=replace(link.equalisers, chain=chain))


def _run_corner(corner: Corner, control: Control) -> LinkPoint:
    link = corner.link
    if any(corner.moved):
        link = _moved(with_settings(link), corner.moved)
    return LINK_POINT.run(link, control)


CORNER_POINT: Study[Corner, LinkPoint] = Study(
    "link_corner", _run_corner, LinkPoint, title="Corner"
)


def _corner_cases(inputs: CornerInputs) -> Sequence[Case]:
    first = inputs.corners[0].link
    return [
        Case(CORNER_POINT, replace(one, link=replace(one.link, settings_of=first)))
        for one in inputs.corners
    ]


def _corner_gather(inputs: CornerInputs, found: Sequence[LinkPoint]) -> LinkCorners:
    return LinkCorners(tuple(one.name for one in inputs.corners), tuple(found))


def _run_corners(inputs: CornerInputs, control: Control) -> LinkCorners:
    return compute(LINK_CORNERS, inputs, control)


LINK_CORNERS: Study[CornerInputs, LinkCorners] = Study(
    "link_corners",
    _run_corners,
    LinkCorners,
    split=_corner_cases,
    gather=_corner_gather,
    title="Corners",
)
