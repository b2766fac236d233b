"""From what an IBIS file says to a buffer at one corner."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.devices import Table
from onda.engine.devices import LoadSide, MakersLoad, MakerWave
from onda.engine.devices.buffer import Buffer, FixtureWave, RampTimes, Thresholds
from onda.errors import InputError
from onda.formats.ibis.model import CORNERS, IbisFile, IbisModel, IvTable, Remark

__all__ = ["buffer_of", "makers_waves", "package_matrices", "pin_package"]

FloatArray = NDArray[np.float64]


def buffer_of(file: IbisFile, name: str, corner: str = "typ") -> Buffer:
    """A model at a corner: "typ", "min" (slow, weak) or "max" (fast, strong).

    The capacitance goes the other way: the slow corner has the larger one.

    Raises
    ------
    InputError : there is no such model, or an error of the file spoils it
    """
    model = file.models.get(name)
    if model is None:
        raise InputError(
            f"there is no model {name!r}",
            file=file.name,
            remedy=f"It has: {', '.join(list(file.models)[:12]) or 'none'}.",
        )
    errors = file.remarks_of(name, "error")
    if errors:
        first = errors[0]
        raise InputError(
            f"model {name} cannot be used: {first.keyword} {first.text}",
            file=file.name,
            line=first.line,
            remedy="Mend the file, or use a linear device.",
        )
    rails = _rails(model, corner)
    kind = model.type.lower()
    tables = {t: _table(model.tables.get(t), corner) for t in _TABLES}
    clamps = _with_clamping_submodels(file, model, corner, tables)
    open_low = "drain" in kind or "sink" in kind
    return Buffer(
        name=name,
        kind=model.type,
        pullup=None if open_low or not model.drives else tables["pullup"],
        pulldown=None if "source" in kind or not model.drives else tables["pulldown"],
        power_clamp=clamps["power clamp"],
        gnd_clamp=clamps["gnd clamp"],
        v_pullup=rails["pullup"],
        v_pulldown=rails["pulldown"],
        v_power=rails["power clamp"],
        v_gnd=rails["gnd clamp"],
        c_comp=_c_comp(model, corner),
        waves=_waves(model, corner) if model.drives else (),
        ramp_rise=_ramp(model, corner, rising=True),
        ramp_fall=_ramp(model, corner, rising=False),
        thresholds=_thresholds(model, corner),
        pulldown_from_top="ecl" in kind,
        c_load=model.numbers.get("cref", 0.0),
        r_load=model.numbers.get("rref"),
        v_load=model.numbers.get("vref", 0.0),
    )


_TABLES = ("pullup", "pulldown", "power clamp", "gnd clamp")


def _rails(model: IbisModel, corner: str) -> dict[str, float]:
    supply = model.corners.get("voltage range")
    top = None if supply is None else supply.at(corner)
    out = {}
    for name, default in (
        ("pullup", top),
        ("pulldown", 0.0),
        ("power clamp", top),
        ("gnd clamp", 0.0),
    ):
        stated = model.corners.get(f"{name} reference")
        value = None if stated is None else stated.at(corner)
        out[name] = float(value if value is not None else (default or 0.0))
    return out


def _c_comp(model: IbisModel, corner: str) -> float:
    """The slow corner has the larger capacitance; split parts add up."""
    whole = model.corners.get("c_comp")
    parts = (
        [whole]
        if whole is not None
        else [c for key, c in model.corners.items() if key.startswith("c_comp_")]
    )
    total = 0.0
    for c in parts:
        values = [v for v in (c.typ, c.min, c.max) if v is not None]
        if not values:
            continue
        wanted = {"typ": c.typ, "min": max(values), "max": min(values)}[corner]
        total += values[0] if wanted is None else wanted
    return max(total, 0.0)


def _column(corner: str) -> int:
    return CORNERS.index(corner) + 1


def _table(table: IvTable | None, corner: str) -> Table | None:
    if table is None or len(table.rows) < 2:
        return None
    k = _column(corner)
    volts = tuple(r[0] for r in table.rows)
    amps = tuple(float(r[k] if r[k] is not None else r[1] or 0.0) for r in table.rows)  # type: ignore[arg-type]
    return Table(volts, amps)


def _with_clamping_submodels(
    file: IbisFile, model: IbisModel, corner: str, tables: dict[str, Table | None]
) -> dict[str, Table | None]:
    """Clamps of the model with those of its dynamic clamps; what is not simulated is told."""
    out = dict(tables)
    for name, _ in model.submodels:
        sub = file.submodels.get(name)
        if sub is None:
            _caution(file, model, f"there is no submodel {name}")
            continue
        kind = sub.type.lower()
        if "dynamic_clamp" not in kind:
            _caution(file, model, f"submodel {name} ({sub.type}) is read, not simulated")
            continue
        for which in ("power clamp", "gnd clamp"):
            out[which] = _sum(out[which], _table(sub.tables.get(which), corner))
    return out


def _caution(file: IbisFile, model: IbisModel, text: str) -> None:
    remark = Remark("caution", model.line, "[Add Submodel]", text, model.name)
    if remark not in file.remarks:
        file.remarks.append(remark)


def _sum(a: Table | None, b: Table | None) -> Table | None:
    if a is None or b is None:
        return a or b
    volts = tuple(sorted({*a.volts, *b.volts}))
    at = np.array(volts)
    return Table(volts, tuple((a.at(at) + b.at(at)).tolist()))


def _waves(model: IbisModel, corner: str) -> tuple[FixtureWave, ...]:
    k = _column(corner)
    out = []
    for wave in model.waveforms:
        v = wave.fixture.v.at(corner)
        if wave.fixture.r is None or v is None:
            continue
        rows = [(r[0], r[k] if r[k] is not None else r[1]) for r in wave.rows]
        time = tuple(float(t) for t, _ in rows)
        volts = tuple(float(x or 0.0) for _, x in rows)
        out.append(FixtureWave(wave.rising, wave.fixture.r, v, wave.fixture.c, time, volts))
    return tuple(out)


def _ramp(model: IbisModel, corner: str, *, rising: bool) -> RampTimes | None:
    if model.ramp is None:
        return None
    side = model.ramp.rise if rising else model.ramp.fall
    pair = side.get(corner, side.get("typ"))
    return None if pair is None else RampTimes(pair[0], pair[1], model.ramp.r_load)


def _thresholds(model: IbisModel, corner: str) -> Thresholds:
    """From [Model Spec] first, then the model's own Vinl and Vinh, then [Receiver Thresholds]."""

    def spec(*names: str) -> float | None:
        for name in names:
            found = model.spec.get(name)
            if found is not None and found.at(corner) is not None:
                return found.at(corner)
        return None

    numbers, more = model.numbers, model.thresholds
    v_th = more.get("vth")

    def around(name: str) -> float | None:
        offset = more.get(name)
        return None if offset is None or v_th is None else v_th + offset

    def first(*values: float | None) -> float | None:
        return next((v for v in values if v is not None), None)

    return Thresholds(
        v_il=first(spec("vinl"), numbers.get("vinl"), around("vinl_dc"), around("vinl_ac")),
        v_ih=first(spec("vinh"), numbers.get("vinh"), around("vinh_dc"), around("vinh_ac")),
        v_meas=first(spec("vmeas"), numbers.get("vmeas"), v_th),
        over_high=spec("s_overshoot_high"),
        over_low=spec("s_overshoot_low"),
        over_high_dynamic=spec("d_overshoot_high"),
        over_low_dynamic=spec("d_overshoot_low"),
        over_time=spec("d_overshoot_time"),
        pulse_high=spec("pulse_high"),
        pulse_low=spec("pulse_low"),
        pulse_time=spec("pulse_time"),
    )


