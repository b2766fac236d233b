"""Study `width_gap_map`: differential impedance of a pair over width and gap."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.errors import OndaError
from onda.studies.core.study import Control, Study
from onda.studies.lines.inputs import LineInputs
from onda.studies.lines.solved_line import quick_impedance

__all__ = ["FINE", "WIDTH_GAP_MAP", "MapInputs", "MapResult", "map_axes"]

FloatArray = NDArray[np.float64]
FINE = 90
"""Points a side of the fine grid."""


@dataclass(frozen=True, slots=True)
class MapInputs:
    """A pair and the widths and gaps (m) to try; its own width and gap do not matter."""

    line: LineInputs
    widths: tuple[float, ...]
    gaps: tuple[float, ...]


@dataclass(frozen=True, slots=True)
class MapResult:
    """Differential impedance over widths and gaps.

    Attributes
    ----------
    widths, gaps : (w,), (g,) m; z : (g, w) ohm as solved, NaN where nothing can be built
    fine_widths, fine_gaps : (90,) m, evenly spaced; fine_z : (90, 90) ohm, cubic between the solved
        points in logarithms, which impedance follows to about a tenth of a percent
    """

    widths: FloatArray
    gaps: FloatArray
    z: FloatArray
    fine_widths: FloatArray
    fine_gaps: FloatArray
    fine_z: FloatArray


def map_axes(undercut: float, points: int) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Widths and gaps that are routed, evenly spaced."""
    widths = np.linspace(max(70e-6, 3.0 * undercut), 240e-6, points)
    gaps = np.linspace(70e-6, 320e-6, points)
    return tuple(float(w) for w in widths), tuple(float(g) for g in gaps)


def _run(inputs: MapInputs, control: Control) -> MapResult:
    z = np.full((len(inputs.gaps), len(inputs.widths)), np.nan)
    done = 0
    for i, gap in enumerate(inputs.gaps):
        for j, width in enumerate(inputs.widths):
            trace = replace(inputs.line.trace, width=width, gap=gap)
            try:
                z[i, j] = quick_impedance(replace(inputs.line, trace=trace))
            except OndaError:
                # What cannot be built stays a hole in the map.
                continue
            finally:
                done += 1
                control.progress(done / z.size)
    widths, gaps = np.array(inputs.widths), np.array(inputs.gaps)
    fine_widths, fine_gaps = (np.linspace(v[0], v[-1], FINE) for v in (widths, gaps))
    return MapResult(widths, gaps, z, fine_widths, fine_gaps, _refined(widths, gaps, z))


def _refined(widths: FloatArray, gaps: FloatArray, z: FloatArray) -> FloatArray:
    """The map on the fine grid: cubic where it is whole, by straight lines where it has holes."""
    from scipy.interpolate import RectBivariateSpline

    fine_widths, fine_gaps = (np.linspace(v[0], v[-1], FINE) for v in (widths, gaps))
    if np.isfinite(z).all() and min(z.shape) >= 2:
        degree = min(3, *(n - 1 for n in z.shape))
        spline = RectBivariateSpline(gaps, widths, np.log(z), kx=degree, ky=degree)
        return np.asarray(np.exp(spline(fine_gaps, fine_widths)))
    by_width = np.array([np.interp(fine_widths, widths, row) for row in z])
    return np.array([np.interp(fine_gaps, gaps, column) for column in by_width.T]).T


WIDTH_GAP_MAP: Study[MapInputs, MapResult] = Study(
    "width_gap_map", _run, MapResult, title="Map of width and gap"
)
