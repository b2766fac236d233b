"""Study `device_file`: read a device file and say what is in it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from onda.formats.ibis.model import IbisFile, IbisModel
from onda.project.files import device_models
from onda.project.model import DeviceFile
from onda.studies.core.study import Control, Study

__all__ = ["DEVICE_FILE", "DeviceFileInputs", "DeviceSummary", "first_model"]


@dataclass(frozen=True, slots=True)
class DeviceFileInputs:
    """A file on the shelf, by the path that it is known under and its hash."""

    path: str
    sha256: str


@dataclass(frozen=True, slots=True)
class DeviceSummary:
    """Models of the file; (component, pin, model) of the first that drives and that listens."""

    models: tuple[str, ...]
    errors: int
    cautions: int
    first_driver: tuple[str, str, str] | None
    first_receiver: tuple[str, str, str] | None


def first_model(file: IbisFile, fits: Callable[[IbisModel], bool]) -> tuple[str, str, str] | None:
    """(component, pin, model) of the first pin that fits; no pin where only a model does."""
    for component in file.components.values():
        for pin in component.pins.values():
            for name, _ in file.choices(pin.model):
                if name in file.models and fits(file.models[name]):
                    return component.name, pin.name, name
    plain = next((m.name for m in file.models.values() if fits(m)), None)
    return None if plain is None else ("", "", plain)


def _run(inputs: DeviceFileInputs, control: Control) -> DeviceSummary:
    file = device_models(DeviceFile(id="file", path=inputs.path, sha256=inputs.sha256))
    kinds = [r.kind for r in file.remarks]
    return DeviceSummary(
        tuple(file.models),
        kinds.count("error"),
        kinds.count("caution"),
        first_model(file, lambda m: m.drives),
        first_model(file, lambda m: m.receives),
    )


DEVICE_FILE: Study[DeviceFileInputs, DeviceSummary] = Study(
    "device_file", _run, (DeviceSummary,), keep_on_disk=False
)
