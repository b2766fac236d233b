"""The currents of a device at rest, each half and clamp against its own rail."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.circuits.devices import Table
from onda.engine.devices.buffer import Buffer
from onda.engine.devices.drivers import receiver

UP, DOWN, POWER, GROUND = 2.5, -0.4, 3.1, -0.9
"""Four rails, none of which is another one."""


def ohmic(ohm: float, sign: float = 1.0) -> Table:
    """A resistor in a table of volts from its rail."""
    return Table((-10.0, 10.0), (-10.0 * sign / ohm, 10.0 * sign / ohm))


def diode(sign: float) -> Table:
    """Off up to its rail, then 20 ohm: the table of a clamp from its own rail."""
    if sign > 0.0:
        # To 0 V: pulls up what is below its rail.
        return Table((-2.0, 0.0, 9.0), (-0.1, 0.0, 0.0))
    return Table((-2.0, 0.0, 9.0), (0.1, 0.0, 0.0))


def buffer(**changes: object) -> Buffer:
    # As in device files: current into the pin, of the pull-up over its rail less the pin's volts.
    values = {
        "name": "U1", "kind": "output", "pullup": ohmic(40.0, -1.0), "pulldown": ohmic(25.0),
        "power_clamp": diode(-1.0), "gnd_clamp": diode(1.0), "v_pullup": UP, "v_pulldown": DOWN,
        "v_power": POWER, "v_gnd": GROUND, "c_comp": 1e-12,
    }  # fmt: skip
    return Buffer(**values | changes)


V = np.array([-2.4, -0.4, 0.0, 1.0, 2.5, 4.1])


def test_each_half_pulls_to_its_own_rail() -> None:
    one = buffer(power_clamp=None, gnd_clamp=None)
    high, low = one.current_at(V, up=1.0, down=0.0), one.current_at(V, up=0.0, down=1.0)
    assert high == pytest.approx((UP - V) / 40.0, abs=1e-12)
    assert low == pytest.approx((DOWN - V) / 25.0, abs=1e-12)
    # Half way both pull, by as much as they are on.
    both = one.current_at(V, up=0.3, down=0.6)
    assert both == pytest.approx(0.3 * high + 0.6 * low)
    # Tables of some makers count the lower half from the upper rail.
    turned = buffer(
        power_clamp=None, gnd_clamp=None, pulldown_from_top=True, pulldown=ohmic(25.0, -1.0)
    )
    assert turned.current_at(V, up=0.0, down=1.0) == pytest.approx((UP - V) / 25.0, abs=1e-12)


def test_clamps_hold_what_leaves_their_rails() -> None:
    idle = buffer(pullup=None, pulldown=None)
    assert not idle.drives
    assert buffer(pullup=None).drives
    found = idle.current_at(V, up=1.0, down=1.0)
    above, below = np.maximum(V - POWER, 0.0) / 20.0, np.maximum(GROUND - V, 0.0) / 20.0
    assert found == pytest.approx(below - above, abs=1e-12)
    assert found[0] > 0.0 > found[-1]


def test_the_output_resistance_is_that_from_rail_to_middle() -> None:
    plain = buffer(power_clamp=None, gnd_clamp=None)
    assert plain.resistance(high=True) == pytest.approx(40.0)
    assert plain.resistance(high=False) == pytest.approx(25.0)
    assert buffer(pullup=None, power_clamp=None, gnd_clamp=None).resistance(high=True) == float(
        "inf"
    )


def test_a_die_without_capacitance_is_no_branch() -> None:
    device, branches = receiver("U2", buffer(c_comp=0.0), 3)
    assert device is not None
    assert branches == ()
    _, (branch,) = receiver("U2", buffer(c_comp=2e-12), 3)
    assert (branch.node, branch.c) == (3, 2e-12)
