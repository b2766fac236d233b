"""The spectrum of what a path carries, of any stimulus, in the units that limits are given in."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.spectrum import amplitude_density

__all__ = ["density_db"]

FloatArray = NDArray[np.float64]
_FLOOR = 1e-9


def density_db(time: FloatArray, values: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Frequency (m,) Hz and level (m,) dBµV/MHz of volts, dBµA/MHz of amperes."""
    frequency, density = amplitude_density(time, values)
    return frequency, np.asarray(20.0 * np.log10(np.maximum(density * 1e12, _FLOOR)))
