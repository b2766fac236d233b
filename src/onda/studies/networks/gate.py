"""Study `network_gate`: one response with only, and without, what lies between two times."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.sampling import even_grid
from onda.engine.networks.time_domain import fastest_edge, gated
from onda.errors import InputError
from onda.studies.core.study import Control, Study
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import NetworkInputs
from onda.studies.networks.time import mode_matrix

__all__ = ["NETWORK_GATE", "GateInputs", "GateResult"]


@dataclass(frozen=True, slots=True)
class GateInputs:
    """A reflection of a network: lane, mode, side, and the gate in one-way s."""

    network: NetworkInputs
    lane: int
    mode: str
    side: str
    start: float
    stop: float


@dataclass(frozen=True, slots=True, eq=False)
class GateResult:
    """Over frequency (f,) Hz: as it is, with only the gate, and what remains without it."""

    frequency: NDArray[np.float64]
    whole: NDArray[np.complex128]
    inside: NDArray[np.complex128]
    outside: NDArray[np.complex128]


def _run(inputs: GateInputs, control: Control) -> GateResult:
    built = build_network(inputs.network)
    control.progress(0.4)
    even = even_grid(built.frequency, built.s)
    matrix = mode_matrix(even.s, inputs.network.pair).get(inputs.mode)
    if matrix is None:
        raise InputError(f"there is no mode {inputs.mode!r}")
    port = inputs.lane + (matrix.shape[-1] // 2 if inputs.side == "right" else 0)
    whole = matrix[:, port, port]
    edge = fastest_edge(float(even.frequency[-1])).rise
    inside = gated(even.frequency, whole, 2.0 * inputs.start, 2.0 * inputs.stop, edge=2.0 * edge)
    some = slice(1, None)
    return GateResult(even.frequency[some], whole[some], inside[some], (whole - inside)[some])


NETWORK_GATE: Study[GateInputs, GateResult] = Study(
    "network_gate", _run, GateResult, keep_on_disk=False, title="Gate"
)
