"""The structures offered by name: limits they must tend to, and what they refuse."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.linalg import eigh, expm

from onda.engine.circuits import CoupledPiece, Net, ShuntBranch, solve_transient
from onda.engine.circuits.stimulus import edge
from onda.engine.coupled_lines import lossless_coupled
from onda.engine.section import solve_section
from onda.engine.section.modes import pair_modes, rest_currents, resting_mode, single_mode
from onda.engine.section.multiline import line_modes
from onda.engine.section.structures import (
    Coating,
    Coplanar,
    Facing,
    Opening,
    Slab,
    TraceShape,
    trace_section,
)
from onda.errors import NotPhysical
from tests.shapes import UM

CORE = Slab(100 * UM, 3.7, "core")
PREPREG = Slab(120 * UM, 3.4, "prepreg")
TRACE = TraceShape(100 * UM, 17 * UM, 5 * UM)
MASK = Coating(25 * UM, 14 * UM, 12 * UM, 3.5, "mask")


def z_single(trace: TraceShape, **build) -> float:
    return single_mode(solve_section(trace_section(trace, **build))).z0


def test_coplanar_grounds_far_away_do_not_matter() -> None:
    open_ = z_single(TRACE, below=(CORE,))
    near = z_single(replace(TRACE, coplanar=Coplanar(60 * UM, 600 * UM)), below=(CORE,))
    far = z_single(replace(TRACE, coplanar=Coplanar(1500 * UM, 600 * UM)), below=(CORE,))
    assert near < 0.97 * open_
    assert far == pytest.approx(open_, rel=2e-3)


def test_coplanar_line_without_a_plane() -> None:
    coplanar = replace(TRACE, coplanar=Coplanar(100 * UM, 600 * UM))
    alone = z_single(coplanar, below=(CORE,), plane_below=False)
    assert alone > z_single(coplanar, below=(CORE,))
    coated = z_single(coplanar, below=(CORE,), plane_below=False, coating=MASK)
    assert coated < alone


def test_opening_in_the_plane_raises_impedance() -> None:
    whole = z_single(TRACE, below=(CORE,))
    beyond = (Slab(130 * UM, 3.7, "core"),)

    def opened(width: float, offset: float = 0.0) -> float:
        opening = Opening(width, offset, 17 * UM, beyond, True)
        return z_single(TRACE, below=(CORE,), opening=opening)

    assert opened(20 * UM) == pytest.approx(whole, rel=0.02)
    assert whole < opened(200 * UM) < opened(600 * UM)
    # An opening beside the trace matters less than one under it.
    assert opened(200 * UM, 400 * UM) < opened(200 * UM)


def test_broadside_pair_turns_into_two_lines_when_far_apart() -> None:
    def pair(distance: float):
        above = (Slab(distance, 3.7, "core"), Slab(17 * UM, 3.7, "core"), replace(CORE))
        facing = Facing(distance, 17 * UM, 5 * UM, True)
        shape = replace(TRACE, facing=facing)
        section = trace_section(shape, below=(CORE,), above=above, beside=CORE, plane_above=True)
        return pair_modes(solve_section(section))

    near, far = pair(60 * UM), pair(900 * UM)
    assert near.coupling > 0.3
    assert far.coupling < 0.03
    assert near.odd.z0 < far.odd.z0


def uneven_broadside():
    """One line of a pair nearer to its plane than the other, and in another dielectric."""
    above = (
        Slab(60 * UM, 3.2, "prepreg"),
        Slab(17 * UM, 3.2, "prepreg"),
        Slab(280 * UM, 3.9, "up"),
    )
    shape = replace(TRACE, facing=Facing(60 * UM, 17 * UM, 5 * UM, True))
    section = trace_section(shape, below=(CORE,), above=above, beside=CORE, plane_above=True)
    return solve_section(section)


def test_an_unequal_pair_is_what_currents_launched_into_it_see() -> None:
    """Stepped into a long line from two current sources, no matrix of impedances anywhere."""
    result = uneven_broadside()
    pair = pair_modes(result)
    means = [
        np.sqrt((m[0, 0] + m[1, 1] - 2 * m[0, 1]) / (c[0, 0] + c[1, 1] - 2 * c[0, 1]))
        for m, c in ((result.l_ext, result.c),)
    ]
    # What means of both lines would say is off.
    assert abs(2.0 * means[0] / pair.z_diff - 1.0) > 0.003
    line = lossless_coupled(result.l_ext, result.c)
    big = 1e7
    for signs, z in (((1.0, -1.0), pair.z_diff), ((1.0, 1.0), 2.0 * pair.even.z0)):
        shunts = tuple(ShuntBranch(k, r=big, source=True, drive=k) for k in (0, 1))
        ends = tuple(ShuntBranch(k, r=50.0) for k in (2, 3))
        piece = CoupledPiece((0, 1), (2, 3), line, 0.5)
        net = Net(4, (*shunts, *ends), coupled=(piece,))
        found = solve_transient(
            net, [edge(0.0, sign * big, 50e-12) for sign in signs], end=2e-9, step=1e-12
        )
        # 1 A into each line before anything has come back.
        v = found.volts[1500, :2]
        assert v @ np.array(signs) == pytest.approx(z, rel=1e-4)
        if signs[1] < 0:
            assert 0.5 * v.sum() / (v[0] - v[1]) == pytest.approx(pair.conversion, abs=1e-5)
    assert abs(pair.conversion) > 0.02
    # The delay of either drive lies within those of the modes.
    slow, fast = line_modes(result.c, result.l_ext).delay
    for mode in (pair.odd, pair.even):
        assert fast <= mode.delay <= slow
        assert mode.z0 == pytest.approx(np.sqrt(mode.inductance / mode.capacitance))


def test_a_symmetric_pair_is_its_odd_and_even_mode() -> None:
    result = solve_section(trace_section(replace(TRACE, gap=90 * UM), below=(CORE,), coating=MASK))
    pair = pair_modes(result)
    for mode, sign in ((pair.odd, -1.0), (pair.even, 1.0)):
        c = result.c[0, 0] + sign * result.c[0, 1]
        inductance = result.l_ext[0, 0] + sign * result.l_ext[0, 1]
        assert mode.z0 == pytest.approx(np.sqrt(inductance / c), rel=1e-6)
        assert mode.delay == pytest.approx(np.sqrt(inductance * c), rel=1e-6)
    assert abs(pair.conversion) < 1e-6


def test_group_is_symmetric_and_its_middle_is_like_a_pair() -> None:
    shape = replace(TRACE, gap=120 * UM, count=5)
    result = solve_section(trace_section(shape, below=(CORE,), coating=MASK))
    assert result.signals == ("1", "2", "3", "4", "5")
    assert result.c[0, 0] == pytest.approx(result.c[4, 4], rel=1e-6)
    assert result.c[0, 1] == pytest.approx(result.c[4, 3], rel=1e-6)
    pair = solve_section(trace_section(replace(TRACE, gap=120 * UM), below=(CORE,), coating=MASK))
    assert result.c[2, 1] == pytest.approx(pair.c[0, 1], rel=0.1)
    assert shape.span == pytest.approx(980 * UM)


@pytest.mark.parametrize("buried", [True, False])
@pytest.mark.parametrize("gap", [40 * UM, 75 * UM, 400 * UM])
def test_a_line_of_a_group_stays_within_the_modes(buried: bool, gap: float) -> None:
    """Its delay is that of the one dielectric, or between the fastest and the slowest mode; its
    impedance is that of a line whose neighbours are tied to 0 V at many places."""
    shape = replace(TRACE, width=250 * UM, gap=gap, count=3)
    core = Slab(250 * UM, 4.0, "core")
    build = {"above": (core,), "plane_above": True, "beside": core} if buried else {}
    result = solve_section(trace_section(shape, below=(core,), **build))
    mode = resting_mode(result, 1)
    squares = eigh(np.linalg.inv(result.l_ext), result.c, eigvals_only=True)
    assert squares[0] * (1 - 1e-9) <= mode.delay**-2 <= squares[-1] * (1 + 1e-9)
    if buried:
        assert mode.delay == pytest.approx(2.0 / 299792458.0, rel=1e-4)
    # A millimetre at 100 MHz with both neighbours tied at its ends: two-port of the middle line.
    w, length = 2j * np.pi * 100e6, 1e-3
    z, y = w * result.l_ext * length, w * result.c * length
    chain = expm(np.block([[np.zeros((3, 3)), -z], [-y, np.zeros((3, 3))]]))
    b = chain[:3, 3:]
    own = -np.linalg.solve(b, chain[:3, :3])[1, 1]
    mutual = np.linalg.inv(b)[1, 1]
    # Of a line: own = coth / Z, mutual = -1 / (Z sinh).
    z_line = 1.0 / np.sqrt(own**2 - mutual**2)
    assert mode.z0 == pytest.approx(abs(z_line), rel=1e-4)
    assert rest_currents(result, 1)[1] == 1.0
    flux = result.l_ext @ rest_currents(result, 1)
    assert np.abs(flux[[0, 2]]).max() < 1e-9 * flux[1]
    assert flux[1] == pytest.approx(mode.inductance, rel=1e-9)


@pytest.mark.parametrize(
    ("trace", "build", "words"),
    [
        (replace(TRACE, gap=100 * UM, count=1), {}, "count of lines"),
        (replace(TRACE, gap=100 * UM, facing=Facing(1e-4, 1e-5, 0, True)), {}, "broadside"),
        (replace(TRACE, coplanar=Coplanar(0.0, 1e-3)), {}, "coplanar gap"),
        (replace(TRACE, coplanar=Coplanar(1e-4, 5e-6)), {}, "ground's width"),
        (replace(TRACE, facing=Facing(0.0, 1e-5, 0, True)), {}, "facing distance"),
        (TRACE, {"plane_below": False}, "no plane and no coplanar ground"),
        (
            replace(TRACE, facing=Facing(1e-3, 1e-5, 0, True)),
            {"above": (PREPREG,), "plane_above": True},
            "between the planes",
        ),
    ],
)
def test_what_cannot_be_built(trace, build, words) -> None:
    with pytest.raises(NotPhysical, match=words):
        trace_section(trace, **({"below": (CORE,)} | build))
