"""An equaliser, or more line, by its response over frequency: measured, or from a table of gains.

References
----------
Oppenheim, Schafer, "Discrete-Time Signal Processing", 3rd ed. (2010), section 13.3 (the phase of
least delay from the logarithm of the size, by the cepstrum).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import NotPhysical

__all__ = ["Response", "behind", "least_delay", "more_loss"]

FloatArray = NDArray[np.float64]
_FALL = -40.0
"""dB a decade that a response falls by above its last frequency, where it has no slope of its own
that is steeper."""
_MORE = 4
"""Times the length of a signal that transforms are long."""
_WIDER = 8
_LEAST_COVER = 0.5
"""Of the symbol rate: a response must be known up to there."""
_SKIN = 0.5
"""Share of the loss at half the symbol rate that grows as the root of frequency."""


@dataclass(frozen=True, slots=True)
class Response:
    """Gain over frequency.

    Attributes
    ----------
    frequency : Hz, rising; gain_db : of each; phase : rad, empty for that of least delay

    Raises
    ------
    NotPhysical : fewer than two frequencies, ones that do not rise, or columns of other lengths
    """

    frequency: tuple[float, ...]
    gain_db: tuple[float, ...]
    phase: tuple[float, ...] = ()

    def __post_init__(self) -> None:
        f = np.asarray(self.frequency)
        columns = {len(self.gain_db), len(self.phase) or len(f)}
        if len(f) < 2 or columns != {len(f)} or f[0] < 0.0 or not (np.diff(f) > 0.0).all():
            raise NotPhysical("response", f"{len(f)} frequencies", "two or more, rising, each once")

    def check_covers(self, unit_interval: float) -> None:
        """Raise `NotPhysical` where it ends below half the symbol rate."""
        needed = _LEAST_COVER / unit_interval
        if self.frequency[-1] < needed:
            raise NotPhysical(
                "response", f"known to {self.frequency[-1]:.4g} Hz",
                f"up to half the symbol rate, {needed:.4g} Hz; it is good to "
                f"{self.frequency[-1] / _LEAST_COVER:.4g} symbols a second",
            )  # fmt: skip

    def _db_at(self, frequency: FloatArray) -> FloatArray:
        known, db = np.asarray(self.frequency), np.asarray(self.gain_db)
        out = np.interp(frequency, known, db)
        above = frequency > known[-1]
        if above.any():
            slope = (db[-1] - db[-2]) / math.log10(known[-1] / max(known[-2], 1e-3 * known[-1]))
            out[above] = db[-1] + min(slope, _FALL) * np.log10(frequency[above] / known[-1])
        return np.asarray(out)

    def on(self, count: int, step: float) -> NDArray[np.complex128]:
        """Values at the frequencies of `numpy.fft.rfft` of `count` samples, `step` s apart."""
        frequency = np.asarray(np.fft.rfftfreq(count, step), dtype=np.float64)
        if not self.phase:
            # Far above what is wanted, so that the end of the grid does not bend the phase.
            wide = np.asarray(np.fft.rfftfreq(_WIDER * count, step / _WIDER), dtype=np.float64)
            log_size = self._db_at(wide) * math.log(10.0) / 20.0
            return least_delay(log_size, _WIDER * count)[: len(frequency)]
        db = self._db_at(frequency)
        known = np.unwrap(np.asarray(self.phase))
        phase = np.interp(frequency, self.frequency, known)
        above = frequency > self.frequency[-1]
        phase[above] = known[-1] * frequency[above] / self.frequency[-1]
        return np.asarray(10.0 ** (db / 20.0) * np.exp(1j * phase))


def least_delay(log_size: FloatArray, count: int) -> NDArray[np.complex128]:
    """exp(`log_size`) with the phase of least delay, on the frequencies of an rfft of `count`."""
    cepstrum = np.fft.irfft(log_size, count)
    folded = np.zeros(count)
    half = count // 2
    folded[0] = cepstrum[0]
    folded[1:half] = 2.0 * cepstrum[1:half]
    folded[half] = cepstrum[half]
    return np.asarray(np.exp(np.fft.rfft(folded)))


def behind(samples: FloatArray, step: float, response: Response, *, after: int) -> FloatArray:
    """A signal (n,) that begins and ends at 0 behind a response, followed `after` samples more."""
    length = len(samples) + after
    count = 2 ** math.ceil(math.log2(_MORE * length))
    spectrum = np.fft.rfft(samples, count) * response.on(count, step)
    return np.asarray(np.fft.irfft(spectrum, count)[:length])


def more_loss(db: float, symbols_per_second: float) -> Response:
    """So many dB (0 or above) more line at half the symbol rate: half of it grows as the root of
    frequency, as in copper, half with frequency, as in dielectrics; without delay."""
    if not db >= 0.0:
        raise NotPhysical("more loss", db, "0 dB or above")
    top = 0.5 * symbols_per_second
    share = np.linspace(0.0, 8.0, 1025)
    loss = db * (_SKIN * np.sqrt(share) + (1.0 - _SKIN) * share)
    return Response(tuple((share * top).tolist()), tuple((-loss).tolist()))
