"""Study `link_along`: the eye of a link at each point of its chain, from what is sent to what is
decided on."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from onda.engine.links.chain import Chain
from onda.errors import OndaError
from onda.studies.core.study import Control, Study
from onda.studies.links.equalised import with_settings
from onda.studies.links.inputs import ChannelInputs, LinkInputs
from onda.studies.links.link_eye import Setting
from onda.studies.links.link_grid import still_eye
from onda.studies.links.setting import setting_of

__all__ = ["LINK_ALONG", "POINTS", "LinkAlong"]

_PER_UI = 128
POINTS = {
    "sent": "Sent",
    "channel": "Behind the channel",
    "peaking": "Behind the peaking",
    "decided": "Where it is decided",
}
"""Points of the chain in their order, and what they are called."""


@dataclass(frozen=True, slots=True, eq=False)
class LinkAlong:
    """Eyes by the points that this link has; `closed` why there is none at one."""

    points: tuple[str, ...]
    settings: tuple[Setting, ...]
    closed: tuple[tuple[str, str], ...]

    def at(self, point: str) -> Setting | None:
        """The eye at a point."""
        return dict(zip(self.points, self.settings, strict=True)).get(point)


def _before_receiver(chain: Chain) -> Chain:
    return replace(chain.without_continuous.without_decisions, receive_taps=(1.0,), receive_main=0)


def _stops(channel: ChannelInputs, chain: Chain) -> Iterator[tuple[str, ChannelInputs, Chain]]:
    """Each point with the channel up to there and the equalisers before it."""
    before = _before_receiver(chain)
    if channel.pulse is None:
        yield "sent", replace(channel, at_start=True, listener=None, crosstalk=False), before
    yield "channel", replace(channel, listener=None), before
    linear = chain.without_decisions
    if linear != before or channel.listener is not None:
        yield "peaking", channel, linear
    yield "decided", channel, chain


def _run(inputs: LinkInputs, control: Control) -> LinkAlong:
    held = with_settings(inputs)
    stops = list(_stops(inputs.channel, held.equalisers.chain))
    points, settings, closed = [], [], []
    for k, (point, channel, chain) in enumerate(stops):
        control.progress(k / len(stops))
        # Noise is that of the sampler, a clock too: before it there is neither.
        is_last = point == "decided"
        here = inputs if is_last else replace(inputs, noise=0.0, clock=None, sensitivity=0.0)
        try:
            still = still_eye(channel, chain, inputs.levels, inputs.sampling, _PER_UI)
        except OndaError as error:
            if is_last:
                raise
            closed.append((point, str(error)))
            continue
        points.append(point)
        settings.append(setting_of(POINTS[point], chain, still, here))
    return LinkAlong(tuple(points), tuple(settings), tuple(closed))


LINK_ALONG: Study[LinkInputs, LinkAlong] = Study(
    "link_along", _run, LinkAlong, title="Eyes along the chain"
)
