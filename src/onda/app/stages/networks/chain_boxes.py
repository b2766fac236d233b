"""A network of the document as the boxes of the chain view."""

from __future__ import annotations

from onda.app.stages.networks.chain_view import Box
from onda.project.model import Design
from onda.project.networks.network import ChainSource, Network
from onda.studies.networks.network import NetworkResult

__all__ = ["boxes_of"]


def boxes_of(design: Design, network: Network, result: NetworkResult | None) -> list[Box]:
    """One box for each piece of a chain, or one for the network; ports once they are known."""
    source = network.source
    if not isinstance(source, ChainSource):
        ports = result.ports if result is not None else network.order
        half = (len(ports) + 1) // 2
        return [Box(network.id, network.name, source.kind, ports[:half], ports[half:])]
    spans = {s.id: s for s in result.spans} if result is not None else {}
    boxes = []
    for piece in source.pieces:
        span = spans.get(piece.id)
        ports = span.ports if span is not None else ()
        half = len(ports) // 2
        detail = f"{abs(span.end - span.start) * 1e12:.0f} ps" if span is not None else ""
        boxes.append(
            Box(
                piece.id,
                design.network(piece.network).name,
                detail,
                ports[:half],
                ports[half:],
                piece.turned,
                piece.removed,
                piece.wires,
            )
        )
    return boxes
