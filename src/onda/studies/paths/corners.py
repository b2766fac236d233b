"""Corner sets of a path, and the search for the value that holds in all of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.receiver_measures import ends_of
from onda.project.model import Design
from onda.project.paths.path import Path
from onda.project.requirements import Requirement
from onda.studies.core.margin import Measured as _Measured
from onda.studies.core.margin import margin_of
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import PathInputs, with_items
from onda.studies.paths.sweep import COLUMNS, CORNER_MEASURES, SweepResult, Variant

__all__ = ["Found", "corner_variants", "refined", "search", "with_tolerances"]

FloatArray = NDArray[np.float64]


def with_tolerances(path: PathInputs, line: float, resistors: int) -> PathInputs:
    """All lines at `line` times their impedance; resistors at the end of their tolerance that
    `resistors` (-1, 0 or 1) points to."""

    changed = with_items(path, lambda item: item.at_tolerance(resistors))
    end = replace(path.end, termination=path.end.termination.at_tolerance(resistors))
    return replace(changed, end=end, line_factor=path.line_factor * line)


def corner_variants(design: Design, path: Path, *, fine: bool = False) -> tuple[Variant, ...]:
    """Devices typical, slow and fast; lines and resistors at both ends of their tolerance."""
    tolerance = path.line_tolerance.si
    out = []
    for corner in ("typ", "slow", "fast"):
        inputs = path_inputs(design, path, fine=fine, corner=corner)
        if corner == "typ":
            out.append(Variant("typ", inputs))
        for line in (-1, 1):
            for resistors in (-1, 1):
                name = f"{corner}, line {_signed(line * tolerance)}, R {'−+'[resistors > 0]}"
                changed = with_tolerances(inputs, 1.0 + line * tolerance, resistors)
                out.append(Variant(name, changed))
    return tuple(out)


def _signed(share: float) -> str:
    return f"{100 * share:+.0f} %".replace("-", "−")


@dataclass(frozen=True, slots=True)
class Found:
    """What a sweep says against requirements.

    Attributes
    ----------
    margin : (v, w) the worst normalised margin over requirements and variants; NaN where none
    best : (i, j) of the largest; holds : (low, high) of the widest range of the first value that
        holds throughout (at the best second value), None where there is none
    limiting : measure of the requirement that is worst at the best value; `receiver` : where, the
        worst of all there where it does not say
    requirements : all that were swept; parts : (q, v, w), the margin of each
    """

    margin: FloatArray
    best: tuple[int, int]
    holds: tuple[float, float] | None
    limiting: str
    receiver: str
    requirements: tuple[Requirement, ...]
    parts: FloatArray


def search(sweep: SweepResult, requirements: Sequence[Requirement]) -> Found | None:
    """Hold a sweep against what a path must hold; None where nothing swept is required."""
    swept = [
        r
        for r in requirements
        if r.measure in CORNER_MEASURES and (r.receiver is None or r.receiver in sweep.receivers)
    ]
    if not swept:
        return None
    each = [_margins(sweep, r) for r in swept]
    parts = np.stack([margins.min(axis=(0, 1)) for margins in each])
    margin = parts.min(axis=0)
    usable = np.where(np.isfinite(margin), margin, -np.inf)
    i, j = np.unravel_index(int(np.argmax(usable)), usable.shape)
    worst = int(np.argmin(parts[:, i, j]))
    limiting = swept[worst]
    where = limiting.receiver
    if where is None:
        where = sweep.receivers[int(each[worst][:, :, i, j].min(axis=1).argmin())]
    return Found(
        margin=margin,
        best=(int(i), int(j)),
        holds=_widest(sweep.values, usable[:, j]),
        limiting=limiting.measure,
        receiver=where,
        requirements=tuple(swept),
        parts=parts,
    )


def refined(values: Sequence[float], best: int, count: int = 8) -> tuple[float, ...]:
    """The values and more of them on both sides of the best one."""
    low, high = values[max(best - 1, 0)], values[min(best + 1, len(values) - 1)]
    more = np.linspace(low, high, count + 2)[1:-1]
    return tuple(sorted({*values, *(float(v) for v in more)}))


def _margins(sweep: SweepResult, requirement: Requirement) -> FloatArray:
    """Normalised margins (r, k, v, w) at the receivers that a requirement is about, of the edge
    that is nearest to a limit."""
    at = slice(None)
    if requirement.receiver is not None:
        k = sweep.receivers.index(requirement.receiver)
        at = slice(k, k + 1)

    def one(value: float) -> float:
        return margin_of(requirement, _Measured(value, "", "")).normalised

    def margins(key: str) -> FloatArray:
        values = sweep.by_receiver[at, COLUMNS.index(key)]
        return np.asarray(np.vectorize(one, otypes=[float])(values))

    ends = [margins(end) for end in ends_of(requirement.measure)]
    return np.asarray(np.minimum.reduce(ends))


def _widest(values: FloatArray, margin: FloatArray) -> tuple[float, float] | None:
    """Widest range over which the margin is not negative, its ends between two values."""
    best: tuple[float, float] | None = None
    k = 0
    while k < len(values):
        if margin[k] < 0.0:
            k += 1
            continue
        first = k
        while k + 1 < len(values) and margin[k + 1] >= 0.0:
            k += 1
        low, high = _edge(values, margin, first, -1), _edge(values, margin, k, 1)
        if best is None or high - low > best[1] - best[0]:
            best = (low, high)
        k += 1
    return best


def _edge(values: FloatArray, margin: FloatArray, k: int, step: int) -> float:
    other = k + step
    if not 0 <= other < len(values) or not np.isfinite(margin[other]):
        return float(values[k])
    share = margin[k] / (margin[k] - margin[other])
    return float(values[k] + share * (values[other] - values[k]))
