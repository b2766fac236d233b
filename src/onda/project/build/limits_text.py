"""Fabricator's limits, a line each: ``45 um: 90 / 100 um``, ``fine x1.35: 75 / 75 um``."""

from __future__ import annotations

import re

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.build.stackup import EtchLimit, Fabrication, PriceStep
from onda.project.quantities import Quantity, parse_quantity, pretty

__all__ = ["limit_text", "step_text", "with_limit", "with_step"]

_LIMIT = re.compile(r"\s*(?P<copper>[^:]+):\s*(?P<width>[^/]+)/(?P<gap>[^/]+)")
_STEP = re.compile(
    r"\s*(?P<name>[^:]*?)\s*[x×]\s*(?P<factor>[\d.]+)\s*:\s*(?P<width>[^/]+)/(?P<gap>[^/]+)"
)


def limit_text(limit: EtchLimit) -> str:
    """A limit as shown."""
    return f"{pretty(limit.copper)}: {_both(limit.width, limit.gap)}"


def step_text(step: PriceStep) -> str:
    """A price step as shown."""
    return f"{step.name} ×{step.factor:g}: {_both(step.width, step.gap)}"


def _both(width: Quantity, gap: Quantity) -> str:
    number, _, unit = pretty(width).partition(" ")
    if pretty(gap).endswith(f" {unit}"):
        return f"{number} / {pretty(gap)}"
    return f"{pretty(width)} / {pretty(gap)}"


def _lengths(width: str, gap: str) -> tuple[Quantity, Quantity]:
    second = parse_quantity(gap.strip(), "length", "um")
    number, unit = re.fullmatch(r"([^A-Za-zµμ]*)(.*)", second.text).groups()  # type: ignore[union-attr]
    spaced = parse_quantity(f"{number.strip()} {unit}", "length")
    return parse_quantity(width.strip(), "length", unit), spaced


def with_limit(made: Fabrication, index: int, typed: str) -> Fabrication:
    """Change, add or (by empty text) remove an etch limit."""
    items = list(made.etch)
    if not typed.strip():
        del items[index : index + 1]
        return set_value(made, etch=tuple(items))
    match = _LIMIT.fullmatch(typed)
    if match is None:
        raise InputError(
            f"{typed[:30]!r} is no limit",
            remedy="Write copper: width / gap, as 45 um: 90 / 100 um.",
        )
    width, gap = _lengths(match["width"], match["gap"])
    new = EtchLimit(
        copper=parse_quantity(match["copper"].strip(), "length", "um"), width=width, gap=gap
    )
    items[index : index + 1] = [new]
    return set_value(made, etch=tuple(sorted(items, key=lambda e: e.copper.si)))


def with_step(made: Fabrication, index: int, typed: str) -> Fabrication:
    """Change, add or (by empty text) remove a price step."""
    items = list(made.steps)
    if not typed.strip():
        del items[index : index + 1]
        return set_value(made, steps=tuple(items))
    match = _STEP.fullmatch(typed)
    if match is None:
        raise InputError(
            f"{typed[:30]!r} is no price step",
            remedy="Write name x factor: width / gap, as fine x1.35: 75 / 75 um.",
        )
    width, gap = _lengths(match["width"], match["gap"])
    try:
        factor = float(match["factor"])
    except ValueError as error:
        raise InputError(f"{match['factor'][:20]!r} is not a number") from error
    items[index : index + 1] = [
        set_value(
            PriceStep(name="step", width=width, gap=gap, factor=1.0),
            name=match["name"].strip() or "step",
            factor=factor,
        )
    ]
    return set_value(made, steps=tuple(items))
