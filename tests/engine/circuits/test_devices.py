"""Tables and weights at one point, against what they are over many."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.circuits.devices import Table, Weight

TABLE = Table((-1.0, 0.0, 0.5, 2.0), (-3.0, 0.0, 0.25, 7.0))


def test_a_point_of_a_table_is_that_of_all_points_and_its_slope_that_of_the_piece() -> None:
    # On no kink, beyond both ends too.
    for volts in (-2.0, -0.75, 0.25, 1.25, 3.0):
        amps, slope = TABLE.point(volts)
        assert amps == pytest.approx(float(TABLE.at(np.array([volts]))[0]), rel=1e-12)
        around = TABLE.at(np.array([volts - 1e-3, volts + 1e-3]))
        assert slope == pytest.approx((around[1] - around[0]) / 2e-3, rel=1e-9)
    # At a kink the piece above it; beyond an end the last one.
    assert TABLE.point(0.5) == (0.25, pytest.approx(4.5))
    assert TABLE.point(2.0) == (7.0, pytest.approx(4.5))
    assert TABLE.point(-1.0) == (-3.0, pytest.approx(3.0))


def test_a_weight_at_one_time_is_that_at_many() -> None:
    weight = Weight((1.0, 2.0, 4.0), (0.1, 0.9, 0.5))
    times = np.array([0.0, 1.0, 1.25, 2.0, 3.0, 4.0, 5.0])
    assert [weight.at(float(t)) for t in times] == pytest.approx(list(weight.sample(times)))
    # Where it jumps it is what it jumps to, as over many.
    jump = Weight((1.0, 1.0, 2.0), (0.0, 1.0, 1.0))
    assert jump.at(1.0) == float(jump.sample(np.array([1.0]))[0]) == 1.0