def makers_waves(file: IbisFile, model: str) -> tuple[MakerWave, ...]:
    """Test waveforms of a model at typ, each with its load; those of unknown loads are left out."""
    out = []
    for test in file.test_data:
        values = file.test_loads.get(test.texts.get("test_load", ""))
        if test.texts.get("driver_model") != model or values is None:
            continue
        load = _load(values)
        for rising, rows in test.near.items():
            known = [(t, v) for t, v in rows if v is not None]
            rises = all(b[0] > a[0] for a, b in itertools.pairwise(known))
            if len(known) < 2 or not rises:
                continue
            time, volts = zip(*known, strict=True)
            out.append(MakerWave(test.name, rising, load, time, volts))
    return tuple(out)


def _load(values: dict[str, float]) -> MakersLoad:
    def side(name: str) -> LoadSide:
        return LoadSide(
            c1=values.get(f"c1_{name}", 0.0),
            rs=values.get(f"rs_{name}", 0.0),
            ls=values.get(f"ls_{name}", 0.0),
            c2=values.get(f"c2_{name}", 0.0),
            rp1=values.get(f"rp1_{name}"),
            rp2=values.get(f"rp2_{name}"),
        )

    return MakersLoad(
        side("near"),
        side("far"),
        v1=values.get("v_term1", 0.0),
        v2=values.get("v_term2", 0.0),
        z0=values.get("zo"),
        delay=values.get("td", 0.0),
    )


