"""The equalisers of a link in a row, and the setting that a figure of merit asks for.

References
----------
IEEE Std 802.3-2018, annex 93A.1.6 (figure of merit, search of transmitter and receiver settings),
93A.1.4.3 (continuous equaliser).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.equalisers import continuous, forward_taps
from onda.engine.links.measured import Response, behind
from onda.engine.links.statistical import SampledPulse
from onda.errors import NotPhysical

__all__ = [
    "Chain", "Merit", "Trial", "best_chain", "decision_taps", "merit", "sampling_time", "scaled",
]  # fmt: skip

FloatArray = NDArray[np.float64]
_FOLLOWED_UI = 8
_LOOK = 33


@dataclass(frozen=True, slots=True)
class Chain:
    """Settings of every equaliser.

    Attributes
    ----------
    taps, main : of the transmitter, a unit interval apart, and which of them is the main one
    gain : of the continuous equaliser at 0 Hz, 0 to 1; 1 with no zero for none
    zero, poles : Hz; H = (gain + jf / zero) / prod(1 + jf / pole)
    response : in the place of these, by frequency
    gain_to : V, what a gain control makes of the main cursor; 0 for none
    receive_taps, receive_main : of the receiver
    decisions : taps of the decision feedback, from the first cursor behind the main one
    limit : of each of these as a share of the main cursor
    """

    taps: tuple[float, ...] = (1.0,)
    main: int = 0
    gain: float = 1.0
    zero: float = 0.0
    poles: tuple[float, ...] = ()
    receive_taps: tuple[float, ...] = (1.0,)
    receive_main: int = 0
    decisions: int = 0
    limit: float = 1.0
    response: Response | None = None
    gain_to: float = 0.0

    def __post_init__(self) -> None:
        for name, taps, main in (
            ("transmit taps", self.taps, self.main),
            ("receive taps", self.receive_taps, self.receive_main),
        ):
            if not 0 <= main < len(taps) or not all(math.isfinite(t) for t in taps):
                raise NotPhysical(name, taps, "numbers, one of which is the main one")
        if self.decisions < 0 or not self.limit >= 0.0:
            raise NotPhysical("decision taps", (self.decisions, self.limit), "0 or above")

    @property
    def without_decisions(self) -> Chain:
        """The same without decision feedback."""
        return replace(self, decisions=0, limit=1.0)

    @property
    def without_continuous(self) -> Chain:
        """The same without the continuous equaliser."""
        return replace(self, gain=1.0, zero=0.0, poles=(), response=None)

    @property
    def bare(self) -> Chain:
        """No equaliser at all; a gain control is none."""
        return Chain(gain_to=self.gain_to)

    def behind_transmitter(self, pulse: SampledPulse, unit_interval: float) -> SampledPulse:
        """A pulse with the transmit taps."""
        per_ui = _per_ui(pulse, unit_interval)
        if self.taps == (1.0,):
            return pulse
        return SampledPulse(forward_taps(pulse.samples, self.taps, per_ui), pulse.step)

    @property
    def for_edges(self) -> Chain:
        """The same for what every edge adds, where rise and fall are unlike: a tap that turns a
        symbol over turns rise into fall, and what both share stays."""
        return replace(self, taps=tuple(abs(t) for t in self.taps))

    def behind_continuous(self, pulse: SampledPulse, unit_interval: float) -> SampledPulse:
        """A pulse behind the continuous equaliser."""
        if self.response is not None:
            self.response.check_covers(unit_interval)
            after = _FOLLOWED_UI * _per_ui(pulse, unit_interval)
            made = behind(pulse.samples, pulse.step, self.response, after=after)
            return SampledPulse(made, pulse.step)
        if not self.poles:
            return pulse
        w = 2.0 * math.pi
        zeros = [-w * self.zero * self.gain] if self.zero > 0.0 else []
        samples = continuous(
            pulse.samples,
            pulse.step,
            self.gain,
            zeros,
            [-w * p for p in self.poles],
            after=_FOLLOWED_UI * _per_ui(pulse, unit_interval),
        )
        return SampledPulse(samples, pulse.step)

    def behind_all(self, pulse: SampledPulse, unit_interval: float) -> SampledPulse:
        """A pulse behind all but the decision feedback."""
        out = self.behind_continuous(self.behind_transmitter(pulse, unit_interval), unit_interval)
        if self.receive_taps == (1.0,):
            return out
        per_ui = _per_ui(pulse, unit_interval)
        return SampledPulse(forward_taps(out.samples, self.receive_taps, per_ui), out.step)

    def received(
        self, pulse: SampledPulse, unit_interval: float, where: str
    ) -> tuple[SampledPulse, float]:
        """A pulse behind all but the decision feedback, and by what the gain control multiplied
        it: as it does all that comes with it."""
        made = self.behind_all(pulse, unit_interval)
        if self.gain_to <= 0.0:
            return made, 1.0
        main = made.cursors(sampling_time(made, unit_interval, where), unit_interval)[0]
        gain = self.gain_to / main if main > 0.0 else 1.0
        return scaled(made, gain), gain


def scaled(pulse: SampledPulse, gain: float) -> SampledPulse:
    """A pulse so many times as large."""
    return pulse if gain == 1.0 else SampledPulse(gain * pulse.samples, pulse.step)


def _per_ui(pulse: SampledPulse, unit_interval: float) -> int:
    return round(unit_interval / pulse.step)


def sampling_time(pulse: SampledPulse, unit_interval: float, where: str = "crossings") -> float:
    """Where a pulse is sampled, s.

    "crossings": half a unit interval behind where it equals itself a unit interval later, in the
    mean of all patterns where a clock that follows crossings comes to rest; "tallest": its top.
    """
    top = int(np.argmax(pulse.samples))
    if where == "tallest":
        return top * pulse.step
    per_ui = _per_ui(pulse, unit_interval)
    padded = np.concatenate([np.zeros(per_ui), pulse.samples, np.zeros(per_ui)])
    # d[k] is what the pulse is at (k - per_ui) steps less what it is a unit interval later.
    d = padded[:-per_ui] - padded[per_ui:]
    low, high = max(top - per_ui + per_ui, 0), top + per_ui + 1
    window = d[low:high]
    up = np.flatnonzero((window[:-1] <= 0.0) & (window[1:] > 0.0))
    if not len(up):
        return top * pulse.step
    k = int(up[np.argmin(np.abs(up - len(window) // 2))])
    share = -window[k] / (window[k + 1] - window[k])
    return float((low + k + share - per_ui) * pulse.step + 0.5 * unit_interval)


def decision_taps(cursors: dict[int, float], chain: Chain) -> tuple[float, ...]:
    """Taps that take the cursors behind the main one off, as far as their limit lets them."""
    most = chain.limit * abs(cursors.get(0, 0.0))
    return tuple(
        float(np.clip(cursors.get(k, 0.0), -most, most)) for k in range(1, chain.decisions + 1)
    )


@dataclass(frozen=True, slots=True)
class Merit:
    """How good a setting is: `db` = 10 log10 of the main cursor's power over that of all else.

    `main` V; `interference`, `crosstalk`, `jitter`, `noise` are V rms.
    """

    db: float
    main: float
    interference: float
    crosstalk: float
    jitter: float
    noise: float


def merit(
    chain: Chain,
    pulse: SampledPulse,
    others: Sequence[SampledPulse],
    unit_interval: float,
    *,
    where: str = "crossings",
    noise: float = 0.0,
    jitter: float = 0.0,
    levels: Sequence[float] = (-1.0, 1.0),
) -> Merit:
    """Figure of merit of a setting.

    Parameters
    ----------
    pulse, others : before any equaliser; noise : V rms at the sampler; jitter : s rms, of all kinds
    """
    made, gain = chain.received(pulse, unit_interval, where)
    at = sampling_time(made, unit_interval, where)
    cursors = made.cursors(at, unit_interval)
    taps = decision_taps(cursors, chain)
    main = cursors.pop(0)
    for k, tap in enumerate(taps, 1):
        cursors[k] = cursors.get(k, 0.0) - tap
    power = float(np.mean(np.square(levels)))
    gap = float(np.min(np.diff(np.sort(np.asarray(levels, dtype=float)))))
    isi = math.sqrt(power * math.fsum(c * c for c in cursors.values()))
    heard = 0.0
    for other in others:
        samples = gain * chain.behind_all(other, unit_interval).samples
        heard += float(np.square(samples).sum()) * pulse.step / unit_interval
    crosstalk = math.sqrt(power * heard)
    shaken = 0.0
    if jitter > 0.0:
        h = made.step
        times = np.asarray(at + np.arange(-4, 12) * unit_interval, dtype=np.float64)
        slope = (made.at(np.asarray(times + h)) - made.at(np.asarray(times - h))) / (2.0 * h)
        shaken = jitter * math.sqrt(power * float(np.square(slope).sum()))
    all_else = isi**2 + crosstalk**2 + shaken**2 + noise**2
    signal = 0.5 * gap * main
    db = 10.0 * math.log10(max(signal, 1e-30) ** 2 / max(all_else, 1e-60)) if main > 0 else -300.0
    return Merit(db, main, isi, crosstalk, shaken, noise)


class Trial:
    """Settings tried on the same pulses: each continuous equaliser is put on them once, taps on
    what is behind it. (Both are linear, so that their order changes nothing but the tail.)"""

    def __init__(
        self,
        pulse: SampledPulse,
        others: Sequence[SampledPulse],
        unit_interval: float,
        **terms: object,
    ) -> None:
        self._pulses = (pulse, *others)
        self._unit_interval = unit_interval
        self._terms = terms
        self._behind: dict[object, tuple[SampledPulse, ...]] = {}

    def merit(self, chain: Chain) -> Merit:
        """What `merit` says of a setting."""
        unit = self._unit_interval
        part = (chain.gain, chain.zero, chain.poles, chain.response)
        if part not in self._behind:
            self._behind[part] = tuple(chain.behind_continuous(p, unit) for p in self._pulses)
        own, *others = self._behind[part]
        taps = chain.without_continuous
        return merit(taps, own, others, unit, **self._terms)  # type: ignore[arg-type]


def best_chain(
    chains: Iterable[Chain],
    pulse: SampledPulse,
    others: Sequence[SampledPulse],
    unit_interval: float,
    **terms: object,
) -> tuple[Chain, Merit]:
    """The setting of the largest figure of merit; raise `NotPhysical` where there is none."""
    trial = Trial(pulse, others, unit_interval, **terms)
    found: tuple[Chain, Merit] | None = None
    for chain in chains:
        one = trial.merit(chain)
        if found is None or one.db > found[1].db:
            found = chain, one
    if found is None:
        raise NotPhysical("settings", "none", "one to choose from")
    return found
