"""Make the network files of the Fulmar demo with our own engine, so that their truth is known.

Run: python tools/make_networks.py
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from onda.engine.coupled_lines import CoupledLine, lossless_coupled
from onda.engine.lines import CapacitancePart, Line
from onda.engine.materials import fit_dielectric
from onda.engine.networks.algebra import cascade
from onda.engine.networks.parameters import y_to_s
from onda.formats.touchstone.write import write_touchstone

FOLDER = Path(__file__).resolve().parent.parent / "src" / "onda" / "data" / "networks"
ComplexArray = NDArray[np.complex128]
F = np.arange(1, 601) * 5e7
SPEED = 1.0 / 5.9e-9


def matrices(z_odd: float, z_even: float, between: float = 0.0) -> tuple[NDArray, NDArray]:
    """L and C of one pair, or of two with a coupling `between` their near legs, at one speed."""
    own, mutual = 0.5 * (z_even + z_odd) / SPEED, 0.5 * (z_even - z_odd) / SPEED
    if between == 0.0:
        inductance = np.array([[own, mutual], [mutual, own]])
    else:
        far = between / 4.0
        inductance = np.array(
            [
                [own, mutual, between * mutual, far * mutual],
                [mutual, own, between * mutual * 1.8, between * mutual],
                [between * mutual, between * mutual * 1.8, own, mutual],
                [far * mutual, between * mutual, mutual, own],
            ]
        )
    return inductance, np.linalg.inv(inductance) / SPEED**2


def lossy(z_odd: float, z_even: float, between: float = 0.0, loss: float = 1.0) -> CoupledLine:
    """The lines with copper and dielectric loss."""
    inductance, c = matrices(z_odd, z_even, between)
    plain = lossless_coupled(inductance, c)
    dielectric = fit_dielectric(((1e9, 3.6, 0.004 * loss),)).model
    er = float(dielectric.permittivity(np.array([2j * np.pi * 1e9]))[0].real)

    def with_loss(line: Line) -> Line:
        part = line.capacitance[0]
        return replace(
            line,
            capacitance=(CapacitancePart(part.c_ref, er, dielectric),),
            r_dc=4.0 * loss,
            k_skin=1.1e-3 * loss,
        )

    return CoupledLine(plain.transform, tuple(with_loss(m) for m in plain.modes))


def piece(line: CoupledLine, length: float) -> ComplexArray:
    return line.s_parameters(F, length)


def pads(capacitance: list[float]) -> ComplexArray:
    """A capacitance from each line to ground, as a network without length."""
    n = len(capacitance)
    y = 2j * np.pi * F[:, None] * np.array(capacitance)
    big = 1e6
    # A plain connection as a very good one.
    link = np.array([[big, -big], [-big, big]])
    out = np.zeros((len(F), 2 * n, 2 * n), dtype=complex)
    for k in range(n):
        at = np.ix_(range(len(F)), [k, n + k], [k, n + k])
        out[at] = link + 0.5 * y[:, k, None, None] * np.eye(2)
    return y_to_s(out, 50.0)


def mezzanine() -> ComplexArray:
    """One pair through the connector: pad, body of another impedance, pad; n is a bit longer."""
    body = lossy(43.0, 58.0, loss=0.4)
    return cascade(pads([90e-15, 90e-15]), piece(body, 11e-3), pads([70e-15, 95e-15]))


def hub() -> ComplexArray:
    """The hub card's half of the uplink: a via and 70 mm of line."""
    return cascade(pads([40e-15] * 2), piece(lossy(46.0, 52.0), 70e-3), pads([30e-15] * 2))


def fixture() -> ComplexArray:
    """A launch and a line to the connector, not quite of 50 ohm."""
    return cascade(pads([60e-15] * 2), piece(lossy(49.0, 53.0), 24e-3))


def cable() -> ComplexArray:
    """Sensor cable, 400 mm."""
    return cascade(
        pads([120e-15] * 2), piece(lossy(45.0, 60.0, loss=0.5), 0.4), pads([120e-15] * 2)
    )


def board(opening: bool) -> ComplexArray:
    """UP0 and UP1 on the board, 60 mm; the plane below may have an opening at 38 mm."""
    line = lossy(46.0, 51.0, 0.10)
    parts = [piece(line, 38e-3)]
    if opening:
        # No plane below: more inductance, and fields that reach the neighbour.
        parts.append(piece(lossy(66.0, 100.0, 0.55), 4e-3))
    parts.append(piece(line, 18e-3 + (0.0 if opening else 4e-3)))
    return cascade(*parts)


def swapped(s: ComplexArray) -> ComplexArray:
    """Ports as many instruments number them: 1 to 2 and 3 to 4."""
    order = [0, 2, 1, 3]
    return s[:, order][:, :, order]


def measured(s: ComplexArray) -> ComplexArray:
    """What an instrument makes of it: noise, and a calibration that gives too much back."""
    rng = np.random.default_rng(20)
    noise = rng.normal(size=s.shape) + 1j * rng.normal(size=s.shape)
    gain = 1.0 + 0.035 * np.exp(-((F / 3e9) ** 2))
    return s * gain[:, None, None] + 1.5e-4 * noise


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    through = fixture()
    back = np.roll(np.roll(through, 2, axis=1), 2, axis=2)
    files = {
        "fulmar_mezzanine.s4p": (mezzanine(), "Mezzanine connector, one pair"),
        "fulmar_hub_card.s4p": (measured(hub()), "Hub card, uplink 0, measured"),
        "fulmar_sensor_cable.s4p": (swapped(cable()), "Sensor cable, 400 mm"),
        "fulmar_board_uplinks.s8p": (board(True), "Board, uplinks 0 and 1"),
        "fulmar_board_uplinks_whole.s8p": (board(False), "Board, uplinks 0 and 1, plane whole"),
        "fulmar_fixture_2x.s4p": (cascade(through, back), "Both fixtures end to end"),
        "fulmar_mezzanine_in_fixture.s4p": (
            cascade(through, mezzanine(), back),
            "Mezzanine connector between its fixtures",
        ),
    }
    for name, (s, words) in files.items():
        comments = (words, "Made up for the Fulmar demo by Onda's own engine")
        digits = 7 if s.shape[-1] == 4 else 6
        (FOLDER / name).write_bytes(
            write_touchstone(F, s, np.array([50.0]), comments=comments, digits=digits)
        )


if __name__ == "__main__":
    main()
