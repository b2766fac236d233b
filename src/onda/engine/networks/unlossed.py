"""What a reflection would be if its line had no loss, from the line's own through response.

Loss hides the true impedance twice: resistance along the line reflects by itself, which lifts a
peeled profile, and echoes from further down come back smaller. Both follow from the loss per delay,
which the through response tells: with all of a line alike per unit of delay, impedances are those
of a lossless line times one function zeta(s), and a wave that takes a time t changes by
exp(-gamma(s) t). On the reference zeta(s) z0 the reflection is then the sum of p(t) exp(-gamma t),
with p what a lossless line of the same profile sends back.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.sampling import phase_delay
from onda.engine.networks.time_domain import Edge, impulse_response

__all__ = [
    "LossPerDelay",
    "Rounds",
    "loss_per_delay",
    "on_frequencies",
    "onto_own",
    "raised",
    "unlossed_response",
]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_ROUNDS = 20
_STILL = 1e-4
"""Change of a sample, as a share of the largest, at which the search ends."""
_DEEP = 2.0
"""Np up to which an echo is raised; what is weaker is noise."""
_LOW = 0.35
"""Times its rise: the frequency of an edge at which its impedance is stated."""


@dataclass(frozen=True, slots=True)
class LossPerDelay:
    """Loss of a line by its delay.

    Attributes
    ----------
    delay : s, of the whole way through
    at_rest : 1/s, resistance at rest over twice the impedance, by delay
    skin : 1/(s sqrt(Hz)); tangent : loss tangent
    """

    delay: float
    at_rest: float
    skin: float
    tangent: float

    def functions(self, s: ComplexArray, at: float) -> tuple[ComplexArray, ComplexArray]:
        """gamma (1/s) and zeta at s != 0; zeta is 1 for a dielectric at `at` Hz."""
        series = 1.0 + 2.0 * (self.at_rest + self.skin * np.sqrt(s / math.pi)) / s
        shunt = (s / (2.0 * math.pi * at)) ** (-2.0 * self.tangent / math.pi)
        return s * np.sqrt(series * shunt), np.sqrt(series / shunt)


def loss_per_delay(frequency: FloatArray, s: ComplexArray) -> LossPerDelay | None:
    """Loss of a line (f, 2, 2) from 0 Hz on; None where nothing comes through.

    Resistance at rest is that of the first point; what grows with the root of frequency and with
    frequency itself are least squares of the loss, neither of them negative. What is sent back at
    either end is no loss.
    """
    through = s[:, 1, 0]
    delay = phase_delay(frequency[1:], through[1:])
    sent_on = np.clip(1.0 - np.abs(s[:, [0, 1], [0, 1]]) ** 2, 1e-6, None).prod(axis=1)
    level = np.abs(through) / sent_on**0.25
    if not (delay > 0.0 and abs(through[0]) > 0.1):
        return None
    heard = (frequency > 0.0) & (level > 1e-3)
    f = frequency[heard]
    loss = -np.log(level[heard])
    # Np, half of the resistance over the impedance.
    at_rest = max(1.0 / min(float(abs(through[0])), 1.0) - 1.0, 0.0)
    rows = np.stack([np.sqrt(f), f], axis=1)
    weight = 1.0 / np.sqrt(f)
    found = np.linalg.lstsq(rows * weight[:, None], (loss - at_rest) * weight, rcond=None)[0]
    for k in (0, 1):
        if found[k] < 0.0:
            other = rows[:, 1 - k] * weight
            found = np.zeros(2)
            found[1 - k] = max(float(other @ ((loss - at_rest) * weight) / (other @ other)), 0.0)
    return LossPerDelay(
        delay, at_rest / delay, float(found[0]) / delay, float(found[1]) / (math.pi * delay)
    )


def unlossed_response(
    frequency: FloatArray, s: ComplexArray, loss: LossPerDelay, edge: Edge
) -> tuple[FloatArray, FloatArray]:
    """Time (t,) and reflections per sample (t, 2) as of a lossless line of the same profile, looked
    into from either end.

    Parameters
    ----------
    frequency : (f,) k * step from 0; s : (f, 2, 2) of the line on a real reference
    """
    gamma, zeta = on_frequencies(frequency, loss, _LOW / edge.rise)
    seen = np.asarray(onto_own(s, zeta)[:, [0, 1], [0, 1]])
    seen[0] = seen[1].real
    starts = [impulse_response(frequency, seen[:, k], edge) for k in (0, 1)]
    time = starts[0][0]
    # As far as the line goes; beyond it there is nothing to raise.
    count = int(np.searchsorted(time, 2.2 * loss.delay + 10.0 * edge.rise))
    some = frequency <= edge.needs
    target = (seen * edge.spectrum(frequency)[:, None])[some]
    start = np.stack([start[:count] for _, start in starts], axis=1)
    rounds = Rounds(_ROUNDS, _STILL, len(time))
    return time[:count], raised(frequency[some], target, gamma[some], time[:count], rounds, start)


def on_frequencies(
    frequency: FloatArray, loss: LossPerDelay, at: float
) -> tuple[ComplexArray, ComplexArray]:
    """gamma and zeta of `loss.functions` at frequencies (f,) from 0 on, next to 0 for 0."""
    f = frequency.copy()
    f[0] = 1e-3 * frequency[1]
    return loss.functions(np.asarray(2j * math.pi * f), at)


def onto_own(s: ComplexArray, zeta: ComplexArray) -> ComplexArray:
    """S (f, 2, 2) on a reference that goes with frequency as the line's own impedance does."""
    unlike = ((zeta - 1.0) / (zeta + 1.0))[:, None, None] * np.eye(2)
    return np.asarray(np.linalg.solve(np.eye(2) - s @ unlike, s - unlike))


@dataclass(frozen=True, slots=True)
class Rounds:
    """How a response is found by turns: at most `most`, until no sample changes by more than
    `still` of the largest, by transforms of `samples`."""

    most: int
    still: float
    samples: int


def raised(
    frequency: FloatArray,
    target: ComplexArray,
    gamma: ComplexArray,
    time: FloatArray,
    rounds: Rounds,
    start: FloatArray,
    gain: FloatArray | float = 1.0,
) -> FloatArray:
    """Samples p (t, k) at `time` for which the sum of p exp(-gamma t) is `target` (f, k).

    Parameters
    ----------
    start : (t, k) to begin with; gain : (f,) share of what is missing that a turn puts in
    """
    # Rounding does not matter to what is found by turns.
    down = np.minimum(gamma.real[:, None] * np.maximum(time, 0.0), _DEEP)
    carried = np.exp((-down - 1j * gamma.imag[:, None] * time).astype(np.complex64))
    turned = (gain * np.exp(2j * math.pi * frequency * float(time[0])))[:, None]
    response = start.copy()
    for _ in range(rounds.most):
        left = target - carried @ response.astype(np.complex64)
        left[0] = left[1].real
        change = np.fft.irfft(left * turned, n=rounds.samples, axis=0)[: len(time)]
        response += change
        if np.abs(change).max() < rounds.still * np.abs(response).max():
            break
    return response
