"""Links."""

from __future__ import annotations

from onda.project.kind import Kind, Mention
from onda.project.links.link import Link

__all__ = ["LINK_KINDS"]

LINK_KINDS = (
    Kind(
        "link",
        "link",
        "links",
        Link,
        refers=lambda link: (Mention("path", link.path),),
        needs=("path",),
        space="links",
    ),
)