def pin_package(
    file: IbisFile, component: str, pin: str, corner: str = "typ"
) -> tuple[float, float, float]:
    """R (ohm), L (H) and C (F) of a pin's package: its own, its package model's, or the common one.

    Raises
    ------
    InputError : there is no such component or pin
    """
    part = file.components.get(component)
    if part is None or pin not in part.pins:
        what = f"component {component!r}" if part is None else f"pin {pin!r} on {component}"
        raise InputError(f"there is no {what}", file=file.name, remedy="Choose one of the file's.")
    entry = part.pins[pin]
    package = file.packages.get(part.package_model)
    out = []
    for kind, own in (("r", entry.r), ("l", entry.inductance), ("c", entry.c)):
        common = part.package.get(kind)
        value = own if own is not None else (common.at(corner) if common is not None else None)
        if package is not None and pin in package.pins and package.entries.get(kind):
            value = package.entry(kind, pin, pin)
        out.append(max(float(value or 0.0), 0.0))
    return out[0], out[1], out[2]


def package_matrices(
    file: IbisFile, component: str, pins: Sequence[str], corner: str = "typ"
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """R (n,) ohm, L (n, n) H and C (n, n) F, as Maxwell has it, of the package of some pins.

    What pins have in common is there where the file has a package model; else they are each by
    themselves. An empty `component` is the first one that has all pins.

    Raises
    ------
    InputError : there is no such component or pin, or the matrices are of no passive package
    """
    if not component:
        found = (n for n, c in file.components.items() if all(p in c.pins for p in pins))
        component = next(found, next(iter(file.components), ""))
    own = np.array([pin_package(file, component, pin, corner) for pin in pins])
    r, inductance, c = own[:, 0], np.diag(own[:, 1]), np.diag(own[:, 2])
    package = file.packages.get(file.components[component].package_model)
    if package is not None:
        for i, a in enumerate(pins):
            for j, b in enumerate(pins):
                if i != j:
                    inductance[i, j] = package.entry("l", a, b)
                    # Some makers write mutual capacitance as it is, some as Maxwell has it.
                    c[i, j] = -abs(package.entry("c", a, b))
    for name, matrix in (("inductance", inductance), ("capacitance", c)):
        if np.linalg.eigvalsh(matrix).min() < -1e-9 * max(float(np.abs(matrix).max()), 1e-30):
            raise InputError(
                f"the {name} matrix of {component} is of no passive package",
                file=file.name,
                remedy="Leave the pins away, or correct the package model.",
            )
    return r, inductance, c
