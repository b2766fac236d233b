"""A via's capacitance against finite volumes on a grid, refined; and limits with a closed form."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import spsolve

from onda.engine.constants import EPS0_F_PER_M as EPS0
from onda.engine.via_field import Disc, ViaStack, via_charge
from onda.errors import NotPhysical

UM = 1e-6


def stack(planes: int, *, pads: bool = True, hole: float = 400 * UM, gap: float = 200 * UM):
    pitch, t = gap + 20 * UM, 20 * UM
    high = planes * pitch + gap + 2 * t
    return ViaStack(
        120 * UM,
        0.0,
        high,
        tuple(Disc(k * pitch + gap, k * pitch + gap + t, hole) for k in range(planes)),
        (Disc(0.0, t, 240 * UM), Disc(high - t, high, 240 * UM)) if pads else (),
    )


def on_a_grid(via: ViaStack, er: float, h: float) -> float:
    """Capacitance by finite volumes on squares of `h` in r and z, within a box at 0 V."""
    room = 4.0 * via.planes[0].radius
    z = np.arange(via.low - room, via.high + room + h / 2, h)
    r = np.arange(0.0, 4.0 * via.planes[0].radius + h / 2, h)
    at_r, at_z = np.meshgrid(r, z, indexing="ij")
    slack = 1e-6 * h

    def within(low: float, high: float) -> np.ndarray:
        return (at_z >= low - slack) & (at_z <= high + slack)

    volts = np.full(at_r.shape, np.nan)
    volts[(at_r <= via.radius + slack) & within(via.low, via.high)] = 1.0
    for pad in via.pads:
        volts[(at_r <= pad.radius + slack) & within(pad.low, pad.high)] = 1.0
    for plane in via.planes:
        volts[(at_r >= plane.radius - slack) & within(plane.low, plane.high)] = 0.0
    volts[:, 0] = volts[:, -1] = 0.0
    index = np.arange(volts.size).reshape(volts.shape)
    along_r = np.repeat(2.0 * np.pi * (r[:-1] + h / 2)[:, None], len(z), axis=1)
    ring = np.where(r == 0.0, np.pi * (h / 2) ** 2, 2.0 * np.pi * r * h) / h
    along_z = np.repeat(ring[:, None], len(z) - 1, axis=1)
    i = np.concatenate([index[:-1].ravel(), index[:, :-1].ravel()])
    j = np.concatenate([index[1:].ravel(), index[:, 1:].ravel()])
    g = np.concatenate([along_r.ravel(), along_z.ravel()])
    entries = (np.concatenate([g, g, -g, -g]), (np.r_[i, j, i, j], np.r_[i, j, j, i]))
    matrix = coo_matrix(entries, shape=(volts.size,) * 2).tocsr()
    flat = volts.ravel()
    free, held = np.flatnonzero(np.isnan(flat)), np.flatnonzero(~np.isnan(flat))
    flat[free] = spsolve(matrix[free][:, free].tocsc(), -(matrix[free][:, held] @ flat[held]))
    charge = matrix @ flat
    return float(charge[held][flat[held] == 1.0].sum() * EPS0 * er)


@pytest.mark.parametrize(
    ("planes", "pads", "hole"),
    [(1, False, 400 * UM), (2, True, 400 * UM), (4, True, 300 * UM), (6, False, 400 * UM)],
)
def test_it_is_that_of_a_grid_that_is_refined(planes: int, pads: bool, hole: float) -> None:
    via = stack(planes, pads=pads, hole=hole)
    coarse, fine = on_a_grid(via, 4.0, 20 * UM), on_a_grid(via, 4.0, 10 * UM)
    # Corners make the error of a grid fall about as its step does.
    assert via_charge(via, 4.0).total == pytest.approx(2.0 * fine - coarse, rel=0.02)


def test_many_close_planes_are_a_coaxial_line() -> None:
    via = stack(40, pads=False, gap=20 * UM)
    middle = via_charge(via, 3.5).between(0.3 * via.high, 0.7 * via.high)
    length = 0.4 * via.high
    want = 2.0 * math.pi * EPS0 * 3.5 / math.log(400 / 120)
    assert middle / length == pytest.approx(want, rel=0.03)


def test_what_lies_between_heights_adds_up() -> None:
    via = stack(3)
    # As far from one pad as from the other.
    planes = tuple(replace(p, low=p.low + 20 * UM, high=p.high + 20 * UM) for p in via.planes)
    assert planes[0].low - 20 * UM == pytest.approx(via.high - 20 * UM - planes[-1].high)
    via = replace(via, planes=planes)
    found = via_charge(via, 4.0)
    half = 0.5 * via.high
    sums = [found.between(-1.0, half), found.between(half, 1.0)]
    assert sum(sums) == pytest.approx(found.total)
    assert sums[0] == pytest.approx(sums[1], rel=1e-6)
    assert found.between(-1, 1, pads=True) + found.between(-1, 1, pads=False) == pytest.approx(
        found.total
    )
    assert found.between(-1, 1, pads=True) > 0.0
    # Twice the dielectric, twice the charge.
    assert via_charge(via, 8.0).total == pytest.approx(2.0 * found.total)


@pytest.mark.parametrize(
    ("made", "words"),
    [
        (ViaStack(0.0, 0.0, 1e-3, (Disc(1e-4, 2e-4, 1e-3),)), "barrel"),
        (ViaStack(1e-4, 0.0, 1e-3, ()), "planes"),
        (ViaStack(1e-4, 0.0, 1e-3, (Disc(1e-4, 2e-4, 1e-4),)), "plane or pad"),
        (
            ViaStack(1e-4, 0.0, 1e-3, (Disc(0.0, 1e-4, 3e-4),), (Disc(0.0, 1e-4, 4e-4),)),
            "anti-pad",
        ),
    ],
)
def test_vias_that_cannot_be(made: ViaStack, words: str) -> None:
    with pytest.raises(NotPhysical, match=words):
        via_charge(made, 4.0)
