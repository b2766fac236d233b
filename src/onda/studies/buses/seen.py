"""Study `bus_seen`: a case's data laid over itself around each edge of its strobe."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.studies.buses.case import case_waves, sent
from onda.studies.buses.inputs import CaseInputs
from onda.studies.buses.looked import CaseEyes
from onda.studies.core.study import Control, Study

__all__ = ["BUS_SEEN", "CaseSeen", "SeenInputs"]

FloatArray = NDArray[np.float64]
_SAMPLES = 81


@dataclass(frozen=True, slots=True)
class SeenInputs:
    """A case as its lane is set: `shift` s that the strobe is moved by, `level` V."""

    case: CaseInputs
    shift: float
    level: float


@dataclass(frozen=True, slots=True, eq=False)
class CaseSeen:
    """Traces (n, m) V at times (m,) s from each strobe edge; `level` V, what is asked around it:
    `ac`, `dc` V and `setup`, `hold` s; time (k,) s with data and strobe (k,) V from one end to the
    other."""

    time: FloatArray
    traces: FloatArray
    level: float
    ac: float
    dc: float
    setup: float
    hold: float
    whole_time: FloatArray
    whole_data: FloatArray
    whole_strobe: FloatArray


def _run(asked: SeenInputs, _: Control) -> CaseSeen:
    inputs = sent(asked.case)
    waves = case_waves(inputs)
    edges = CaseEyes(inputs, waves).edges(asked.shift).at
    unit, sheet = inputs.unit_interval, inputs.sheet
    around = np.linspace(-unit, unit, _SAMPLES)
    traces = np.interp((edges[:, None] + around).ravel(), waves.time, waves.data)
    whole = np.linspace(0.0, float(waves.time[-1]), 4000)
    return CaseSeen(
        around,
        traces.reshape(len(edges), -1),
        asked.level,
        sheet.ac,
        sheet.dc,
        sheet.setup,
        sheet.hold,
        whole,
        np.interp(whole, waves.time, waves.data),
        np.interp(whole, waves.strobe_time + asked.shift, waves.strobe),
    )


BUS_SEEN: Study[SeenInputs, CaseSeen] = Study(
    "bus_seen", _run, CaseSeen, keep_on_disk=False, title="Case of a bus"
)
