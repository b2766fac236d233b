"""Study `path_sweep`: measures of a path against one or two values, at one corner or all."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.receiver_measures import SMALL_IS_BAD, ReceiverMeasures
from onda.errors import InputError
from onda.studies.core.study import Control, Study
from onda.studies.paths.inputs import (
    BranchItem,
    CableItem,
    PathInputs,
    PathItem,
    ResistorItem,
    ShuntItem,
    TermInputs,
    TraceItem,
    with_items,
)
from onda.studies.paths.run import measure_receivers, run_path

__all__ = [
    "CORNER_MEASURES",
    "PATH_SWEEP",
    "SweepInputs",
    "SweepResult",
    "Variant",
    "measures_with",
    "resistor_range",
    "with_value",
]

CORNER_MEASURES = (
    "overshoot", "undershoot", "settling", "edge_time", "delay", "ring_back", "reversal",
    "over_area", "slew", "flight_time", "pulse_width",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Variant:
    """One path to run in a sweep, and what it is called: a corner, a strength, a layout."""

    name: str
    path: PathInputs


@dataclass(frozen=True, slots=True)
class SweepInputs:
    """Variants, each with `element` set to each of `values` (SI, of its main quantity).

    A second element makes it a field: `values` by `values_2`.
    """

    variants: tuple[Variant, ...]
    element: str
    values: tuple[float, ...]
    element_2: str = ""
    values_2: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class SweepResult:
    """Measures at each value.

    Attributes
    ----------
    values : (v,); values_2 : (w,), one NaN where only one element is swept
    names : of the variants, k
    measures : (m, k, v, w) in the order of `CORNER_MEASURES`, the worst over all receivers
    waves : (k, v, n) V at the last receiver, at the first of values_2; time : (n,) s
    """

    values: NDArray[np.float64]
    values_2: NDArray[np.float64]
    names: tuple[str, ...]
    measures: NDArray[np.float64]
    time: NDArray[np.float64]
    waves: NDArray[np.float32]

    def of(self, measure: str) -> NDArray[np.float64]:
        """A measure (v, w): the worst over the variants."""
        values = self.measures[CORNER_MEASURES.index(measure)]
        return np.asarray(values.min(axis=0) if measure in SMALL_IS_BAD else values.max(axis=0))

    @property
    def overshoot(self) -> NDArray[np.float64]:
        """Overshoot (v,), the worst over the variants."""
        return self.of("overshoot")[:, 0]


def resistor_range(line_impedance: float) -> tuple[float, ...]:
    """Values worth trying for a line: from nothing to half as much again."""
    return tuple(float(v) for v in np.linspace(0.0, 1.5 * line_impedance, 20))


def with_value(inputs: PathInputs, element: str, value: float) -> PathInputs:
    """The same path with the main quantity of one element set: ohm of a resistor or termination,
    metres of a piece of line, ohm of the driver.

    Raises
    ------
    InputError : the element has no quantity to sweep
    """
    if element == "driver":
        return replace(inputs, driver_resistance=max(value, 1e-3))
    if element == inputs.end.id:
        return replace(
            inputs, end=replace(inputs.end, termination=_termed(inputs.end.termination, value))
        )
    done = False

    def change(item: PathItem) -> PathItem:
        nonlocal done
        if item.id != element:
            return item
        done = True
        match item:
            case ResistorItem():
                return replace(item, value=value)
            case TraceItem() | CableItem():
                return replace(item, length=max(value, 1e-6))
            case ShuntItem():
                return replace(item, termination=_termed(item.termination, value))
            case BranchItem():
                end = replace(item.end, termination=_termed(item.end.termination, value))
                return replace(item, end=end)
        raise InputError("has no value to sweep", where=element)

    changed = with_items(inputs, change)
    if not done:
        raise InputError("is not in this path", where=element)
    return changed


def _termed(term: TermInputs, value: float) -> TermInputs:
    if term.r is None:
        raise InputError("no resistor ends the line there", remedy="Choose a termination first.")
    # A split termination keeps its ratio.
    low = None if term.r_low is None else term.r_low * value / term.r
    return replace(term, r=max(value, 1e-3), r_low=low)


def measures_with(inputs: PathInputs, element: str, value: float) -> list[ReceiverMeasures]:
    """Measures at every receiver with one element set to a value."""
    return measure_receivers(run_path(with_value(inputs, element, value)))


def _worst(measures: list[ReceiverMeasures], name: str) -> float:
    values = [float(getattr(m, name)) for m in measures]
    return min(values) if name in SMALL_IS_BAD else max(values)


def _run(inputs: SweepInputs, control: Control) -> SweepResult:
    second = inputs.values_2 or (float("nan"),)
    shape = (len(CORNER_MEASURES), len(inputs.variants), len(inputs.values), len(second))
    found = np.full(shape, np.nan)
    samples = 400
    end = inputs.variants[0].path.window
    time = np.linspace(0.0, end, samples)
    waves = np.zeros((len(inputs.variants), len(inputs.values), samples), dtype=np.float32)
    places = list(np.ndindex(*shape[1:]))

    def one(place: tuple[int, ...]) -> None:
        k, i, j = place
        path = with_value(inputs.variants[k].path, inputs.element, inputs.values[i])
        if inputs.element_2:
            path = with_value(path, inputs.element_2, second[j])
        run = run_path(path)
        measures = measure_receivers(run)
        for m, name in enumerate(CORNER_MEASURES):
            found[m, k, i, j] = _worst(measures, name)
        if j == 0:
            load = run.solution.node(run.built.load)
            waves[k, i] = np.interp(time, run.solution.time, load)

    # The time stepping gives the interpreter free, so that threads use all cores.
    with ThreadPoolExecutor(max_workers=os.cpu_count() or 1) as pool:
        try:
            for done, _ in enumerate(pool.map(one, places), start=1):
                control.progress(done / len(places))
        except BaseException:
            pool.shutdown(wait=False, cancel_futures=True)
            raise
    return SweepResult(
        values=np.array(inputs.values),
        values_2=np.array(second),
        names=tuple(v.name for v in inputs.variants),
        measures=found,
        time=time,
        waves=waves,
    )


PATH_SWEEP: Study[SweepInputs, SweepResult] = Study("path_sweep", _run, (SweepResult,))
