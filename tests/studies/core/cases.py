"""Studies for the tests of the runner: module-level, so that they run in other processes too."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from onda.errors import NotPhysical
from onda.studies.core.study import Case, Control, Study


@dataclass(frozen=True, slots=True)
class Number:
    value: float


@dataclass(frozen=True, slots=True)
class Marked:
    """A value, and a folder in which each run leaves a mark."""

    value: float
    folder: str


def _square(inputs: Marked, control: Control) -> Number:
    folder = Path(inputs.folder)
    mark = folder / f"{inputs.value:g}-{os.getpid()}-{time.monotonic_ns()}"
    mark.write_text("ran")
    if inputs.value == 13.0:
        raise NotPhysical("value", 13.0, "lucky")
    control.progress(0.5)
    return Number(inputs.value**2)


SQUARE: Study[Marked, Number] = Study("square", _square, Number)


def _dies_once(inputs: Marked, control: Control) -> Number:
    """The first run of the value 3 takes its whole process along, half way through."""
    folder = Path(inputs.folder)
    ran = len(list(folder.glob(f"{inputs.value:g}-*")))
    (folder / f"{inputs.value:g}-{os.getpid()}-{ran}").write_text("ran")
    time.sleep(0.3)
    if inputs.value == 3.0 and ran == 0:
        os.kill(os.getpid(), signal.SIGKILL)
    return Number(inputs.value**2)


DIES_ONCE: Study[Marked, Number] = Study("dies_once", _dies_once, Number)


@dataclass(frozen=True, slots=True)
class Batch:
    values: tuple[float, ...]
    folder: str


@dataclass(frozen=True, slots=True)
class Total:
    value: float
    parts: tuple[float, ...]


def _split(inputs: Batch) -> Sequence[Case]:
    return [Case(SQUARE, Marked(v, inputs.folder)) for v in inputs.values]


def _split_dying(inputs: Batch) -> Sequence[Case]:
    return [Case(DIES_ONCE, Marked(v, inputs.folder)) for v in inputs.values]


def _gather(inputs: Batch, found: Sequence[Number]) -> Total:
    return Total(sum(f.value for f in found), tuple(f.value for f in found))


def _whole(inputs: Batch, control: Control) -> Total:
    raise AssertionError("a study made of cases is not run whole")


SUM: Study[Batch, Total] = Study("sum", _whole, Total, split=_split, gather=_gather)
SUM_DYING: Study[Batch, Total] = Study(
    "sum_dying", _whole, Total, split=_split_dying, gather=_gather
)


def marks(folder: Path) -> dict[float, int]:
    """How often each value was run."""
    out: dict[float, int] = {}
    for path in folder.iterdir():
        value = float(path.name.split("-")[0])
        out[value] = out.get(value, 0) + 1
    return out
