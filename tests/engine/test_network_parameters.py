"""Matrices of networks and what is wired, ended or moved: against circuits solved by hand."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from onda.engine.lines import lossless_line
from onda.engine.networks.algebra import cascade
from onda.engine.networks.connect import extend_ports, join, sub_network, terminate
from onda.engine.networks.parameters import (
    abcd_to_s,
    hybrid_to_s,
    renormalise,
    s_to_abcd,
    s_to_y,
    s_to_z,
    y_to_s,
    z_to_s,
)
from onda.errors import NotPhysical

F = np.linspace(1e8, 1e10, 7)
RNG = np.random.default_rng(11)


def passive(n: int) -> np.ndarray:
    """A random network that loses power, more straight through than not."""
    s = RNG.normal(size=(len(F), n, n)) + 1j * RNG.normal(size=(len(F), n, n))
    s = 0.5 * s / np.linalg.svd(s, compute_uv=False).max()
    return s + 0.4 * np.roll(np.eye(n), n // 2, axis=0)


def line(z: float, delay: float) -> np.ndarray:
    return lossless_line(z).s_parameters(F, delay)


@pytest.mark.parametrize(
    "reference", [50.0, [40.0, 60.0, 75.0, 50.0], [50 + 5j, 40 - 9j, 60, 75j + 9]]
)
def test_impedance_and_admittance_there_and_back(reference: object) -> None:
    s = passive(4)
    z, y = s_to_z(s, reference), s_to_y(s, reference)
    assert z @ y == pytest.approx(np.broadcast_to(np.eye(4), s.shape), abs=1e-9)
    assert z_to_s(z, reference) == pytest.approx(s, abs=1e-10)
    assert y_to_s(y, reference) == pytest.approx(s, abs=1e-10)


def test_complex_references_keep_the_impedances() -> None:
    """The same impedance matrix whatever the references, and the power is that of power waves."""
    s = passive(3)
    new = np.array([30 + 20j, 75 - 10j, 50.0])
    moved = renormalise(s, 50.0, new)
    assert s_to_z(moved, new) == pytest.approx(s_to_z(s, 50.0), rel=1e-9)
    assert renormalise(moved, new, 50.0) == pytest.approx(s, abs=1e-11)
    # Power waves of a passive network take no more than they bring, with any reference.
    assert np.linalg.svd(moved, compute_uv=False).max() <= 1.0 + 1e-9


def test_a_load_seen_at_its_conjugate_is_matched() -> None:
    load = 30.0 + 40.0j
    s = np.full((1, 1, 1), (load - 50.0) / (load + 50.0))
    assert abs(renormalise(s, 50.0, np.conj(load))[0, 0, 0]) < 1e-12


def test_chain_matrix_of_a_line_is_the_textbook_one() -> None:
    z, delay = 65.0, 1e-10
    theta = 2 * np.pi * F * delay
    m = s_to_abcd(line(z, delay), 50.0)
    assert m[:, 0, 0] == pytest.approx(np.cos(theta))
    assert m[:, 0, 1] == pytest.approx(1j * z * np.sin(theta))
    assert m[:, 1, 0] == pytest.approx(1j * np.sin(theta) / z)
    assert abcd_to_s(m, 50.0) == pytest.approx(line(z, delay), abs=1e-12)
    two = abcd_to_s(m @ m, 50.0)
    assert two == pytest.approx(cascade(line(z, delay), line(z, delay)), abs=1e-12)


def test_chain_matrices_of_four_ports_multiply() -> None:
    a, b = passive(4), passive(4)
    made = abcd_to_s(s_to_abcd(a, 50.0) @ s_to_abcd(b, 50.0), 50.0)
    assert made == pytest.approx(cascade(a, b), abs=1e-9)


def test_hybrid_matrices_by_their_definition() -> None:
    z = s_to_z(passive(2), 50.0)
    z11, z12, z21, z22 = z[:, 0, 0], z[:, 0, 1], z[:, 1, 0], z[:, 1, 1]
    det = z11 * z22 - z12 * z21
    h = np.stack([np.stack([det / z22, z12 / z22], -1), np.stack([-z21 / z22, 1 / z22], -1)], -2)
    want = z_to_s(z, [50.0, 75.0])
    assert hybrid_to_s(h, "H", [50.0, 75.0]) == pytest.approx(want, abs=1e-10)
    assert hybrid_to_s(np.linalg.inv(h), "G", [50.0, 75.0]) == pytest.approx(want, abs=1e-10)
    with pytest.raises(NotPhysical, match="2 ports"):
        hybrid_to_s(z, "X", 50.0)


def test_what_has_no_matrix_is_told() -> None:
    plain = np.array([[[0, 1], [1, 0]]], complex)
    with pytest.raises(NotPhysical, match="no impedance"):
        s_to_z(plain, 50.0)
    with pytest.raises(NotPhysical, match="no admittance"):
        s_to_y(plain, 50.0)
    with pytest.raises(NotPhysical, match="no chain"):
        s_to_abcd(np.zeros((1, 2, 2), complex), 50.0)
    with pytest.raises(NotPhysical, match="as many ports"):
        s_to_abcd(np.zeros((1, 3, 3), complex), 50.0)
    with pytest.raises(NotPhysical, match="above 0"):
        renormalise(plain, 50.0, [50.0, -1.0 + 3j])


def test_joining_by_ports_is_cascading_where_it_should_be() -> None:
    a, b = passive(4), passive(4)
    joined = join([a, b], [((0, 2), (1, 0)), ((0, 3), (1, 1))])
    assert joined == pytest.approx(cascade(a, b), abs=1e-10)
    crossed = join([a, b], [((0, 2), (1, 1)), ((0, 3), (1, 0))])
    turned = b[:, [1, 0, 2, 3]][:, :, [1, 0, 2, 3]]
    assert crossed == pytest.approx(cascade(a, turned), abs=1e-10)


def test_a_tee_of_three_lines() -> None:
    """Three 50 ohm ends meet: a third is reflected, two thirds go on."""
    tee = np.broadcast_to((2 / 3) * np.ones((3, 3)) - np.eye(3), (len(F), 3, 3)).astype(complex)
    made = join([tee, line(50, 1e-10)], [((0, 2), (1, 0))])
    assert made[:, 0, 0] == pytest.approx(-1 / 3)
    assert abs(made[:, 0, 2]) == pytest.approx(2 / 3)


def test_an_open_line_by_ending_its_port() -> None:
    theta = 2 * np.pi * F * 1e-10
    open_end = terminate(line(50, 1e-10), 50.0, {1: np.inf})[:, 0, 0]
    assert open_end == pytest.approx(np.exp(-2j * theta))
    assert terminate(line(50, 1e-10), 50.0, {1: 0.0})[:, 0, 0] == pytest.approx(-open_end)
    matched = terminate(line(65, 1e-10), 50.0, {1: 65.0})[:, 0, 0]
    assert matched == pytest.approx((65 - 50) / (65 + 50))
    z = 25.0 - 1j / (2 * np.pi * F * 1e-12)
    load = terminate(line(50, 1e-10), 50.0, {1: z})[:, 0, 0]
    assert load == pytest.approx((z - 50) / (z + 50) * np.exp(-2j * theta))


def test_moved_planes_add_and_take_away_line() -> None:
    whole = line(65, 4e-10)
    delays = np.array([1e-10, 1e-10])
    inside = extend_ports(F, whole, delays, reference=50.0, line=65.0)
    assert inside == pytest.approx(line(65, 2e-10), abs=1e-11)
    assert extend_ports(F, inside, -delays, reference=50.0, line=65.0) == pytest.approx(
        whole, abs=1e-11
    )
    plain = extend_ports(F, line(50, 4e-10), delays)
    assert plain == pytest.approx(line(50, 2e-10), abs=1e-11)


def test_ports_and_wires_that_are_not_there() -> None:
    a = passive(2)
    with pytest.raises(NotPhysical, match="at most once"):
        sub_network(a, [0, 0])
    with pytest.raises(NotPhysical, match="between ports"):
        join([a], [((0, 0), (1, 0))])
    with pytest.raises(NotPhysical, match="at most one"):
        join([a, a], [((0, 0), (1, 0)), ((0, 0), (1, 1))])
    with pytest.raises(NotPhysical, match="one or more"):
        join([], [])
    with pytest.raises(NotPhysical, match="same frequencies"):
        join([a, a[:2]], [])
    with pytest.raises(NotPhysical, match="at most once"):
        terminate(a, 50.0, {7: 50.0})


@settings(max_examples=40, deadline=None)
@given(st.floats(1, 500), st.floats(1, 500), st.floats(1, 500))
def test_renormalising_twice_is_renormalising_once(a: float, b: float, c: float) -> None:
    s = passive(2)
    assert renormalise(renormalise(s, a, b), b, c) == pytest.approx(renormalise(s, a, c), abs=1e-9)
