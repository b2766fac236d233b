"""Make the device files of the Fulmar demo: made-up parts from smooth curves of our own.

The waveforms come from the engine itself, run into the fixtures with known switching factors; so a
reader of the files can be held against the truth. Run: python tools/make_devices.py
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from onda.engine.circuits.devices import Device, Port, Table, Term, Weight
from onda.engine.circuits.net import Net, ShuntBranch
from onda.engine.circuits.transient import solve_transient

FOLDER = Path(__file__).resolve().parent.parent / "src" / "onda" / "data" / "devices"
FloatArray = NDArray[np.float64]
CORNERS = ("typ", "min", "max")
STRENGTH = {"typ": 1.0, "min": 0.75, "max": 1.28}
SPEED = {"typ": 1.0, "min": 1.4, "max": 0.72}
SUPPLY = {"typ": 1.0, "min": 0.95, "max": 1.05}


@dataclass(frozen=True)
class Part:
    """A made-up output: impedance near its rail, where it saturates, how fast it is."""

    name: str
    vcc: float
    r_on: float
    v_knee: float
    edge: float
    c_comp: float
    kind: str = "Output"
    clamps: bool = True
    lines: tuple[str, ...] = ()
    spec: tuple[str, ...] = ()
    termination: float | None = None


def half(part: Part, corner: str, v: FloatArray) -> FloatArray:
    """Current of a half against the voltage over it."""
    g = STRENGTH[corner] / part.r_on
    inside = part.v_knee * np.tanh(v / part.v_knee)
    return np.where(v >= 0.0, g * inside * (1.0 + 0.04 * v), g * v)


def clamp(v: FloatArray, scale: float = 1.0) -> FloatArray:
    """Current of a clamp against the voltage beyond its rail; negative below -0.6 V."""
    beyond = np.maximum(-v - 0.55, 0.0)
    return -scale * beyond**2 / (beyond + 0.25) / 6.0


def wave(part: Part, corner: str, rising: bool, fixture_v: float) -> tuple[FloatArray, FloatArray]:
    """Waveform into 50 ohm."""
    vcc = part.vcc * SUPPLY[corner]
    v = np.linspace(-part.vcc, 2 * part.vcc, 121)
    table = Table(tuple(v), tuple(half(part, corner, v)))
    t_edge = part.edge * SPEED[corner]
    end = 8.0 * part.edge
    t = np.linspace(0.0, end, 1201)

    def ramp(start: float, length: float) -> FloatArray:
        x = np.clip((t - start) / length, 0.0, 1.0)
        return x * x * (3.0 - 2.0 * x)

    on = ramp(0.6 * part.edge, 1.25 * t_edge)
    off = 1.0 - ramp(0.5 * part.edge, 1.1 * t_edge)
    up, down = (on, off) if rising else (off, on)
    stamp = tuple(t)
    terms = (
        Term(table, 1.0, -1.0, vcc, Weight(stamp, tuple(up))),
        Term(table, -1.0, 1.0, 0.0, Weight(stamp, tuple(down))),
        *clamp_terms(part, vcc),
    )
    shunts = (ShuntBranch(0, c=part.c_comp), ShuntBranch(0, r=50.0, e=fixture_v))
    net = Net(1, shunts, devices=(Device(part.name, (Port(0, terms),)),))
    solution = solve_transient(net, end=end, step=end / 4000.0)
    out = np.linspace(0.0, end, 101)
    return out, np.interp(out, solution.time, solution.node(0))


def clamp_terms(part: Part, vcc: float) -> tuple[Term, ...]:
    if not part.clamps:
        return ()
    v = np.linspace(-part.vcc, part.vcc, 73)
    table = Table(tuple(v), tuple(clamp(v)))
    return (Term(table, 1.0, -1.0, vcc), Term(table, -1.0, 1.0, 0.0))


def eng(value: float) -> str:
    """A number as such files write it."""
    if value == 0.0:
        return "0.0"
    for scale, letter in ((1.0, ""), (1e-3, "m"), (1e-6, "u"), (1e-9, "n"), (1e-12, "p")):
        if abs(value) >= scale:
            return f"{value / scale:.5g}{letter}"
    return f"{value / 1e-15:.5g}f"


def rows(x: FloatArray, columns: list[FloatArray], scale: str = "") -> list[str]:
    return [
        f"{eng(float(a)) + scale:<12} "
        + " ".join(f"{eng(float(c[k])):<12}" for c in columns).strip()
        for k, a in enumerate(x)
    ]


def model_text(part: Part) -> list[str]:
    out = [
        "|", f"[Model] {part.name}", f"Model_type {part.kind}", "Polarity Non-Inverting",
        *part.lines,
        f"C_comp {eng(part.c_comp)}F {eng(part.c_comp * 0.85)}F {eng(part.c_comp * 1.2)}F",
        "[Temperature Range] 25 85 -40",
        f"[Voltage Range] {part.vcc}V {part.vcc * 0.95:.4g}V {part.vcc * 1.05:.4g}V",
    ]  # fmt: skip
    out += part.spec
    v = np.linspace(-part.vcc, 2 * part.vcc, 61)
    drives = part.kind != "Input"
    if drives:
        for name in ("Pulldown", "Pullup"):
            sign = 1.0 if name == "Pulldown" else -1.0
            out += [f"[{name}]", "| voltage I(typ) I(min) I(max)"]
            out += rows(v, [sign * half(part, c, v) for c in CORNERS])
    if part.clamps:
        at = np.linspace(-part.vcc, part.vcc, 37)
        for name, sign in (("GND Clamp", 1.0), ("POWER Clamp", -1.0)):
            extra = np.zeros_like(at)
            if part.termination is not None:
                # Half of a split termination: on die, to each rail.
                extra = at / (2.0 * part.termination)
            values = sign * (clamp(at) + extra)
            out += [f"[{name}]", "| voltage I(typ) I(min) I(max)"]
            out += rows(at, [values * STRENGTH[c] ** 0.3 for c in CORNERS])
    if not drives:
        return out
    dv = 0.6 * part.vcc * 50.0 / (50.0 + part.r_on)
    ramps = {c: f"{eng(dv)}/{eng(0.66 * part.edge * SPEED[c])}s" for c in CORNERS}
    out += ["[Ramp]", "R_load = 50.0"]
    for side in ("r", "f"):
        out.append(f"dV/dt_{side} " + " ".join(ramps[c] for c in CORNERS))
    for rising in (True, False):
        for high in (False, True):
            fixture = {c: part.vcc * SUPPLY[c] if high else 0.0 for c in CORNERS}
            found = [wave(part, c, rising, fixture[c]) for c in CORNERS]
            out += [
                f"[{'Rising' if rising else 'Falling'} Waveform]", "R_fixture = 50.0",
                f"V_fixture = {fixture['typ']:.4g}", f"V_fixture_min = {fixture['min']:.4g}",
                f"V_fixture_max = {fixture['max']:.4g}", "| time V(typ) V(min) V(max)",
            ]  # fmt: skip
            out += rows(found[0][0], [w for _, w in found], "s")
    return out


def file_text(name: str, component: str, package: str, pins: list[str], more: list[str],
              parts: list[Part]) -> str:  # fmt: skip
    head = [
        "[IBIS Ver] 5.1", f"[File Name] {name}", "[File Rev] 1.0", "[Date] 11/2026",
        "[Source] Made up for the Fulmar demo from smooth curves; no real part.",
        "[Disclaimer] For demonstration only.", "|", f"[Component] {component}",
        "[Manufacturer] Fulmar demo", "[Package]", package,
        "[Pin] signal_name model_name R_pin L_pin C_pin", *pins, *more,
    ]  # fmt: skip
    body = [line for part in parts for line in model_text(part)]
    return "\n".join([*head, *body, "|", "[End]", ""])


PACKAGE = "\n".join(
    ["| variable typ min max", "R_pkg 80m 60m 110m", "L_pkg 1.2nH 0.9nH 1.6nH",
     "C_pkg 0.35pF 0.28pF 0.45pF"]
)  # fmt: skip
INPUT = (
    "Vinl = 0.63", "Vinh = 1.17",
)  # fmt: skip
SPEC = [
    "[Model Spec]", "| subparameter typ min max", "Vinl 0.63 0.60 0.66", "Vinh 1.17 1.11 1.23",
    "S_overshoot_high 2.1 2.05 2.2", "S_overshoot_low -0.3 -0.3 -0.3",
    "D_overshoot_high 2.4 2.35 2.5", "D_overshoot_low -0.6 -0.6 -0.6",
    "D_overshoot_time 2n 2n 2n", "Vmeas 0.9 0.855 0.945",
]  # fmt: skip


def clock_buffer() -> str:
    common = ("Vmeas = 0.9", "Cref = 10pF", "Rref = 50", "Vref = 0")
    parts = [
        Part(f"io18_{name}", 1.8, r, 0.75, edge, 2e-12, lines=common)
        for name, r, edge in (("light", 52.0, 0.62e-9), ("medium", 30.0, 0.45e-9),
                              ("strong", 17.0, 0.35e-9))
    ]  # fmt: skip
    selector = ["[Model Selector] clk_out", "io18_medium 8 mA", "io18_light 4 mA",
                "io18_strong 12 mA"]  # fmt: skip
    pins = ["C4 CLK_ADC clk_out 70m 1.1nH 0.32pF", "C6 CLK_REF clk_out 75m 1.2nH 0.33pF",
            "D1 SPI_CLK io18_strong NA NA NA", "A1 GND GND", "A2 VCC POWER"]  # fmt: skip
    return file_text("fulmar_clock.ibs", "FULMAR-CLK", PACKAGE, pins, selector, parts)


def converter() -> str:
    part = Part(
        "clk_in", 1.8, 50.0, 0.8, 0.4e-9, 3.2e-12, kind="Input", lines=INPUT, spec=tuple(SPEC)
    )
    trig = Part(
        "trig_in", 1.8, 50.0, 0.8, 0.4e-9, 4.1e-12, kind="Input", lines=INPUT, spec=tuple(SPEC)
    )
    pins = ["B2 CLK_P clk_in 60m 0.9nH 0.25pF", "B5 TRIG trig_in 65m 1.0nH 0.27pF", "A1 GND GND"]
    return file_text("fulmar_converter.ibs", "FULMAR-ADC", PACKAGE, pins, [], [part, trig])


def package_model() -> str:
    """Of the data pins in a row, as far as two pins away."""
    names = [f"E{k}" for k in range(8)]
    out = [
        "[Define Package Model] FULMAR-MEM-PKG", "[Manufacturer] Fulmar demo", "[OEM] Fulmar demo",
        "[Description] Data pins in a row, made up", f"[Number Of Pins] {len(names)}",
        "[Pin Numbers]", *names, "[Model Data]",
    ]  # fmt: skip
    for kind, own in (
        ("Resistance", ("45m",)), ("Inductance", ("0.55nH", "0.14nH", "0.05nH")),
        ("Capacitance", ("0.2pF", "-0.03pF", "-0.008pF")),
    ):  # fmt: skip
        out += [f"[{kind} Matrix] Banded_matrix", f"[Bandwidth] {len(own) - 1}"]
        for k, name in enumerate(names):
            out += [f"[Row] {name}", " ".join(own[: len(names) - k])]
    return "\n".join([*out, "[End Model Data]", "[End Package Model]"])


def memory() -> str:
    lines = ("Vinl = 0.475", "Vinh = 0.725", "Vmeas = 0.6", "Vref = 0.6", "Rref = 50", "Cref = 0")
    drives = [
        Part(f"dq_{r}", 1.2, float(r), 0.6, 0.12e-9, 1.1e-12, kind="I/O", lines=lines)
        for r in (34, 48)
    ]
    odt = [
        Part(f"dq_odt{r}", 1.2, 50.0, 0.6, 0.12e-9, 1.1e-12, kind="Input", lines=lines[:2],
             termination=float(r))
        for r in (20, 40, 60, 120)
    ]  # fmt: skip
    selector = ["[Model Selector] dq", "dq_34 RON 34 ohm", "dq_48 RON 48 ohm",
                "dq_odt20 termination 20 ohm", "dq_odt40 termination 40 ohm",
                "dq_odt60 termination 60 ohm", "dq_odt120 termination 120 ohm"]  # fmt: skip
    pins = [f"E{k} DQ{k} dq 45m 0.55nH 0.2pF" for k in range(8)]
    pins += ["E8 DM0 dq 47m 0.58nH 0.2pF", "F0 DQS0 dq 40m 0.5nH 0.19pF",
             "F1 DQS0# dq 40m 0.5nH 0.19pF", "F2 DQS1 dq 41m 0.52nH 0.19pF",
             "F3 DQS1# dq 41m 0.52nH 0.19pF"]  # fmt: skip
    pins += [f"H{k} DQ{8 + k} dq 52m 0.64nH 0.22pF" for k in range(8)]
    pins += [f"J{k} A{k} dq 50m 0.6nH 0.2pF" for k in range(4)]
    pins += ["K0 CK dq 42m 0.53nH 0.19pF", "K1 CK# dq 42m 0.53nH 0.19pF", "A1 GND GND"]
    package = f"{PACKAGE}\n[Package Model] FULMAR-MEM-PKG"
    text = file_text("fulmar_memory.ibs", "FULMAR-MEM", package, pins, selector, [*drives, *odt])
    return text.removesuffix("[End]\n") + package_model() + "\n[End]\n"


def pair() -> str:
    parts = [Part("lane_out", 1.2, 50.0, 0.9, 0.06e-9, 0.35e-12, lines=("Vmeas = 0.6",))]
    pins = ["F1 TX0_P lane_out 30m 0.25nH 0.1pF", "F2 TX0_N lane_out 30m 0.25nH 0.1pF"]
    diff = ["[Diff Pin] inv_pin vdiff tdelay_typ tdelay_min tdelay_max", "F1 F2 100mV 0 0 0"]
    return file_text("fulmar_lane.ibs", "FULMAR-TX", PACKAGE, pins, diff, parts)


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name, text in (
        ("fulmar_clock.ibs", clock_buffer()), ("fulmar_converter.ibs", converter()),
        ("fulmar_memory.ibs", memory()), ("fulmar_lane.ibs", pair()),
    ):  # fmt: skip
        (FOLDER / name).write_text(text, encoding="ascii")


if __name__ == "__main__":
    main()
