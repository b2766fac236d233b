"""A link from a few decisions: over a path, a network or a lane of a group, at a rate."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from onda.project.base import fresh_id
from onda.project.edits import with_design
from onda.project.kind import Ref
from onda.project.links.link import Link
from onda.project.model import Design, Project
from onda.project.recipe import Answers, Decision, Option, Recipe, named
from onda.project.requirement_edits import require

__all__ = ["LINK_RECIPES", "channel_of", "channels", "over"]


def channels(design: Design) -> tuple[Option, ...]:
    """What a link can run over: ``path:ID``, ``network:ID`` or ``group:ID:LANE``, and names."""
    return (
        *((f"path:{p.id}", p.name) for p in design.paths),
        *((f"network:{n.id}", f"{n.name}, network") for n in design.networks),
        *(
            (f"group:{g.id}:{lane.id}", f"{lane.name} of {g.name}")
            for g in design.groups
            for lane in g.lanes
        ),
        *(
            (f"pulse:{f.id}", f"{f.path.rsplit('/', 1)[-1]}, pulse")
            for f in design.device_files
            if f.path.startswith("pulses/")
        ),
    )


def channel_of(link: Link) -> str:
    """What a link runs over, as among `channels`."""
    if link.path is not None:
        return f"path:{link.path}"
    if link.group is not None:
        return f"group:{link.group}:{link.group_lane}"
    if link.pulse is not None:
        return f"pulse:{link.pulse}"
    return f"network:{link.network}"


def over(channel: str) -> dict[str, Any]:
    """Fields of a link that runs over one of `channels`."""
    kind, _, identifier = channel.partition(":")
    group, _, lane = identifier.partition(":")
    fields = {
        "path": None, "network": None, "group": None, "pulse": None, "group_lane": "", "lane": 1,
    }  # fmt: skip
    if kind == "group":
        return fields | {"group": group, "group_lane": lane}
    return fields | {kind: identifier}


def _channels(project: Project, _: Answers) -> Iterable[Option]:
    return channels(project.design)


_LINK = {
    d.key: d
    for d in (
        Decision(
            "name", "Name", "What the link is called, as in Lane 0.", default=named("Link", "links")
        ),
        Decision(
            "over",
            "Over",
            "The path or the network that the bits run over.",
            "choice",
            default=lambda p, _: next((key for key, _ in channels(p.design)), ""),
            options=_channels,
        ),
        Decision(
            "rate",
            "Rate",
            "Bits a second.",
            "quantity",
            "data rate",
            default=lambda _, __: "5 Gb/s",
        ),
        Decision(
            "height",
            "Eye height, at least",
            "What the receiver needs at its sampling phase; leave it empty for no limit.",
            "quantity",
            "voltage",
            default=lambda _, __: "100 mV",
            optional=True,
        ),
        Decision(
            "width",
            "Eye width, at least",
            "In unit intervals; leave it empty for no limit.",
            "quantity",
            "unit interval",
            default=lambda _, __: "0.5 UI",
            optional=True,
        ),
    )
}


def _no_channel(project: Project) -> tuple[str, str] | None:
    if channels(project.design):
        return None
    return "A link runs over a path or a network; there is neither yet.", "path"


def _make(project: Project, answers: Answers) -> tuple[Project, Ref]:
    links = project.design.links
    identifier = fresh_id(answers["name"].lower().replace(" ", "-"), {x.id for x in links}, "link")
    new = Link.model_validate(
        {
            "id": identifier,
            "name": answers["name"],
            **over(answers["over"]),
            "rate": _LINK["rate"].quantity(answers),
            "prbs": 15,
            "bits": 100_000,
        }
    )
    project = with_design(project, links=(*links, new))
    for key, measure in (("height", "eye_height"), ("width", "eye_width")):
        if answers[key].strip():
            project = require(project, identifier, measure, f">= {answers[key]}")
    return project, Ref("link", identifier)


LINK_RECIPES = (
    Recipe(
        "link",
        "Link",
        "A link sends bits over a path or a network and looks at their eye.",
        tuple(_LINK.values()),
        _make,
        _no_channel,
    ),
)
