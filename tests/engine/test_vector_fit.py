"""Vector fitting finds the poles that made a response, and what it makes is passive."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.lines import CapacitancePart, Line
from onda.engine.materials import WidebandDebye
from onda.engine.networks.rational import RationalModel
from onda.engine.networks.vector_fit import (
    fit_network,
    largest_gain,
    made_passive,
    vector_fit,
)
from onda.errors import NotPhysical


def two_port() -> RationalModel:
    poles = 2e9 * np.pi * np.array([-0.3 + 2j, -0.3 - 2j, -1.5])
    r = 1e9 * np.array([[[0.4 + 0.3j, 0.2j], [0.2j, 0.3 + 0.1j]]])
    residues = np.concatenate([r, r.conj(), 1e9 * np.array([[[0.5, 0.1], [0.1, 0.4]]])])
    return RationalModel(poles, residues, np.array([[0.1, 0.2], [0.2, 0.05]]))


def test_known_poles_and_residues_come_back() -> None:
    truth = two_port()
    f = np.linspace(1e7, 6e9, 200)
    found = vector_fit(f, truth.at(2j * np.pi * f), 4)
    assert found.error < 1e-6
    off = 2j * np.pi * np.linspace(2.2e7, 8e9, 77)
    assert found.at(off) == pytest.approx(truth.at(off), abs=1e-5)


def test_a_line_is_fitted_within_the_wanted_error_and_passive() -> None:
    v = 299792458.0 / math.sqrt(4.2)
    dielectric = WidebandDebye.through(4.2, 0.02, 1e9)
    line = Line(60 / v, (CapacitancePart(1 / (60 * v), 4.2, dielectric),), 6.0, 1.2e-3)
    f = np.linspace(1e7, 1e10, 400)
    s = line.s_parameters(f, 0.05)
    model = fit_network(f, s)
    assert model.error < 2e-3
    assert (model.poles.real < 0).all()
    assert largest_gain(model, np.linspace(0, 3e10, 4000)) <= 1.0 + 1e-6


def test_a_network_that_makes_energy_is_made_passive() -> None:
    f = np.linspace(1e7, 6e9, 200)
    s = two_port().at(2j * np.pi * f)
    s = s / np.linalg.svd(s, compute_uv=False).max() * 1.03
    model = vector_fit(f, s, 4)
    assert largest_gain(model, f) > 1.02
    passive = made_passive(model, f)
    assert largest_gain(passive, np.linspace(0, 8e9, 3000)) <= 1.0 + 1e-6
    assert np.abs(passive.at(2j * np.pi * f) - s).max() < 0.1


@pytest.mark.parametrize("f", [[1e9, 2e9], [1e9, 3e9, 2e9, 4e9]])
def test_too_little_data_is_refused(f: list[float]) -> None:
    with pytest.raises(NotPhysical, match="points"):
        fit_network(np.array(f), np.zeros((len(f), 1, 1), complex))
