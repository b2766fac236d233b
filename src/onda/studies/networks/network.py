"""Study `network`: a network made, judged, and looked at in frequency and in time."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.networks.channel_figures import (
    crosstalk_sigma,
    deviation_figure,
    fit_insertion_loss,
    multi_disturber_loss_db,
    noise_weight,
)
from onda.engine.networks.ports import halves_order, judge_order, odd_even_order
from onda.engine.networks.quality import Quality, doubts, level_of, quality_of
from onda.errors import NotPhysical, OndaError
from onda.studies.core.study import Control, Study
from onda.studies.networks.build import BuiltNetwork, PieceSpan, build_network
from onda.studies.networks.inputs import NetworkInputs
from onda.studies.networks.time import NetworkTime, in_time, mode_matrix

__all__ = [
    "NETWORK",
    "CurveSet",
    "LaneFigures",
    "NetworkResult",
    "Quality",
    "halves_order",
    "level_db",
    "level_of",
    "odd_even_order",
]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_FLOOR_DB = -200.0


def level_db(s: ComplexArray) -> FloatArray:
    """Magnitude in dB; what is silent lies at -200 dB."""
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(s), 10.0 ** (_FLOOR_DB / 20.0))))


@dataclass(frozen=True, slots=True, eq=False)
class CurveSet:
    """Curves that belong together: names ("1", "2 from 1"...) and entries (k, f) complex."""

    kind: str
    names: tuple[str, ...]
    values: ComplexArray


@dataclass(frozen=True, slots=True, eq=False)
class LaneFigures:
    """Figures of a lane as a channel at its rate; NaN where there is no crosstalk or no rate.

    Attributes
    ----------
    fit_db, deviation_db : (b,) over `band` Hz; loss counted positive
    icn, sigma_near, sigma_far : V; ild : dB
    """

    lane: int
    band: FloatArray
    loss_db: FloatArray
    fit_db: FloatArray
    deviation_db: FloatArray
    ild: float
    sigma_near: float
    sigma_far: float
    icn: float


@dataclass(frozen=True, slots=True, eq=False)
class NetworkResult:
    """What the Networks stage shows.

    Attributes
    ----------
    frequency : (f,) Hz; s : (f, n, n) in the order left, right; reference : ohm
    ports : number of each port in the file, from 1
    quality : of the data as read, before any remedy; mended : of what is used
    better_order : ports from 1, where the order looks wrong; empty where it does not;
        order_words : what speaks for it
    made_with : doubts that come from how it was made
    curves : by kind; time : views in time, None where the data do not carry them
    """

    name: str
    frequency: FloatArray
    s: ComplexArray
    reference: float
    pair: bool
    rate: float
    ports: tuple[int, ...]
    quality: Quality
    mended: Quality
    change: float
    better_order: tuple[int, ...]
    curves: tuple[CurveSet, ...]
    lanes: tuple[LaneFigures, ...]
    time: NetworkTime | None
    time_problem: str
    spans: tuple[PieceSpan, ...]
    notes: tuple[str, ...]
    order_words: str
    made_with: tuple[str, ...] = ()

    @property
    def doubts(self) -> tuple[str, ...]:
        """What every figure taken from it must say of its data."""
        return (*doubts(self.mended), *self.made_with)

    def curve_set(self, kind: str) -> CurveSet | None:
        """Curves of a kind."""
        return next((c for c in self.curves if c.kind == kind), None)


def _run(inputs: NetworkInputs, control: Control) -> NetworkResult:
    built = build_network(inputs)
    control.progress(0.3)
    quality = quality_of(built.raw_frequency, built.raw)
    mended = quality_of(built.frequency, built.s) if inputs.remedies else quality
    control.progress(0.5)
    found, words = judge_order(built.frequency, built.s, tuple(range(built.s.shape[-1])))
    better = tuple(built.ports[p] for p in found) if found else ()
    curves = _curves(built, inputs.pair)
    lanes = _figures(built.frequency, curves, inputs.rate)
    control.progress(0.6)
    time, problem = None, ""
    try:
        time = in_time(built, inputs.pair, inputs.rise, inputs.rate)
    except (OndaError, np.linalg.LinAlgError) as error:
        problem = f"There is no view in time: {error}"
    return NetworkResult(
        inputs.name,
        built.frequency,
        built.s,
        built.reference,
        inputs.pair,
        inputs.rate,
        built.ports,
        quality,
        mended,
        built.change,
        better,
        curves,
        lanes,
        time,
        problem,
        built.spans,
        built.notes,
        words,
        built.doubts,
    )


def _curves(built: BuiltNetwork, pair: bool) -> tuple[CurveSet, ...]:
    modes = mode_matrix(built.s, pair)
    main = modes["diff" if pair else "single"]
    ports = main.shape[-1]
    lanes = ports // 2
    sides = [("left", k) for k in range(lanes)] + [("right", lanes + k) for k in range(lanes)]
    if ports == 1:
        sides = [("left", 0)]
    out: list[CurveSet] = []

    def add(kind: str, entries: list[tuple[str, ComplexArray]]) -> None:
        if entries:
            names = tuple(" ".join(n.split()) for n, _ in entries)
            out.append(CurveSet(kind, names, np.stack([v for _, v in entries])))

    def label(lane: int) -> str:
        return f"{lane + 1}" if lanes > 1 else ""

    def lane_of(port: int) -> int:
        return port % lanes if lanes else 0

    if ports % 2 == 0:
        add("insertion", [(f"{label(k)} through", main[:, lanes + k, k]) for k in range(lanes)])
    add("return", [(f"{label(lane_of(p))} {side}", main[:, p, p]) for side, p in sides])
    if pair:
        common, conversion = modes["common"], modes["conversion"]
        back = modes["conversion_back"]
        add(
            "return_common",
            [(f"{label(lane_of(p))} {side}", common[:, p, p]) for side, p in sides],
        )
        add(
            "conversion",
            [
                entry
                for k in range(lanes)
                for entry in (
                    (f"{label(k)} diff to common, through", back[:, lanes + k, k]),
                    (f"{label(k)} common to diff, through", conversion[:, lanes + k, k]),
                    (f"{label(k)} diff to common, back", back[:, k, k]),
                )
            ],
        )
        add(
            "insertion_common",
            [(f"{label(k)} common through", common[:, lanes + k, k]) for k in range(lanes)],
        )
    if ports % 2 == 0 and lanes > 1:
        others = [(v, a) for v in range(lanes) for a in range(lanes) if a != v]
        add("near_end", [(f"{v + 1} from {a + 1}", main[:, v, a]) for v, a in others])
        add("far_end", [(f"{v + 1} from {a + 1}", main[:, lanes + v, a]) for v, a in others])
        sums = []
        for end, first in (("near", 0), ("far", lanes)):
            for v in range(lanes):
                power = sum(np.abs(main[:, first + v, a]) ** 2 for a in range(lanes) if a != v)
                sums.append((f"{v + 1} {end} end", np.sqrt(np.asarray(power)) + 0j))
        add("power_sum", sums)
    return tuple(out)


def _figures(
    frequency: FloatArray, curves: tuple[CurveSet, ...], rate: float
) -> tuple[LaneFigures, ...]:
    by_kind = {c.kind: c for c in curves}
    insertion = by_kind.get("insertion")
    if insertion is None or rate <= 0:
        return ()
    band = (frequency >= 50e6) & (frequency <= 0.75 * rate)
    if band.sum() < 8:
        return ()
    f = frequency[band]
    even = np.linspace(f[0], f[-1], len(f))
    shape = {"baud": rate, "rise_20_80": 0.25 / rate, "receiver": 0.75 * rate}
    weight = noise_weight(even, amplitude=0.6, **shape)
    out = []
    for lane in range(len(insertion.names)):
        loss = np.interp(even, f, -level_db(insertion.values[lane, band]))
        fit = fit_insertion_loss(even, loss)
        deviation = loss - fit.fit_db
        near, far = (
            _sigma(by_kind.get(kind), lane, f, band, even, weight)
            for kind in ("near_end", "far_end")
        )
        out.append(
            LaneFigures(
                lane,
                even,
                loss,
                fit.fit_db,
                deviation,
                deviation_figure(even, deviation, **shape),
                near,
                far,
                math.hypot(near, far),
            )
        )
    return tuple(out)


def _sigma(
    curves: CurveSet | None,
    lane: int,
    f: FloatArray,
    band: NDArray[np.bool_],
    even: FloatArray,
    weight: FloatArray,
) -> float:
    if curves is None:
        return float("nan")
    mine = [k for k, name in enumerate(curves.names) if name.startswith(f"{lane + 1} from")]
    losses = [np.interp(even, f, -level_db(curves.values[k, band])) for k in mine]
    if not losses:
        raise NotPhysical("crosstalk", "no disturber", "one or more")
    return crosstalk_sigma(even, multi_disturber_loss_db(losses), weight)


NETWORK: Study[NetworkInputs, NetworkResult] = Study(
    "network", _run, NetworkResult, title="Network"
)
