"""Between time and complex frequency: a damped Fourier pair on one window.

References
----------
Wilcox, "Numerical Laplace transformation and inversion", Int. J. Elect. Eng. Educ. 15 (1978) 247,
with frequencies at odd multiples as in Wedepohl and Mohamed, "Multiconductor transmission lines",
Proc. IEE 116 (1969) 1553.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

__all__ = ["contour", "invert", "transform"]

_ALIASING = 1e-5
"""How much of the response may fold back from beyond the window."""

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]


def contour(end: float, samples: int) -> ComplexArray:
    """Complex frequencies (samples,) rad/s for `samples` times from 0 to `end` seconds."""
    # The window is twice the time wanted, so that what folds back has decayed.
    n = 2 * samples
    window = n * end / (samples - 1)
    damping = -math.log(_ALIASING) / window
    return np.asarray(damping + 1j * (2.0 * np.arange(samples) + 1.0) * math.pi / window)


def invert(
    s: ComplexArray, transform: ComplexArray, samples: int, *, soft: bool = True
) -> FloatArray:
    """Inverse transform of (..., m) on the contour, first `samples` times.

    `soft` False leaves the end of the spectrum as it is: what `transform` made comes back exactly.
    """
    n = 2 * len(s)
    window = 2.0 * math.pi / (s[1] - s[0]).imag
    # A soft end of the spectrum instead of a cut: less ringing at bends of the waveform.
    taper = np.cos(0.5 * math.pi * (np.arange(len(s)) + 0.5) / len(s)) ** 0.25
    full = np.zeros((*transform.shape[:-1], n), dtype=complex)
    full[..., : len(s)] = transform * taper if soft else transform
    t = np.arange(samples) * (window / n)
    turn = np.exp(1j * math.pi * np.arange(samples) / n + s[0].real * t)
    out = np.fft.ifft(full, axis=-1)[..., :samples]
    return 2.0 * n / window * np.real(out * turn)


def transform(s: ComplexArray, samples: FloatArray) -> ComplexArray:
    """Transform (..., m) on the contour of waveforms (..., m) that start from 0.

    Beyond the last sample the waveform fades to 0 over as long again; what a causal line makes of
    that comes later than the times that are asked for.
    """
    m = samples.shape[-1]
    n = 2 * m
    window = 2.0 * math.pi / (s[1] - s[0]).imag
    fade = 0.5 * (1.0 + np.cos(math.pi * np.arange(1, m + 1) / m))
    full = np.concatenate([samples, samples[..., -1:] * fade], axis=-1)
    k = np.arange(n)
    full = full * np.exp(-s[0].real * k * (window / n) - 1j * math.pi * k / n)
    return np.asarray(np.fft.fft(full, axis=-1)[..., :m] * (window / n))
