"""Vias side by side: a single one is the via by itself; rows against currents found another way."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from onda.engine.coupling.group import vias_network
from onda.engine.coupling.vias import ViaRow
from onda.engine.vias import ViaGeometry, via_model
from onda.errors import NotPhysical

MU0 = 4e-7 * math.pi
ONE = ViaGeometry(
    drill=0.2e-3, pad=0.45e-3, antipad=0.7e-3, through=0.7e-3, stub=0.3e-3, er=3.6, returns=1,
    return_distance=1e-3,
    planes=((0.15e-3, 0.17e-3), (0.45e-3, 0.47e-3), (0.85e-3, 0.87e-3)),
    barrel=(0.0, 1e-3), span=(0.0, 0.7e-3), pads=((0.0, 0.04e-3), (0.68e-3, 0.7e-3)),
)  # fmt: skip
ROW = ViaRow(ONE, 4, 1, 1.2e-3, 0.8e-3, 1.7e-8)
F = np.linspace(0.0, 20e9, 201)


@pytest.mark.parametrize("returns", [1, 2, 3])
def test_one_lane_is_the_via_by_itself(returns) -> None:
    one = replace(ONE, returns=returns)
    row = ViaRow(one, 1, 1, 1e-3, 0.8e-3, 1e-12)
    model = via_model(one)
    l_per_m = model.z0 * model.delay / one.through
    assert row.inductance()[0, 0] == pytest.approx(l_per_m, rel=1e-9)
    s = vias_network(F, row, np.array([50.0]))
    w = 2 * np.pi * F[1:]
    half = 1j * w * model.pad / 2
    stub = 1j * np.tan(w * model.stub_delay) / model.stub_z0
    angle = w * model.delay
    # Chain matrices: half the pads, the line, half the pads and the open stub.
    a, b, c, d = (np.cos(angle), 1j * model.z0 * np.sin(angle), 1j * np.sin(angle) / model.z0,
                  np.cos(angle))  # fmt: skip
    last = half + stub
    a2, b2 = a + b * last, b
    c2, d2 = c + d * last + half * a2, d + half * b
    through = 2.0 / (a2 + b2 / 50.0 + c2 * 50.0 + d2)
    assert s[1:, 1, 0] == pytest.approx(through, abs=2e-5)
    assert row.delay == model.delay
    # What comes back tells at which end the stub hangs.
    back = (a2 + b2 / 50.0 - c2 * 50.0 - d2) / (a2 + b2 / 50.0 + c2 * 50.0 + d2)
    assert s[1:, 0, 0] == pytest.approx(back, abs=3e-5)
    turned = vias_network(F, row.turned, np.array([50.0]))
    assert turned[1:, 1, 1] == pytest.approx(back, abs=3e-5)
    assert np.abs(turned[1:, 0, 0] - back).max() > 1e-3


def brute(row: ViaRow) -> np.ndarray:
    """Currents of all wires at once: voltages of return vias alike, their sum against the rest."""
    x = row.places
    wires = [(float(a), 0.0) for a in x] + [tuple(r) for r in row._returns]
    n, m = len(x), len(wires)
    p = np.array(
        [
            [
                -MU0 / (2 * math.pi) * math.log(math.dist(a, b) if a != b else row.one.drill / 2)
                for b in wires
            ]
            for a in wires
        ]
    )
    out = np.empty((n, n))
    for k in range(n):
        # Unknown: currents of the return vias, and the voltage that they share.
        known = p[:, k]
        a = np.zeros((m - n + 1, m - n + 1))
        a[:-1, :-1], a[:-1, -1], a[-1, :-1] = p[n:, n:], -1.0, 1.0
        found = np.linalg.solve(a, np.concatenate([-known[n:], [-1.0]]))
        out[:, k] = known[:n] + p[:n, n:] @ found[:-1] - found[-1]
    return out


@pytest.mark.parametrize("row", [ROW, replace(ROW, lanes=3, barrels=2, pitch=2.4e-3),
                                 replace(ROW, one=replace(ONE, returns=2))])  # fmt: skip
def test_currents_close_through_all_return_vias(row) -> None:
    assert row.inductance() == pytest.approx(brute(row), rel=1e-9)


def test_nearer_vias_couple_more_and_a_second_return_via_less() -> None:
    def share(row: ViaRow) -> float:
        found = row.inductance()
        return float(found[0, 1] / found[0, 0])

    assert share(replace(ROW, pitch=0.8e-3)) > share(ROW) > share(replace(ROW, pitch=3e-3))
    assert share(replace(ROW, one=replace(ONE, returns=2))) < share(ROW)
    # Without a return via all of them close 5 mm away, and see much of each other.
    assert share(replace(ROW, one=replace(ONE, returns=0))) > 1.5 * share(ROW)


def test_a_row_is_reciprocal_and_passive_and_turns_round() -> None:
    row = replace(ROW, lanes=3, barrels=2, pitch=2.4e-3)
    s = vias_network(F, row, np.full(6, 50.0))
    assert np.abs(s - s.transpose(0, 2, 1)).max() < 1e-9
    assert np.linalg.svd(s, compute_uv=False).max() < 1.0 + 1e-9
    other = vias_network(F, row.turned, np.full(6, 50.0))
    ends = np.r_[6:12, 0:6]
    assert other[:, ends][:, :, ends] == pytest.approx(s, abs=5e-9)
    assert row.ends[1] - row.ends[0] == pytest.approx(row.turned.ends[0] - row.turned.ends[1])
    assert row.ends[1] > row.ends[0]


def test_the_stub_shorts_where_it_is_a_quarter_long() -> None:
    model = via_model(ONE)
    row = replace(ROW, lanes=2)
    f = np.linspace(0.6, 1.4, 801) * model.stub_resonance
    s = vias_network(f, row, np.full(2, 50.0))
    # Both barrels together and both apart have stubs of their own inductance.
    both = brute(row)
    alone = brute(replace(row, lanes=1))[0, 0]
    even, odd = (np.abs(s[:, 2, 0] + sign * s[:, 2, 1]) for sign in (1.0, -1.0))
    for y, sign in ((even, 1.0), (odd, -1.0)):
        expected = math.sqrt(alone / (both[0, 0] + sign * both[0, 1]))
        assert f[np.argmin(y)] / model.stub_resonance == pytest.approx(expected, rel=0.01)


def test_vias_that_touch_are_refused() -> None:
    with pytest.raises(NotPhysical, match=r"0\.3 mm from one to another"):
        replace(ROW, pitch=0.3e-3).inductance()
    with pytest.raises(NotPhysical, match="references"):
        vias_network(F, ROW, np.full(3, 50.0))
