"""Study `device_model`: a buffer's curves, and how well it repeats its own waveforms."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.engine.devices import (
    FixtureCheck,
    Thresholds,
    check_fixtures,
    check_makers_waves,
    switching_of,
)
from onda.engine.devices.buffer import sum_terms
from onda.errors import OndaError
from onda.formats.ibis.buffers import makers_waves
from onda.formats.ibis.model import Remark
from onda.studies.core.study import Control, Study
from onda.studies.devices.use import DeviceUse, models_in, used

__all__ = ["DEVICE_MODEL", "DeviceInputs", "DeviceResult", "FixtureCurve"]

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class DeviceInputs:
    """A model of a device file at a corner."""

    use: DeviceUse


@dataclass(frozen=True, slots=True)
class FixtureCurve:
    """A waveform of the file and what the model makes of its fixture, V against s."""

    rising: bool
    label: str
    time: FloatArray
    volts: FloatArray
    sim_time: FloatArray
    sim_volts: FloatArray
    error: float
    end_error: float


@dataclass(frozen=True, slots=True)
class DeviceResult:
    """What the view of a model shows.

    Attributes
    ----------
    name, kind : of the model; c_comp : F; supply : V; thresholds : what it asks for
    remarks : on the model and on the file
    volts : (n,) V at the pin; high, low : (n,) A out of the pin, driven; clamps : (n,) A
    fixtures : waveforms; source : how the switching was found; `problem` where it could not be
    quality : largest error of all waveforms as a share of the swing; NaN without any
    test_error : the same for the maker's test waveforms
    r_high, r_low : ohm; edge_rise, edge_fall : s, 20 to 80 %, into the first fixture; NaN if none
    """

    name: str
    kind: str
    c_comp: float
    supply: float
    thresholds: Thresholds
    remarks: tuple[Remark, ...]
    volts: FloatArray
    high: FloatArray
    low: FloatArray
    clamps: FloatArray
    fixtures: tuple[FixtureCurve, ...]
    source: str
    problem: str
    quality: float
    test_error: float
    r_high: float
    r_low: float
    edge_rise: float
    edge_fall: float


def _run(inputs: DeviceInputs, control: Control) -> DeviceResult:
    file, model = models_in(inputs.use.content), inputs.use.model
    b, _ = used(inputs.use)
    top = max(b.v_pullup, b.v_power, 0.5)
    volts = np.linspace(-0.6 * top, 1.6 * top, 240)
    nothing = np.zeros_like(volts)
    drives = b.pullup is not None or b.pulldown is not None
    problem, source = "", ""
    checks: tuple[FixtureCheck, ...] = ()
    tested: tuple[FixtureCheck, ...] = ()
    if drives:
        try:
            switching = switching_of(b)
            source = switching.source
            checks = check_fixtures(b, switching)
            tested = check_makers_waves(b, switching, makers_waves(file, model))
        except OndaError as error:
            problem = str(error)
    control.progress(0.9)
    fixtures = tuple(
        FixtureCurve(
            c.wave.rising,
            f"{c.wave.r:.3g} Ω to {c.wave.v:.3g} V",
            np.asarray(c.wave.time),
            np.asarray(c.wave.volts),
            c.time,
            c.volts,
            c.error,
            c.end_error,
        )
        for c in checks
    )
    return DeviceResult(
        name=b.name,
        kind=b.kind,
        c_comp=b.c_comp,
        supply=b.v_pullup,
        thresholds=b.thresholds,
        remarks=(*file.remarks_of(model), *file.remarks_of("")),
        volts=volts,
        high=b.current_at(volts, up=1.0, down=0.0) if drives else nothing,
        low=b.current_at(volts, up=0.0, down=1.0) if drives else nothing,
        clamps=sum_terms(b.clamp_terms, volts),
        fixtures=fixtures,
        source=source,
        problem=problem,
        quality=max((f.error for f in fixtures), default=math.nan),
        test_error=max((c.error for c in tested), default=math.nan),
        r_high=b.resistance(high=True) if drives else math.inf,
        r_low=b.resistance(high=False) if drives else math.inf,
        edge_rise=_edge(fixtures, True),
        edge_fall=_edge(fixtures, False),
    )


def _edge(fixtures: tuple[FixtureCurve, ...], rising: bool) -> float:
    wave = next((f for f in fixtures if f.rising == rising), None)
    if wave is None:
        return math.nan
    y = (wave.volts - wave.volts[0]) / (wave.volts[-1] - wave.volts[0])
    reached = [float(wave.time[int(np.argmax(y >= share))]) for share in (0.2, 0.8)]
    return reached[1] - reached[0]


DEVICE_MODEL: Study[DeviceInputs, DeviceResult] = Study(
    "device_model", _run, DeviceResult, title="Device model"
)
