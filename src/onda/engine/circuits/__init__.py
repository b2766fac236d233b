"""Linear nets in time and frequency.

`net` says what is connected to what, `stimulus` what drives it, `linear` finds the voltages (DC,
against frequency, in time, along any line) and `measure` reads numbers off a waveform.
"""

from onda.engine.circuits.linear import LinearSolution, solve_linear
from onda.engine.circuits.net import LinePiece, Net, SeriesPart, ShuntBranch
from onda.engine.circuits.stimulus import PiecewiseLinear

__all__ = [
    "LinePiece",
    "LinearSolution",
    "Net",
    "PiecewiseLinear",
    "SeriesPart",
    "ShuntBranch",
    "solve_linear",
]
