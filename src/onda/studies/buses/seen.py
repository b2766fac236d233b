"""Study `bus_seen`: a case's data laid over itself around each edge of its strobe."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.studies.buses.case import case_waves, timed
from onda.studies.buses.inputs import CaseInputs
from onda.studies.core.study import Control, Study

__all__ = ["BUS_SEEN", "CaseSeen"]

FloatArray = NDArray[np.float64]
_SAMPLES = 81


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


def _run(inputs: CaseInputs, _: Control) -> CaseSeen:
    waves = case_waves(inputs)
    timing, level = timed(inputs, waves)
    unit, asked = inputs.unit_interval, inputs.sheet
    around = np.linspace(-unit, unit, _SAMPLES)
    edges = np.array([e.edge for e in timing.edges])
    traces = np.interp((edges[:, None] + around).ravel(), waves.time, waves.data)
    whole = np.linspace(0.0, float(waves.time[-1]), 4000)
    return CaseSeen(
        around,
        traces.reshape(len(edges), -1),
        level,
        asked.ac,
        asked.dc,
        asked.setup,
        asked.hold,
        whole,
        np.interp(whole, waves.time, waves.data),
        np.interp(whole, waves.strobe_time, waves.strobe),
    )


BUS_SEEN: Study[CaseInputs, CaseSeen] = Study(
    "bus_seen", _run, CaseSeen, keep_on_disk=False, title="Case of a bus"
)
