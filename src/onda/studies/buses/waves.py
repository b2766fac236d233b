"""Study `bus_waves`: a file with the waveforms of every case of a bus."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from onda.errors import InputError
from onda.formats.waves_file import NamedWaves, write_waves_csv, write_waves_hdf5
from onda.studies.buses.case import case_waves, sent
from onda.studies.buses.inputs import BusInputs, CaseInputs
from onda.studies.buses.looked import CaseWaves
from onda.studies.core.study import Case, Control, Study, compute

__all__ = ["BUS_WAVES", "WavesFile", "WavesInputs", "waves_inputs"]

_WRITERS = {
    ".csv": write_waves_csv,
    ".h5": write_waves_hdf5,
    ".hdf5": write_waves_hdf5,
}


@dataclass(frozen=True, slots=True)
class WavesInputs:
    """Cases, and the suffix of the file that they go to."""

    bus: BusInputs
    suffix: str


@dataclass(frozen=True, slots=True)
class WavesFile:
    """Content of a file."""

    content: bytes


def waves_inputs(bus: BusInputs, suffix: str) -> WavesInputs:
    """Slice for a file; raise `InputError` where there is no such form."""
    if suffix.lower() not in _WRITERS:
        known = ", ".join(_WRITERS)
        raise InputError(f"waveforms are not written as {suffix!r}", remedy=f"One of {known}.")
    return WavesInputs(bus, suffix.lower())


BUS_WAVE: Study[CaseInputs, CaseWaves] = Study(
    "bus_wave",
    lambda inputs, _: case_waves(sent(inputs)),
    CaseWaves,
    keep_on_disk=False,
    title="Waveforms of a case",
)


def _split(inputs: WavesInputs) -> Sequence[Case]:
    return [Case(BUS_WAVE, one) for one in inputs.bus.cases]


def _gather(inputs: WavesInputs, found: Sequence[CaseWaves | None]) -> WavesFile:
    named = [
        NamedWaves(
            one.signal_name, one.operation_name, one.corner, waves.time, waves.data,
            waves.strobe_time, waves.strobe,
        )
        for one, waves in zip(inputs.bus.cases, found, strict=True)
        if waves is not None
    ]  # fmt: skip
    return WavesFile(_WRITERS[inputs.suffix](named))


def _run(inputs: WavesInputs, control: Control) -> WavesFile:
    return compute(BUS_WAVES, inputs, control)


BUS_WAVES: Study[WavesInputs, WavesFile] = Study(
    "bus_waves", _run, WavesFile, split=_split, gather=_gather, keep_on_disk=False,
    title="Waveforms of a bus",
)  # fmt: skip
