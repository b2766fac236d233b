"""Writes the case files of our own: each answer found another way than the engine does.

A cut line by the telegraph equations of the whole line, doubled from a very short piece and
inverted; the impedance along a lossy line by what it was made of; an unequal pair by a step from
two current sources into a long line; a via by finite volumes, refined. Run from the root of the
repository: python tools/make_cases.py
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT))

from tests.engine.inverted import line_admittance, node_volts  # noqa: E402
from tests.engine.test_unlossed import DELAY, EDGE, F, chain  # noqa: E402
from tests.engine.test_via_field import on_a_grid, stack  # noqa: E402

from onda.engine.circuits import (  # noqa: E402
    CoupledPiece,
    Net,
    ShuntBranch,
    solve_transient,
)
from onda.engine.circuits.stimulus import edge  # noqa: E402
from onda.engine.coupled_lines import lossless_coupled  # noqa: E402

TARGET = ROOT / "src" / "onda" / "verification" / "cases"
DIELECTRIC = {"eps_inf": 3.62, "delta_eps": 0.62, "m1": 4.0, "m2": 14.0}


def permittivity(s: np.ndarray) -> np.ndarray:
    """The wideband model, written out."""
    d = DIELECTRIC
    spread = np.log10(10 ** d["m2"] + s) - np.log10(10 ** d["m1"] + s)
    return np.asarray(d["eps_inf"] + d["delta_eps"] / (d["m2"] - d["m1"]) * spread)


def cut_line(name: str, pieces: int, rise: float, load: float) -> dict[str, Any]:
    """One case."""
    er = float(permittivity(np.array([2j * np.pi * 1e9]))[0].real)
    v = 299792458.0 / er**0.5
    inductance, c = 50.0 / v, 1.0 / (50.0 * v)
    r_dc, skin, length = 6.0, 1.2e-3, 0.03
    end = 6.0 * rise + 1e-9

    def admittance(s: np.ndarray) -> np.ndarray:
        z = r_dc + skin * np.sqrt(s / np.pi) + s * inductance
        y = s * c * permittivity(s) / er
        return line_admittance(z[:, None, None], y[:, None, None], length)

    def injected(s: np.ndarray) -> np.ndarray:
        ramp = (1.0 - np.exp(-s * rise)) / (s * s * rise)
        return np.stack([ramp / 50.0, 0.0 * s], axis=-1)

    ends = np.array([1.0 / 50.0, 1.0 / load])
    at = np.linspace(0.02, 0.98, 61) * end
    volts = node_volts(
        admittance, lambda s: ends + 0j * s[:, None], injected, at, window=end, points=2**16
    )[:, 1]
    inputs = {
        "L": inductance, "C_ref": c, "eps_r_ref": er, **DIELECTRIC, "R_dc": r_dc, "k_skin": skin,
        "length": length, "pieces": pieces, "R_source": 50.0, "R_load": load,
        "rise_time_0_100_linear": rise,
    }  # fmt: skip
    swing = float(np.ptp(volts))
    return _case(name, inputs, {"time": at}, {"v_load": volts}, {"abs_volt": 2e-3 * swing})


def lossy_peel(name: str, sections: tuple[tuple[float, float], ...]) -> dict[str, Any]:
    """One case."""
    s = chain(sections, 0.015, 1.0e-3)
    at, z, start = [], [], 0.0
    for ohm, length in sections:
        took = length * DELAY
        at += [start + share * took for share in (0.3, 0.5, 0.7, 0.9)]
        z += [ohm] * 4
        start += took
    some = slice(None, None, 2)
    inputs = {
        "frequency": F[some], "S_re_im": np.stack([s.real, s.imag], -1)[some].round(8),
        "reference_ohm": 50.0, "rise_20_80": EDGE.rise,
    }  # fmt: skip
    out = {"Z": np.array(z), "parts": 0.0}
    return _case(name, inputs, {"one_way_delay": np.array(at)}, out, {"Z_rel": 0.01, "parts": 0.5})


def unequal_pair(name: str, inductance: np.ndarray, c: np.ndarray) -> dict[str, Any]:
    """One case."""
    big = 1e7
    found = []
    for signs in ((1.0, -1.0), (1.0, 1.0)):
        shunts = [ShuntBranch(k, r=big, source=True, drive=k) for k in (0, 1)]
        shunts += [ShuntBranch(k, r=50.0) for k in (2, 3)]
        piece = CoupledPiece((0, 1), (2, 3), lossless_coupled(inductance, c), 0.5)
        net = Net(4, tuple(shunts), coupled=(piece,))
        stimuli = [edge(0.0, sign * big, 50e-12) for sign in signs]
        found.append(solve_transient(net, stimuli, end=2e-9, step=1e-12).volts[1500, :2])
    apart, alike = found
    out = {
        "Zdiff": apart[0] - apart[1],
        "Zcommon": 0.25 * alike.sum(),
        "common_per_differential_volt": 0.5 * apart.sum() / (apart[0] - apart[1]),
    }
    inputs = {"L_matrix": inductance, "C_maxwell_matrix": c}
    return _case(name, inputs, {}, out, {"rel": 1e-3})


def via(name: str, planes: int, pads: bool) -> dict[str, Any]:
    """One case."""
    made = stack(planes, pads=pads)
    coarse, fine = (on_a_grid(made, 4.0, h) for h in (10e-6, 5e-6))
    inputs = {
        "barrel_radius": made.radius,
        "barrel_low_high": [made.low, made.high],
        "planes_low_high_hole_radius": [[p.low, p.high, p.radius] for p in made.planes],
        "pads_low_high_radius": [[p.low, p.high, p.radius] for p in made.pads],
        "eps_r": 4.0,
    }
    return _case(name, inputs, {}, {"C": 2.0 * fine - coarse}, {"C_rel": 0.02})


def _case(
    name: str, inputs: dict[str, Any], at: dict[str, Any], out: dict[str, Any], allowed: dict
) -> dict[str, Any]:
    return {
        "id": name,
        "description": name.replace("_", " "),
        "inputs": _plain(inputs),
        "at": _plain(at),
        "outputs": _plain(out),
        "tolerance": _plain(allowed),
    }


def _plain(values: dict[str, Any]) -> dict[str, Any]:
    return {
        k: v.tolist() if isinstance(v, np.ndarray | np.generic) else v for k, v in values.items()
    }


def main() -> None:
    """Write the files."""
    thick = (
        np.array([[3.4e-7, 9e-8], [9e-8, 2.6e-7]]),
        np.array([[1.1e-10, -3e-11], [-3e-11, 1.5e-10]]),
    )
    thin = (
        np.array([[2.9e-7, 4e-8], [4e-8, 2.8e-7]]),
        np.array([[1.2e-10, -1e-11], [-1e-11, 1.2e-10]]),
    )
    files = {
        "cut_line": [
            cut_line("cut_01_whole", 1, 100e-12, 50.0),
            cut_line("cut_02_sixty", 60, 100e-12, 50.0),
            cut_line("cut_03_two_hundred_slow_open", 200, 2e-9, 5000.0),
        ],
        "lossy_peel": [
            lossy_peel("peel_01_300mm", ((50.0, 0.3),)),
            lossy_peel("peel_02_three_sections", ((50.0, 0.1), (60.0, 0.1), (45.0, 0.1))),
        ],
        "unequal_pair": [unequal_pair("pair_01", *thick), unequal_pair("pair_02", *thin)],
        "via": [via("via_01_one_plane", 1, False), via("via_02_four_planes_pads", 4, True)],
    }
    for topic, cases in files.items():
        tree = {"topic": topic, "conventions": {"made_by": "tools/make_cases.py"}, "cases": cases}
        text = json.dumps(tree, separators=(",", ":"))
        (TARGET / f"{topic}.json").write_text(text + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
