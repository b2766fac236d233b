"""Cross-sections that several tests use."""

from __future__ import annotations

import math

from onda.engine.section import Conductor, CrossSection, Layer

UM = 1e-6


def box(left: float, bottom: float, width: float, height: float) -> tuple[tuple[float, float], ...]:
    right, top = left + width, bottom + height
    return ((left, bottom), (right, bottom), (right, top), (left, top))


def round_wire(
    x: float, y: float, radius: float, corners: int = 48
) -> tuple[tuple[float, float], ...]:
    """A polygon whose area is that of the circle."""
    step = 2 * math.pi / corners
    r = radius * math.sqrt(step / math.sin(step))
    return tuple(
        (x + r * math.cos((k + 0.5) * step), y + r * math.sin((k + 0.5) * step))
        for k in range(corners)
    )


def microstrip(width: float = 200 * UM, er: float = 4.2, height: float = 110 * UM) -> CrossSection:
    trace = Conductor("S", box(-width / 2, height, width, 35 * UM))
    return CrossSection((Layer(0.0, height, er, "board"),), (trace,), (0.0,))


def microstrip_pair(gap: float = 130 * UM, er: float = 4.3) -> CrossSection:
    width, height = 130 * UM, 120 * UM
    left = Conductor("P", box(-gap / 2 - width, height, width, 35 * UM))
    right = Conductor("N", box(gap / 2, height, width, 35 * UM))
    return CrossSection((Layer(0.0, height, er, "board"),), (left, right), (0.0,))


def stripline(er: float = 3.7) -> CrossSection:
    trace = Conductor("S", box(-60 * UM, 141 * UM, 120 * UM, 18 * UM))
    return CrossSection((Layer(0.0, 300 * UM, er, "board"),), (trace,), (0.0, 300 * UM))
