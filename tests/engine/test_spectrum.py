"""The spectrum of one passage, against closed forms."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.circuits.spectrum import amplitude_density
from onda.errors import NotPhysical
from onda.studies.paths.spectrum import density_db


def test_a_step_with_a_straight_edge_is_a_sinc_over_f() -> None:
    time = np.linspace(0.0, 20e-9, 8001)
    rise, swing = 1e-9, 1.8
    f, density = amplitude_density(time, swing * np.clip((time - 2e-9) / rise, 0.0, 1.0))
    expected = 2.0 * swing / (2.0 * np.pi * f) * np.abs(np.sinc(f * rise))
    low = f < 0.9e9
    assert density[low] == pytest.approx(expected[low], rel=1e-4)
    assert f[0] == pytest.approx(1.0 / 20e-9, rel=1e-3)


def test_a_pulse_has_the_area_of_its_volts_at_the_bottom() -> None:
    time = np.linspace(0.0, 100e-9, 20001)
    pulse = np.where((time > 10e-9) & (time < 11e-9), 0.5, 0.0)
    f, density = amplitude_density(time, pulse)
    assert density[0] == pytest.approx(2 * 0.5 * 1e-9, rel=0.01)
    # The first zero of a pulse lies at one over its width.
    zero = f[np.argmin(density[f < 1.5e9])]
    assert zero == pytest.approx(1e9, rel=0.02)


def test_the_level_is_in_microvolts_per_megahertz() -> None:
    time = np.linspace(0.0, 100e-9, 20001)
    f, level = density_db(time, np.where(time > 10e-9, 1.0, 0.0))
    at = np.argmin(np.abs(f - 100e6))
    # 2 A / (2 pi f) = 3.18e-9 V/Hz at 100 MHz is 3183 uV/MHz.
    assert level[at] == pytest.approx(20 * np.log10(3183.1), abs=0.05)


def test_too_few_points_are_refused() -> None:
    with pytest.raises(NotPhysical, match="16 points"):
        amplitude_density(np.arange(8.0), np.zeros(8))
