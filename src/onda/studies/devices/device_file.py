"""Study `device_file`: read a device file and say what is in it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from onda.formats.ibis.model import IbisFile, IbisModel
from onda.project.files import Content
from onda.studies.core.study import Control, Study
from onda.studies.devices.use import models_in

__all__ = ["DEVICE_FILE", "DeviceFileInputs", "DeviceSummary", "ModelBrief", "PinBrief"]


@dataclass(frozen=True, slots=True)
class DeviceFileInputs:
    """A file of device models, or a two-port."""

    content: Content


@dataclass(frozen=True, slots=True)
class ModelBrief:
    """A model by name, and what it can do."""

    name: str
    drives: bool
    receives: bool


@dataclass(frozen=True, slots=True)
class PinBrief:
    """A pin of a component with its signal; (model, note) that it can be."""

    component: str
    pin: str
    signal: str
    choices: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class DeviceSummary:
    """What is in the file; (component, pin, model) of the first that drives and that listens."""

    models: tuple[ModelBrief, ...]
    pins: tuple[PinBrief, ...]
    errors: int
    cautions: int
    first_driver: tuple[str, str, str] | None
    first_receiver: tuple[str, str, str] | None


def _first_model(file: IbisFile, fits: Callable[[IbisModel], bool]) -> tuple[str, str, str] | None:
    """(component, pin, model) of the first pin that fits; no pin where only a model does."""
    for component in file.components.values():
        for pin in component.pins.values():
            for name, _ in file.choices(pin.model):
                if name in file.models and fits(file.models[name]):
                    return component.name, pin.name, name
    plain = next((m.name for m in file.models.values() if fits(m)), None)
    return None if plain is None else ("", "", plain)


def _run(inputs: DeviceFileInputs, control: Control) -> DeviceSummary:
    file = models_in(inputs.content)
    kinds = [r.kind for r in file.remarks]
    return DeviceSummary(
        tuple(ModelBrief(m.name, m.drives, m.receives) for m in file.models.values()),
        tuple(
            PinBrief(c.name, pin.name, pin.signal, tuple(choices))
            for c in file.components.values()
            for pin in c.pins.values()
            if (choices := file.choices(pin.model))
        ),
        kinds.count("error"),
        kinds.count("caution"),
        _first_model(file, lambda m: m.drives),
        _first_model(file, lambda m: m.receives),
    )


DEVICE_FILE: Study[DeviceFileInputs, DeviceSummary] = Study(
    "device_file", _run, DeviceSummary, keep_on_disk=False, title="Device file"
)
