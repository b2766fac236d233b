"""Study `bus_waves`: the waveforms of every case of a bus."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from onda.errors import InputError
from onda.formats.waves_file import NamedWaves, write_waves_csv, write_waves_hdf5
from onda.studies.buses.case import CaseWaves, case_waves
from onda.studies.buses.inputs import BusInputs, CaseInputs
from onda.studies.core.study import Case, Control, Study, compute

__all__ = ["BUS_WAVES", "BusWaves", "waves_file"]

_WRITERS = {
    ".csv": write_waves_csv,
    ".h5": write_waves_hdf5,
    ".hdf5": write_waves_hdf5,
}


@dataclass(frozen=True, slots=True, eq=False)
class BusWaves:
    """Waveforms with the names of their cases, in the order of the bus."""

    cases: tuple[NamedWaves, ...]


BUS_WAVE: Study[CaseInputs, CaseWaves] = Study(
    "bus_wave",
    lambda inputs, _: case_waves(inputs),
    CaseWaves,
    keep_on_disk=False,
    title="Waveforms of a case",
)


def _split(inputs: BusInputs) -> Sequence[Case]:
    return [Case(BUS_WAVE, one) for one in inputs.cases]


def _gather(inputs: BusInputs, found: Sequence[CaseWaves | None]) -> BusWaves:
    return BusWaves(
        tuple(
            NamedWaves(
                one.signal_name, one.operation_name, one.corner, waves.time, waves.data,
                waves.strobe_time, waves.strobe,
            )
            for one, waves in zip(inputs.cases, found, strict=True)
            if waves is not None
        )
    )  # fmt: skip


def _run(inputs: BusInputs, control: Control) -> BusWaves:
    return compute(BUS_WAVES, inputs, control)


BUS_WAVES: Study[BusInputs, BusWaves] = Study(
    "bus_waves", _run, BusWaves, split=_split, gather=_gather, keep_on_disk=False,
    title="Waveforms of a bus",
)  # fmt: skip


def waves_file(found: BusWaves, suffix: str) -> bytes:
    """Content of a file by its suffix; raise `InputError` where there is no such form."""
    write = _WRITERS.get(suffix.lower())
    if write is None:
        known = ", ".join(_WRITERS)
        raise InputError(f"waveforms are not written as {suffix!r}", remedy=f"One of {known}.")
    return write(found.cases)
