"""Study `path_sweep`: measures of a path against one or two values, at one corner or all.

Every value at every corner is a case of its own: it is run and kept by itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.receiver_measures import ReceiverMeasures, ends_of
from onda.errors import InputError
from onda.project.measures import measure
from onda.studies.core.study import Case, Control, Study, compute
from onda.studies.paths.items import Item, PathInputs, with_items
from onda.studies.paths.run import measure_receivers, run_path

__all__ = [
    "COLUMNS",
    "CORNER_MEASURES",
    "PATH_POINT",
    "PATH_SWEEP",
    "PointInputs",
    "PointResult",
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
COLUMNS = tuple(
    dict.fromkeys((*CORNER_MEASURES, *(end for m in CORNER_MEASURES for end in ends_of(m))))
)
"""What is kept of every point: these, and some of them at the edge at their other end."""
_SAMPLES = 400


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
    receivers : ids, r; receiver_names : as they are shown
    by_receiver : (r, m, k, v, w) in the order of `COLUMNS`; NaN where a receiver has none
    waves : (r, k, v, n) V at the receivers, at the first of values_2; time : (n,) s
    """

    values: NDArray[np.float64]
    values_2: NDArray[np.float64]
    names: tuple[str, ...]
    receivers: tuple[str, ...]
    receiver_names: tuple[str, ...]
    by_receiver: NDArray[np.float64]
    time: NDArray[np.float64]
    waves: NDArray[np.float32]

    @property
    def shape(self) -> tuple[int, int, int]:
        """Variants, values, second values."""
        k, v, w = self.by_receiver.shape[2:]
        return k, v, w

    def measured(self, key: str, receiver: str | None) -> NDArray[np.float64]:
        """A measure (k, v, w) at a receiver, at the worst of all where None."""
        values = self.by_receiver[:, COLUMNS.index(key)]
        if receiver is not None:
            return np.asarray(values[self.receivers.index(receiver)])
        smaller = measure(key).worse == "smaller"
        return np.asarray(values.min(axis=0) if smaller else values.max(axis=0))

    def of(self, key: str) -> NDArray[np.float64]:
        """A measure (v, w): the worst over the variants, NaN where one of them has none."""
        values = self.measured(key, None)
        smaller = measure(key).worse == "smaller"
        return np.asarray(values.min(axis=0) if smaller else values.max(axis=0))

    @property
    def overshoot(self) -> NDArray[np.float64]:
        """Overshoot (v,), the worst over the variants."""
        return self.of("overshoot")[:, 0]


@dataclass(frozen=True, slots=True)
class PointInputs:
    """One value of a sweep: a path as it is there, and until when (s) its wave is looked at."""

    path: PathInputs
    window: float


@dataclass(frozen=True, slots=True)
class PointResult:
    """Of each receiver its id and name, measures (r, m) in the order of `COLUMNS`, and the
    wave (r, n) V."""

    receivers: tuple[str, ...]
    names: tuple[str, ...]
    measures: NDArray[np.float64]
    waves: NDArray[np.float32]


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
        termination = inputs.end.termination.with_value(value)
        return replace(inputs, end=replace(inputs.end, termination=termination))
    if all(item.id != element for item in inputs.every_item):
        raise InputError("is not in this path", where=element)

    def change(item: Item) -> Item:
        return item.with_value(value) if item.id == element else item

    return with_items(inputs, change)


def measures_with(inputs: PathInputs, element: str, value: float) -> list[ReceiverMeasures]:
    """Measures at every receiver with one element set to a value."""
    return measure_receivers(run_path(with_value(inputs, element, value)))


def _run_point(inputs: PointInputs, control: Control) -> PointResult:
    run = run_path(inputs.path, control)
    measures = measure_receivers(run)
    time = np.linspace(0.0, inputs.window, _SAMPLES)
    ends = run.built.ends
    waves = [np.interp(time, run.solution.time, run.solution.node(end.die)) for end in ends]
    found = [[float(getattr(m, key)) for key in COLUMNS] for m in measures]
    return PointResult(
        tuple(end.id for end in ends),
        tuple(end.name for end in ends),
        np.array(found),
        np.array(waves, dtype=np.float32),
    )


PATH_POINT: Study[PointInputs, PointResult] = Study(
    "path_point", _run_point, PointResult, keep_on_disk=False, title="Point of the sweep"
)


def _split(inputs: SweepInputs) -> Sequence[Case]:
    window = inputs.variants[0].path.window
    out = []
    for variant in inputs.variants:
        for value in inputs.values:
            path = with_value(variant.path, inputs.element, value)
            for second in inputs.values_2 or (None,):
                at = path if second is None else with_value(path, inputs.element_2, second)
                out.append(Case(PATH_POINT, PointInputs(at, window)))
    return out


def _gather(inputs: SweepInputs, found: Sequence[PointResult]) -> SweepResult:
    second = inputs.values_2 or (float("nan"),)
    shape = (len(inputs.variants), len(inputs.values), len(second))
    ids = found[0].receivers
    table = np.array([p.measures for p in found]).reshape((*shape, len(ids), len(COLUMNS)))
    waves = np.array([p.waves for p in found]).reshape((*shape, len(ids), _SAMPLES))
    return SweepResult(
        values=np.array(inputs.values),
        values_2=np.array(second),
        names=tuple(v.name for v in inputs.variants),
        receivers=ids,
        receiver_names=found[0].names,
        by_receiver=np.moveaxis(table, (-2, -1), (0, 1)),
        time=np.linspace(0.0, inputs.variants[0].path.window, _SAMPLES),
        waves=np.moveaxis(waves[:, :, 0], -2, 0),
    )


def _run(inputs: SweepInputs, control: Control) -> SweepResult:
    return compute(PATH_SWEEP, inputs, control)


PATH_SWEEP: Study[SweepInputs, SweepResult] = Study(
    "path_sweep", _run, SweepResult, split=_split, gather=_gather, title="Sweep"
)
