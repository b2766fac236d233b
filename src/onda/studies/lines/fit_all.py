"""Study `fit_all`: width and gap of every class on every layer, within what can be made."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from onda.errors import OndaError
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.model import Design, Project
from onda.project.quantities import quantity
from onda.studies.core.study import Control, Study
from onda.studies.lines.fit import FIT, Bounds, FitInputs, with_dimension
from onda.studies.lines.inputs import LineInputs, line_inputs
from onda.studies.lines.solved_line import quick_impedance

__all__ = [
    "FIT_ALL",
    "FitAllInputs",
    "FitAllResult",
    "Fitted",
    "Wanted",
    "fit_all_inputs",
    "with_fitted",
]

_WIDEST = 5e-3
_STEP = 1e-6
"""Widths and gaps are rounded to this."""


@dataclass(frozen=True, slots=True)
class Wanted:
    """A class on a layer: its line, target (ohm), and the least width and gap that can be etched.

    `steps`: widths and gaps (m) at which the price falls, from the dearest on; 0 where none.
    """

    line_class: str
    layer: str
    line: LineInputs
    target: float
    least_width: float
    least_gap: float
    steps: tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class FitAllInputs:
    """Everything to fit."""

    wanted: tuple[Wanted, ...]


@dataclass(frozen=True, slots=True)
class Fitted:
    """What a class came to on a layer; `problem` says why there is no width."""

    line_class: str
    layer: str
    width: float
    gap: float | None
    reached: float
    problem: str


@dataclass(frozen=True, slots=True)
class FitAllResult:
    """All classes on all layers, in order."""

    fitted: tuple[Fitted, ...]


def with_fitted(project: Project, fitted: tuple[Fitted, ...]) -> tuple[Project, list[str]]:
    """The project with fitted widths and gaps, and what could not be fitted and why."""
    problems = []
    for f in fitted:
        c = project.design.line_class(f.line_class)
        if f.problem:
            problems.append(f"{c.name} on {f.layer}: {f.problem}")
            continue
        trace = c.trace_on(f.layer)
        if trace is None:
            continue
        changes: dict[str, Any] = {"width": quantity(f.width, "length", "um", 6)}
        if f.gap is not None and trace.gap is not None:
            changes["gap"] = quantity(f.gap, "length", "um", 6)
        new = set_value(trace, **changes)
        on = tuple(new if t.layer == f.layer else t for t in c.on)
        project = replace_object(project, set_value(c, on=on))
    return project, problems


def fit_all_inputs(design: Design, only: str = "") -> FitAllInputs:
    """Slice of everything that is routed, or of one class alone.

    Raises
    ------
    OndaError : a class lies where it cannot be
    """
    made = design.stackup.fabrication
    out = []
    for c in design.line_classes:
        for t in c.on if only in ("", c.id) else ():
            copper = design.stackup.place(t.layer).copper
            limit = made.limit_for(copper.thickness.si)
            steps = sorted(made.steps, key=lambda s: s.factor)
            out.append(
                Wanted(
                    c.id,
                    t.layer,
                    line_inputs(design, c, t.layer),
                    c.target.si,
                    limit.width.si if limit else 50e-6,
                    limit.gap.si if limit else 50e-6,
                    tuple((s.width.si, s.gap.si) for s in steps),
                )
            )
    return FitAllInputs(tuple(out))


def _fit(wanted: Wanted, least_width: float, gap: float | None) -> tuple[float, float]:
    """A width that can be drawn, m, and what the line has with it, ohm."""
    line = wanted.line if gap is None else with_dimension(wanted.line, "gap", gap)
    low = max(least_width, 2.05 * line.trace.undercut)
    asked = FitInputs(line, (Bounds("width", low, _WIDEST),), (("z", wanted.target),))
    width = round(FIT.run(asked, Control()).values[0] / _STEP) * _STEP
    return width, quick_impedance(with_dimension(line, "width", width))


def _one(wanted: Wanted) -> Fitted:
    """The cheapest width first; the gap stays unless it lies below what can be etched."""
    gap = wanted.line.trace.gap
    tries: list[tuple[float, float]] = [
        (max(w, wanted.least_width), max(g, wanted.least_gap)) for w, g in wanted.steps
    ]
    tries.append((wanted.least_width, wanted.least_gap))
    problem = ""
    for least_width, least_gap in tries:
        wider = None if gap is None else max(gap, least_gap)
        try:
            width, reached = _fit(wanted, least_width, wider)
        except OndaError as error:
            problem = str(error)
            continue
        return Fitted(wanted.line_class, wanted.layer, width, wider, reached, "")
    return Fitted(
        wanted.line_class, wanted.layer, wanted.line.trace.width, gap, float("nan"), problem
    )


def _run(inputs: FitAllInputs, control: Control) -> FitAllResult:
    out = []
    for k, wanted in enumerate(inputs.wanted):
        out.append(_one(wanted))
        control.progress((k + 1) / len(inputs.wanted))
    return FitAllResult(tuple(out))


FIT_ALL: Study[FitAllInputs, FitAllResult] = Study(
    "fit_all", _run, FitAllResult, keep_on_disk=False, title="Widths of all classes"
)
