"""Nets in time and frequency.

`net` says what is connected to what, `devices` what is not linear in it, `stimulus` what drives it.
`dc` finds the level at rest, `linear` the exact answer of a net without devices (against frequency,
and in time by inversion), `transient` that of any net by time steps; `measure` reads numbers off a
waveform. Data: net -> `assembly` (matrices, line ends, `line_model`) -> kernel -> solution.
"""

from onda.engine.circuits.linear import LinearSolution, solve_linear
from onda.engine.circuits.net import CoupledPiece, LinePiece, Net, SeriesPart, ShuntBranch
from onda.engine.circuits.stimulus import PiecewiseLinear
from onda.engine.circuits.transient import TransientSolution, solve_transient

__all__ = [
    "CoupledPiece",
    "LinePiece",
    "LinearSolution",
    "Net",
    "PiecewiseLinear",
    "SeriesPart",
    "ShuntBranch",
    "TransientSolution",
    "solve_linear",
    "solve_transient",
]
