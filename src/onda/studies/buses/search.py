"""Study `bus_search`: what every choice of strengths and terminations would bring to a case."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.buses.bus import Bus, EndSetting, Operation
from onda.project.files import Content, content_of
from onda.project.model import Design
from onda.studies.buses.bus import BUS, BusResult
from onda.studies.buses.inputs import BusInputs, WaveInputs, bus_inputs
from onda.studies.buses.plan import alone
from onda.studies.core.study import Case, Control, Study, compute
from onda.studies.devices.use import models_in
from onda.studies.paths.ends import EndInputs
from onda.studies.paths.items import PathInputs, with_ends

__all__ = ["BUS_SEARCH", "BusSearch", "SearchInputs", "search_inputs", "with_models"]

FloatArray = NDArray[np.float64]
_MOST = 400
"""Choices that are tried."""
_FLAT = 0.1
"""Share of the best margin within which another choice is nearly as good."""


@dataclass(frozen=True, slots=True)
class _Chosen:
    """A device whose model is chosen: the end where it is, the file of its models, whether it
    drives, and the model that it is now."""

    id: str
    name: str
    end: str
    file: Content
    drives: bool
    model: str

    @property
    def models(self) -> tuple[str, ...]:
        """What it could be: models of its file that drive, or that receive."""
        file = models_in(self.file)
        fits = (m for m in file.models.values() if (m.drives if self.drives else m.receives))
        return tuple(m.name for m in fits)


@dataclass(frozen=True, slots=True)
class SearchInputs:
    """Devices whose models are tried, and the cases as they are now."""

    devices: tuple[_Chosen, ...]
    present: BusInputs

    @property
    def now(self) -> tuple[str, ...]:
        """The model that each device is now."""
        return tuple(d.model for d in self.devices)

    def choices(self) -> tuple[tuple[str, ...], ...]:
        """Every choice of models; what is there now need not be among what is sensible.

        Reads the device files, which is no work for the window's thread.

        Raises
        ------
        InputError : there is nothing to choose from, or too much of it
        """
        models = [d.models or (d.model,) for d in self.devices]
        count = math.prod(map(len, models))
        if count < 2:
            raise InputError(
                "nothing to choose from", remedy="Give the ends of the path device files in Paths."
            )
        if count > _MOST:
            raise InputError(
                f"{count} choices of strengths and terminations, at most {_MOST} are tried",
                remedy="Leave models that are never meant out of the device files.",
            )
        return tuple(dict.fromkeys((*product(*models), self.now)))

    def with_choice(self, choice: tuple[str, ...]) -> BusInputs:
        """The cases with other models of the devices."""
        models = {d.end: model for d, model in zip(self.devices, choice, strict=True)}

        def over(wave: WaveInputs) -> WaveInputs:
            return replace(wave, path=_with_models(wave.path, models))

        return replace(
            self.present,
            cases=tuple(
                replace(c, data=over(c.data), strobe=replace(c.strobe, wave=over(c.strobe.wave)))
                for c in self.present.cases
            ),
        )


def _with_models(path: PathInputs, models: Mapping[str, str]) -> PathInputs:
    def changed(end: EndInputs) -> EndInputs:
        model = models.get(end.id)
        if model is None or end.device is None:
            return end
        return replace(end, device=replace(end.device, model=model))

    return replace(with_ends(path, changed), driver=changed(path.driver))


@dataclass(frozen=True, slots=True, eq=False)
class BusSearch:
    """What choices bring.

    Attributes
    ----------
    ids, devices : of the devices, and their names; choices : the model of each
    setup, hold, height : (n,) least of all corners, s and V; NaN where a case has no answer
    now : number of the present choice
    """

    ids: tuple[str, ...]
    devices: tuple[str, ...]
    choices: tuple[tuple[str, ...], ...]
    setup: FloatArray
    hold: FloatArray
    height: FloatArray
    now: int

    @property
    def worst(self) -> FloatArray:
        """The smaller of both margins (n,), s; minus infinity where a case has no answer."""
        return np.nan_to_num(np.minimum(self.setup, self.hold), nan=-math.inf)

    @property
    def order(self) -> list[int]:
        """Numbers of the choices, the best first; of equal ones the one tried first."""
        return [int(k) for k in np.argsort(-self.worst, kind="stable")]

    @property
    def best(self) -> int:
        """Number of the best choice."""
        return self.order[0]

    @property
    def near(self) -> int:
        """How many choices, the best one too, come within a tenth of the best margin."""
        most = float(self.worst[self.best])
        if not math.isfinite(most):
            return 0
        return int(np.sum(self.worst >= most - _FLAT * abs(most)))

    @property
    def steepest(self) -> tuple[str, float]:
        """The device whose other models cost the best choice most, and what its least costly other
        model costs, s: how flat it is around the best."""
        best, worst = self.choices[self.best], self.worst
        costs = {}
        for k, device in enumerate(self.devices):
            others = [
                float(worst[self.best] - worst[n])
                for n, one in enumerate(self.choices)
                if [i for i, (a, b) in enumerate(zip(one, best, strict=True)) if a != b] == [k]
            ]
            if others:
                costs[device] = min(others)
        if not costs:
            return "", 0.0
        device = max(costs, key=lambda d: costs[d])
        return device, costs[device]


def with_models(operation: Operation, devices: Sequence[str], models: Sequence[str]) -> Operation:
    """An operation with other models of some devices; without a name that of the path."""
    rest = tuple(s for s in operation.settings if s.id not in devices)
    new = (EndSetting(id=d, model=m) for d, m in zip(devices, models, strict=True) if m)
    return set_value(operation, settings=(*rest, *new))


def search_inputs(design: Design, bus: Bus, operation: str, signal: str) -> SearchInputs:
    """Slice for all models that the devices of a bus can be in an operation, seen by a signal.

    Raises
    ------
    InputError : there is no such operation, or a file that a device needs is nowhere
    """
    only = alone(bus, operation, signal)
    (found,) = only.operations
    path = design.path(bus.signal(signal).path)
    devices = []
    for device in bus.devices:
        use = path.end(device.end).model
        if use is not None:
            file = content_of(design.device_file(use.file))
            model = found.model_of(device.id) or use.model
            drives = device.id == found.drives
            devices.append(_Chosen(device.id, device.name, device.end, file, drives, model))
    return SearchInputs(tuple(devices), bus_inputs(design, only))


def _split(inputs: SearchInputs) -> Sequence[Case]:
    return [Case(BUS, inputs.with_choice(choice)) for choice in inputs.choices()]


def _gather(inputs: SearchInputs, found: Sequence[BusResult | None]) -> BusSearch:
    def least(name: str) -> FloatArray:
        return np.array([math.nan if r is None else r.least(name) for r in found])

    choices = inputs.choices()
    return BusSearch(
        tuple(d.id for d in inputs.devices), tuple(d.name for d in inputs.devices), choices,
        least("setup"), least("hold"), least("height"), choices.index(inputs.now),
    )  # fmt: skip


def _run(inputs: SearchInputs, control: Control) -> BusSearch:
    return compute(BUS_SEARCH, inputs, control)


BUS_SEARCH: Study[SearchInputs, BusSearch] = Study(
    "bus_search", _run, BusSearch, split=_split, gather=_gather, title="Search of terminations"
)
