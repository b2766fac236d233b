"""Algebra of networks against lines whose answers are known, and the figures of a channel."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.lines import lossless_line
from onda.engine.networks.algebra import (
    cascade,
    deembed,
    passivity,
    reciprocity,
    s_to_t,
    t_to_s,
)
from onda.engine.networks.channel_figures import (
    crosstalk_sigma,
    deviation_figure,
    fit_insertion_loss,
    multi_disturber_loss_db,
    noise_weight,
)
from onda.engine.networks.mixed_mode import mixed_mode
from onda.engine.networks.parameters import (
    renormalise,
    s_to_y,
    s_to_z,
)
from onda.engine.networks.skew import intra_pair_skew
from onda.errors import NotPhysical

F = np.linspace(1e8, 1e10, 25)


def piece(z: float, delay: float) -> np.ndarray:
    return lossless_line(z).s_parameters(F, delay)


def random_network(n: int) -> np.ndarray:
    rng = np.random.default_rng(3)
    s = rng.normal(size=(len(F), n, n)) + 1j * rng.normal(size=(len(F), n, n))
    s = 0.3 * s / np.linalg.svd(s, compute_uv=False).max()
    if n % 2 == 0:
        # Most of it comes straight through, so that it can be inverted without losing digits.
        s = s + 0.6 * np.kron(np.array([[0, 1], [1, 0]]), np.eye(n // 2))
    return s


def test_lines_in_a_row_are_one_longer_line() -> None:
    both = cascade(piece(65.0, 1e-10), piece(65.0, 2e-10))
    assert both == pytest.approx(piece(65.0, 3e-10), abs=1e-12)
    assert passivity(both) == pytest.approx(np.ones(len(F)))
    assert reciprocity(both).max() < 1e-12


@pytest.mark.parametrize("n", [2, 4, 6])
def test_transfer_and_back_and_taking_away_again(n: int) -> None:
    a, b, c = random_network(n), random_network(n)[::-1], random_network(n) * 0.7
    assert t_to_s(s_to_t(a)) == pytest.approx(a, abs=1e-9)
    assert deembed(cascade(a, b, c), a, c) == pytest.approx(b, abs=1e-8)
    assert deembed(cascade(a, b), left=a) == pytest.approx(b, abs=1e-8)
    assert deembed(cascade(a, b), right=b) == pytest.approx(a, abs=1e-8)


def test_renormalised_network_has_the_same_impedances() -> None:
    s = random_network(3)
    new = np.array([40.0, 60.0, 75.0])
    found = renormalise(s, 50.0, new)
    root = np.diag(np.sqrt(new))
    eye = np.eye(3)
    z = root @ np.linalg.solve(eye - found, eye + found) @ root
    assert z == pytest.approx(s_to_z(s, 50.0), rel=1e-9)
    assert renormalise(found, new, 50.0) == pytest.approx(s, abs=1e-12)
    assert s_to_y(s, 50.0) @ s_to_z(s, 50.0) == pytest.approx(
        np.broadcast_to(eye, s.shape), abs=1e-9
    )
    # A matched line looks matched on its own impedance only.
    assert np.abs(renormalise(piece(65.0, 1e-10), 50.0, 65.0)[:, 0, 0]).max() < 1e-12


def test_what_cannot_be_done_is_told() -> None:
    with pytest.raises(NotPhysical, match="as many ports left as right"):
        s_to_t(random_network(3))
    with pytest.raises(NotPhysical, match="no transmission"):
        s_to_t(np.zeros((2, 2, 2), complex))
    with pytest.raises(NotPhysical, match="throughout"):
        cascade(random_network(2), random_network(4))
    with pytest.raises(NotPhysical, match="above 0"):
        renormalise(random_network(2), 50.0, -1.0)
    with pytest.raises(NotPhysical, match="plain connection"):
        s_to_z(np.array([[[0, 1], [1, 0]]], complex), 50.0)
    with pytest.raises(NotPhysical, match="one or more"):
        cascade()
    with pytest.raises(NotPhysical, match="at most once"):
        mixed_mode(random_network(4), ((0, 1), (1, 2)))


def test_skew_is_the_delay_that_was_put_in() -> None:
    through = np.exp(-2j * np.pi * F * 1e-9)
    late = through * np.exp(-2j * np.pi * F * 7e-12)
    assert intra_pair_skew(F, through, late) == pytest.approx(np.full(len(F), 7e-12))


def test_equal_disturbers_add_as_powers() -> None:
    loss = np.full(5, 40.0)
    assert multi_disturber_loss_db([loss, loss]) == pytest.approx(40.0 - 10 * math.log10(2))


def test_noise_of_a_flat_loss_by_its_sum() -> None:
    """Without filters and over whole symbols the power is half the square of the amplitude."""
    f = np.arange(1, 40001) * 1e6
    weight = noise_weight(f, amplitude=0.6, baud=1e10, rise_20_80=1e-15, receiver=1e15)
    sigma = crosstalk_sigma(f, np.full(len(f), 20.0), weight)
    assert sigma == pytest.approx(0.6 * 0.1, rel=0.03)


@pytest.mark.parametrize("constant", [True, False])
def test_the_fit_finds_the_law_that_made_the_loss(constant: bool) -> None:
    f = np.linspace(5e7, 1e10, 400)
    a0 = 0.2 if constant else 0.0
    loss = a0 + 4e-5 * np.sqrt(f) + 8e-10 * f + 1e-20 * f**2
    fit = fit_insertion_loss(f, loss, constant=constant)
    assert (fit.a0, fit.a1, fit.a2, fit.a4) == pytest.approx((a0, 4e-5, 8e-10, 1e-20), rel=1e-5)
    ripple = 0.3 * np.cos(2 * np.pi * f * 1e-9)
    rough = fit_insertion_loss(f, loss + ripple, constant=constant)
    figure = deviation_figure(
        f, loss + ripple - rough.fit_db, baud=1e10, rise_20_80=2.4e-11, receiver=7.5e9
    )
    assert 0.0 < figure < 0.3 / math.sqrt(2)
