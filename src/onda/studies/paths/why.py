"""Study `path_why`: one thing at a time is taken away, and what that changes is told.

It answers why a net rings: a receiver by a pure probe, a via, a part or a branch by nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.errors import OndaError
from onda.project.measures import measure
from onda.project.quantities import fixed
from onda.studies.core.study import Control, Study
from onda.studies.paths.ends import EndInputs, device_at
from onda.studies.paths.items import PathInputs, with_items
from onda.studies.paths.run import measure_receivers, run_path

__all__ = ["PATH_WHY", "Replacement", "WhyInputs", "WhyResult", "replacements"]

FloatArray = NDArray[np.float64]
_TOLD_SECONDS, _TOLD_VOLTS = 1e-12, 2e-3
"""Less than this is not spoken of."""
_HELPS = 0.01
"""Share of a value by which a removal must better it to be offered."""


@dataclass(frozen=True, slots=True)
class WhyInputs:
    """A path, the receiver whose waveform is compared, and the measure that is to be explained."""

    path: PathInputs
    receiver: str
    measure: str = "overshoot"


@dataclass(frozen=True, slots=True)
class Replacement:
    """What one replacement changes at the receiver.

    The change of the waveform is that of its shape: it is taken after both edges lie over one
    another at the middle, for an edge that only comes at another time rings no more and no less.

    Attributes
    ----------
    element : id of what was replaced; what : in words
    value : of the measure, with the replacement; gain : by how much that is better, in its unit
    largest : V, largest change of the shape, and `at` : s, when
    earlier : s, by how much the edge comes before the one as it is; 0 where one has no delay
    faster : s, by how much it is shorter from 10 to 90 %; 0 where one has no such time
    level : V, by how much the high level moves
    waveform : (n,) V with the replacement, at its own time
    """

    element: str
    what: str
    value: float
    gain: float
    largest: float
    at: float
    earlier: float
    faster: float
    level: float
    waveform: FloatArray

    @property
    def sentence(self) -> str:
        """The largest change of the shape, then what it does to time, slope and level."""
        return " ".join([self._shape, *self._besides])

    @property
    def _besides(self) -> list[str]:
        without = [
            _moved(self.earlier, "comes {} earlier", "comes {} later"),
            _moved(self.faster, "is {} faster", "is {} slower"),
        ]
        said = [w for w in without if w]
        out = [f"Without it the edge {' and '.join(said)}."] if said else []
        if abs(self.level) > _TOLD_VOLTS:
            out.append(f"The high level moves by {fixed(self.level * 1e3, 0, sign=True)} mV.")
        return out

    @property
    def _shape(self) -> str:
        size, when = f"{abs(self.largest) * 1e3:.0f} mV", f"{self.at * 1e9:.2f} ns"
        if self.largest > 0:
            return f"The dip of {size} at {when} comes from {self.what}."
        what = self.what[0].upper() + self.what[1:]
        return f"{what} lifts the waveform by {size} at {when}."


@dataclass(frozen=True, slots=True)
class WhyResult:
    """Replacements that help, from the most to the least, and those that do not.

    `receiver` is the name of where, `measure` what is explained, `value` what it is now.
    """

    receiver: str
    measure: str
    value: float
    time: FloatArray
    waveform: FloatArray
    found: tuple[Replacement, ...]
    others: tuple[Replacement, ...]


def replacements(path: PathInputs) -> list[tuple[str, str, PathInputs]]:
    """(element, in words, the path without it) for everything that can be taken away."""
    out: list[tuple[str, str, PathInputs]] = []
    for item in path.every_item:
        if item.end is not None:
            swapped = with_items(
                path,
                lambda x, at=item: x.with_end(_probe(at.end)) if x is at else x,  # type: ignore[misc]
            )
            out.append((item.id, f"{item.end.name}'s {_capacitance(item.end)}", swapped))
        if item.removal:
            without = with_items(path, lambda x, at=item: None if x.id == at.id else x)  # type: ignore[misc]
            out.append((item.id, item.removal, without))
    last = path.end
    bare = replace(path, end=_probe(last))
    out.append((last.id, f"{last.name}'s {_capacitance(last)}", bare))
    return [entry for entry in out if any(item.is_line for item in entry[2].every_item)]


def _probe(end: EndInputs) -> EndInputs:
    """A pure probe in the place of a device; what ends the line stays."""
    return replace(end, stands_in="probe", device=None, capacitance=0.0, resistance=None)


def _capacitance(end: EndInputs) -> str:
    device = device_at(end)
    c = device.capacitance
    if device.buffer is not None:
        c = device.buffer.c_comp + (device.package[2] if device.package else 0.0)
    return f"{c * 1e12:.2g} pF"


def _moved(seconds: float, more: str, less: str) -> str:
    """In words by how much, empty where it is nothing to speak of."""
    if abs(seconds) < _TOLD_SECONDS:
        return ""
    return (more if seconds > 0.0 else less).format(f"{abs(seconds) * 1e12:.0f} ps")


def _difference(before: float, after: float) -> float:
    """Before less after; 0 where one of them is not known."""
    return 0.0 if math.isnan(before) or math.isnan(after) else before - after


def _gain(key: str, before: float, after: float) -> float:
    """By how much a value is better than another; what only then has a value is better than any."""
    if math.isnan(before) or math.isnan(after):
        return 0.0 if math.isnan(after) else math.inf
    return after - before if measure(key).worse == "smaller" else before - after


def _run(inputs: WhyInputs, control: Control) -> WhyResult:
    base = run_path(inputs.path)
    ids = [end.id for end in base.built.ends]
    at = ids.index(inputs.receiver) if inputs.receiver in ids else len(ids) - 1
    as_is = measure_receivers(base)[at]
    now = float(getattr(as_is, inputs.measure))
    time, waveform = base.solution.time, base.solution.node(base.built.ends[at].die)
    shown = np.linspace(0.0, float(time[-1]), min(len(time), 600))
    waveform = np.interp(shown, time, waveform)
    found = []
    todo = replacements(inputs.path)
    for k, (element, what, path) in enumerate(todo):
        control.progress((k + 1) / len(todo))
        try:
            run = run_path(path)
        except OndaError:
            # Without it there may be no path to ground any more; then it explains nothing.
            continue
        end = next((e for e in run.built.ends if e.id == ids[at]), None)
        if end is None:
            continue
        index = run.built.ends.index(end)
        m = measure_receivers(run)[index]
        value = float(getattr(m, inputs.measure))
        volts = run.solution.node(end.die)
        earlier = _difference(as_is.delay, m.delay)
        at_other = shown - earlier
        # Beyond the end of its window the other waveform is not known and not compared.
        known = at_other <= run.solution.time[-1]
        aligned = np.interp(at_other, run.solution.time, volts)
        difference = np.where(known, aligned - waveform, 0.0)
        k_most = int(np.argmax(np.abs(difference)))
        found.append(
            Replacement(
                element,
                what,
                value,
                _gain(inputs.measure, now, value),
                float(difference[k_most]),
                float(shown[k_most]),
                earlier,
                _difference(as_is.edge_time, m.edge_time),
                float(run.highs[end.die] - base.highs[base.built.ends[at].die]),
                np.interp(shown, run.solution.time, volts),
            )
        )
    found.sort(key=lambda r: (-r.gain, -abs(r.largest)))
    least = _HELPS * (abs(now) if math.isfinite(now) else 0.0)
    helping = tuple(r for r in found if r.gain > least)
    others = tuple(r for r in found if r.gain <= least)
    return WhyResult(
        base.built.ends[at].name, inputs.measure, now, shown, waveform, helping, others
    )


PATH_WHY: Study[WhyInputs, WhyResult] = Study("path_why", _run, WhyResult, title="Why")
