"""Links."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.kind import Kind, Mention, Objects
from onda.project.links.link import Link

__all__ = ["LINK_KINDS"]


def _refers(link: Link) -> Iterable[Mention]:
    if link.path is not None:
        yield Mention("path", link.path)
    if link.network is not None:
        yield Mention("network", link.network)
    if link.group is not None:
        yield Mention("group", link.group)
    if link.pulse is not None:
        yield Mention("file", link.pulse)
    if link.listener.response is not None:
        yield Mention("file", link.listener.response)
    for model in (link.sender.model, link.listener.model):
        if model is not None:
            yield Mention("file", model.parameters)
            yield Mention("file", model.library)


def _check(link: Link, objects: Objects) -> None:
    if link.group is not None:
        lanes = [x.id for x in objects.get("group", link.group).lanes]
        if link.group_lane not in lanes:
            raise ValueError(
                f"link {link.name}: group {link.group} has no lane {link.group_lane!r}: one of "
                f"{', '.join(lanes)}"
            )


LINK_KINDS = (
    Kind(
        "link",
        "link",
        "links",
        Link,
        refers=_refers,
        needs=("path", "network", "group", "file"),
        check=_check,
        space="links",
    ),
)
