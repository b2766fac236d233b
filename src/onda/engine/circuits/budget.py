"""What a transient will take, told before it starts."""

from __future__ import annotations

import math

from onda.engine.circuits.net import Net
from onda.errors import TooLarge

__all__ = ["ALLOWED_BYTES", "check_transient_size", "transient_bytes"]

ALLOWED_BYTES = 1e9
"""Of one run."""


def transient_bytes(net: Net, end: float, step: float) -> float:
    """Memory for the record of a transient of `end` seconds in steps of at most `step`, bytes."""
    unknowns = net.nodes + 2 * (len(net.shunts) + len(net.series))
    unknowns += sum(len(group.pairs) for group in net.inductors)
    # A short piece keeps three waves, a long one two.
    waves = 3 * (len(net.lines) + sum(many.line.size for many in net.coupled))
    waves += sum(len(block.nodes) for block in net.blocks)
    ports = [port for device in net.devices for port in device.ports]
    weights = sum(1 for port in ports for term in port.terms if term.weight is not None)
    sources = sum(1 for shunt in net.shunts if shunt.source)
    each = unknowns + net.nodes + waves + 2 * len(ports) + weights + sources + 1
    return 8.0 * each * math.ceil(end / step)


def check_transient_size(net: Net, end: float, step: float) -> None:
    """Raise `TooLarge`, with the time that would fit, where a run may not take so much."""
    needed = transient_bytes(net, end, step)
    if needed > ALLOWED_BYTES:
        fits = end * ALLOWED_BYTES / needed
        raise TooLarge(
            f"{_told(end)} in steps of {_told(step)}",
            needed=needed,
            allowed=ALLOWED_BYTES,
            # A hundredth less than what fits, so that the rounded number fits too.
            remedy=f"Look at {_told(0.99 * fits)} or less, or at slower edges",
        )


def _told(seconds: float) -> str:
    """A time in the unit that it is spoken of in."""
    scale, unit = next(
        (s, u) for s, u in ((1.0, "s"), (1e-3, "ms"), (1e-6, "us"), (1e-9, "ns"), (0.0, "ps"))
        if seconds >= s
    )  # fmt: skip
    return f"{seconds / (scale or 1e-12):.3g} {unit}"
