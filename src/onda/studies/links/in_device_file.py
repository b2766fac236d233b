"""Study `executables_in`: executable models that a device file names."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from onda.errors import InputError
from onda.formats.ibis.reader import read_ibis
from onda.studies.core.reading import ReadInputs, read_inputs, take
from onda.studies.core.study import Control, Study

__all__ = ["EXECUTABLES", "DeviceExecutable", "DeviceExecutables", "for_end", "named_inputs"]

_LARGEST_BYTES = 256 * 1024 * 1024
_SIDES = {"sender": "tx", "listener": "rx"}


@dataclass(frozen=True, slots=True)
class DeviceExecutable:
    """What an [Algorithmic Model] names: its [Model], the side it is for ("tx", "rx", "" for any),
    and both files, beside the device file."""

    model: str
    side: str
    library: str
    parameters: str


@dataclass(frozen=True, slots=True)
class DeviceExecutables:
    """Those that run on this kind of machine; `others` are platforms of the rest."""

    found: tuple[DeviceExecutable, ...]
    others: tuple[str, ...]


def named_inputs(path: Path) -> ReadInputs:
    """Inputs for a device file; raise `InputError` where it cannot be read."""
    return read_inputs(path, _LARGEST_BYTES)


def _run(inputs: ReadInputs, _: Control) -> DeviceExecutables:
    content = take(inputs)
    file = read_ibis(content.read(), content.name)
    folder = Path(inputs.path).parent
    found, others = [], set()
    for model in file.models.values():
        for one in model.executables:
            platform = one.platform.lower()
            if not (platform.startswith("linux") and platform.endswith("64")):
                others.add(one.platform)
                continue
            names = (one.library, one.parameters)
            if any(Path(name).name != name for name in names):
                raise InputError(
                    f"[Algorithmic Model] of {model.name} names files elsewhere", file=content.name,
                    remedy="They lie beside the device file.",
                )  # fmt: skip
            library, parameters = (str(folder / name) for name in names)
            found.append(DeviceExecutable(model.name, one.side, library, parameters))
    return DeviceExecutables(tuple(found), tuple(sorted(others)))


def for_end(
    found: DeviceExecutables, end: Literal["sender", "listener"], name: str, model: str = ""
) -> tuple[DeviceExecutable, ...]:
    """Those that can be at an end of a link, of one [Model] where it is named.

    Raises
    ------
    InputError : there is none, `name` being the file's
    """
    some = tuple(
        one
        for one in found.found
        if one.side in ("", _SIDES[end]) and model.lower() in ("", one.model.lower())
    )
    if some:
        return some
    of = f" of {model}" if model else ""
    others = f"It has them for {', '.join(found.others)}. " if found.others else ""
    raise InputError(
        f"no [Algorithmic Model]{of} that runs here at that end",
        file=name,
        remedy=f"{others}Choose another device file, or an .ami file with its library.",
    )


EXECUTABLES: Study[ReadInputs, DeviceExecutables] = Study(
    "executables_in", _run, DeviceExecutables, keep_on_disk=False, title="Device file"
)
