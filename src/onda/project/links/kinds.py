"""Links."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.kind import Kind, Mention
from onda.project.links.link import Link

__all__ = ["LINK_KINDS"]


def _refers(link: Link) -> Iterable[Mention]:
    if link.path is not None:
        yield Mention("path", link.path)
    if link.network is not None:
        yield Mention("network", link.network)


LINK_KINDS = (
    Kind(
        "link",
        "link",
        "links",
        Link,
        refers=_refers,
        needs=("path", "network"),
        space="links",
    ),
)
