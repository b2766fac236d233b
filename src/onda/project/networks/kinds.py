"""Networks: made of files, lines, paths and of each other, but never of themselves."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.kind import Kind, Mention, Objects
from onda.project.networks.network import (
    FileSource,
    GroupSource,
    LineSource,
    Network,
    PathSource,
    needs_of,
)

__all__ = ["NETWORK_KINDS"]


def _refers(network: Network) -> Iterable[Mention]:
    source = network.source
    if isinstance(source, FileSource):
        yield Mention("file", source.file)
    elif isinstance(source, PathSource):
        yield Mention("path", source.path)
    elif isinstance(source, GroupSource):
        yield Mention("group", source.group)
    elif isinstance(source, LineSource):
        yield Mention("line", source.line_class)
    for needed in needs_of(network):
        yield Mention("network", needed)


def _check(network: Network, objects: Objects) -> None:
    source = network.source
    if isinstance(source, LineSource):
        line_class = objects.get("line", source.line_class)
        if line_class.trace_on(source.layer) is None:
            raise ValueError(
                f"network {network.id}: class {source.line_class!r} is not routed on "
                f"{source.layer!r}"
            )
        if not line_class.structure.one_line:
            raise ValueError(
                f"network {network.id}: {source.line_class!r} is a {line_class.kind}, not one line"
            )
    _check_loop(network, objects)


def _check_loop(network: Network, objects: Objects) -> None:
    """Nothing may be made of itself."""
    done: set[str] = set()

    def walk(at: Network, above: tuple[str, ...]) -> None:
        if at.id in above:
            raise ValueError(f"network {at.id} is made of itself")
        if at.id in done:
            return
        for needed in needs_of(at):
            part = objects.get("network", needed)
            if part is not None:
                walk(part, (*above, at.id))
        done.add(at.id)

    walk(network, ())


NETWORK_KINDS = (
    Kind(
        "network",
        "network",
        "networks",
        Network,
        refers=_refers,
        needs=("file", "path", "line", "group", "network"),
        check=_check,
        space="networks",
    ),
)
