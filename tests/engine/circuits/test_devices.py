"""Tables and weights at one point, against what they are over many."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.circuits.dc import dc_voltages
from onda.engine.circuits.devices import Table, Weight, diode_table
from onda.engine.circuits.net import Net, SeriesPart, ShuntBranch
from onda.errors import NotPhysical

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


def test_a_diode_follows_its_equation_up_to_the_end_of_its_table() -> None:
    saturation, thermal, ideality, top = 2e-14, 0.026, 1.2, 0.1
    table = diode_table(saturation, thermal, ideality, top)
    vt = thermal * ideality

    def volts(amps: float) -> float:
        return vt * math.log(amps / saturation + 1.0)

    for amps in (1e-8, 1e-5, 1e-3, 0.09):
        assert table.point(volts(amps))[0] == pytest.approx(amps, rel=0.01)
    # Up to there and no further: beyond it is straight.
    assert table.volts[-1] == pytest.approx(volts(top))
    assert table.amps[-1] == pytest.approx(top)
    amps, slope = table.point(volts(top) + 0.1)
    assert amps == pytest.approx(top + 0.1 * slope)
    assert table.point(-5.0)[0] == pytest.approx(-5e-12)


def test_the_first_of_loose_nodes_is_named() -> None:
    net = Net(
        4, (ShuntBranch(0, r=50.0, source=True),), series=(SeriesPart(1, 2, r=10.0),),
        capacitors=(), lines=(),
    )  # fmt: skip
    with pytest.raises(NotPhysical, match="node 1"):
        dc_voltages(net, 1.0)
