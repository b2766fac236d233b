"""Slice of a design for a path: everything its waveforms depend on, SI, and nothing else."""

from __future__ import annotations

from onda.project.model import Design
from onda.project.paths.ends import RECEIVER
from onda.project.paths.path import Path, Stimulus
from onda.studies.devices.use import CORNER_COLUMNS, device_use
from onda.studies.paths.elements import SLICES
from onda.studies.paths.ends import EndInputs
from onda.studies.paths.items import PathInputs, StimulusInputs
from onda.studies.paths.slice import Slice, si

__all__ = ["path_inputs"]


def path_inputs(
    design: Design, path: Path, *, fine: bool = True, corner: str | None = None
) -> PathInputs:
    """Slice for a path, at its own corner or another one.

    Raises
    ------
    InputError : a file that it needs is nowhere
    """
    where = Slice(design, CORNER_COLUMNS[corner or path.corner], path.lane == "pair", SLICES)
    driver = path.driver
    ideal = driver.stands_in == "ideal"
    model = driver.model if driver.stands_in == "device" else None
    return PathInputs(
        items=where.items(path.elements),
        driver=EndInputs(
            "driver",
            driver.name,
            0.0 if ideal else driver.capacitance.si,
            None,
            device_use(design, model, where.column),
            driver.stands_in,
        ),
        # A milliohm is as good as none, and keeps the pad apart from the source.
        driver_resistance=1e-3 if ideal else driver.resistance.si,
        low=driver.low.si,
        high=driver.high.si,
        edge=driver.edge.si,
        end=where.end(RECEIVER, path.receiver, path.termination),
        stimulus=_stimulus(path.stimulus),
        window=path.stimulus.window.si,
        pair=where.pair,
        driving=path.driving,
        fine=fine,
    )


def _stimulus(s: Stimulus) -> StimulusInputs:
    return StimulusInputs(
        s.kind,
        si(s.frequency),
        s.duty.si,
        si(s.rate),
        s.bits,
        si(s.width),
        si(s.jitter) or 0.0,
        s.falling,
    )
