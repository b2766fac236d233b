"""Buffers in a net."""

from __future__ import annotations

from onda.engine.circuits.devices import Device, Port
from onda.engine.circuits.net import ShuntBranch
from onda.engine.devices.buffer import Buffer
from onda.engine.devices.switching import Switching, weights

__all__ = ["driver", "receiver"]


def driver(
    name: str,
    buffer: Buffer,
    switching: Switching,
    node: int,
    edges: list[tuple[float, bool]],
    *,
    start_high: bool,
) -> tuple[Device, tuple[ShuntBranch, ...]]:
    """A driving buffer with its die at `node`, switched by (time, rising) commands."""
    up, down = weights(switching, edges, start_high=start_high)
    terms = (*buffer.pull_terms(up, down), *buffer.clamp_terms)
    return Device(name, (Port(node, terms),)), _die(buffer, node)


def receiver(name: str, buffer: Buffer, node: int) -> tuple[Device | None, tuple[ShuntBranch, ...]]:
    """A buffer that listens: its clamps and its capacitance; no device where it has no clamps."""
    terms = buffer.clamp_terms
    device = Device(name, (Port(node, terms),)) if terms else None
    return device, _die(buffer, node)


def _die(buffer: Buffer, node: int) -> tuple[ShuntBranch, ...]:
    return (ShuntBranch(node, c=buffer.c_comp),) if buffer.c_comp > 0.0 else ()
