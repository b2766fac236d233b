"""Models of drivers and receivers.

`buffer` holds what is known of one at one corner, `switching` turns its waveforms into the factors
of its pull-up and pull-down against time, `drivers` puts it into a net, `quality` simulates it into
its own fixtures and says how well it repeats them.
"""

from onda.engine.devices.buffer import Buffer, FixtureWave, RampTimes, Thresholds
from onda.engine.devices.drivers import driver, receiver
from onda.engine.devices.maker_loads import LoadSide, MakersLoad, MakerWave, check_makers_waves
from onda.engine.devices.quality import FixtureCheck, check_fixtures
from onda.engine.devices.switching import Switching, switching_of

__all__ = [
    "Buffer",
    "FixtureCheck",
    "FixtureWave",
    "LoadSide",
    "MakerWave",
    "MakersLoad",
    "RampTimes",
    "Switching",
    "Thresholds",
    "check_fixtures",
    "check_makers_waves",
    "driver",
    "receiver",
    "switching_of",
]
