"""Units of this trade and what one of each is in SI."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pint import UnitRegistry

__all__ = ["factor_of"]

_DEFINITIONS = """
femto- = 1e-15 = f-
pico- = 1e-12 = p-
nano- = 1e-9 = n-
micro- = 1e-6 = u-
milli- = 1e-3 = m-
centi- = 1e-2 = c-
kilo- = 1e3 = k-
mega- = 1e6 = M-
giga- = 1e9 = G-
metre = [length] = m
second = [time] = s
hertz = [frequency] = Hz
ohm = [resistance]
farad = [capacitance] = F
volt = [voltage] = V
bitrate = [rate] = bps
one = [ratio] = ratio
percent = 0.01 * one = pct
unit_interval = [interval] = UI
decibel_value = [loss] = dB
henry = [inductance] = H
voltsecond = [voltsecond] = Vs
siemens = [conductance] = S
celsius = [temperature] = degC
inch = 0.0254 * metre = in
thou = 2.54e-5 * metre = mil
hundredmm = 0.1 * metre
ounce_copper = 3.479e-5 * metre = oz
"""
_BASE = {
    "length": "metre",
    "time": "second",
    "frequency": "hertz",
    "resistance": "ohm",
    "capacitance": "farad",
    "voltage": "volt",
    "inductance": "henry",
    "voltage time": "voltsecond",
    "slew": "volt / second",
    "data rate": "bitrate",
    "ratio": "one",
    "unit interval": "unit_interval",
    "loss": "decibel_value",
    "temperature": "celsius",
    "delay per length": "second / metre",
    "loss per length": "decibel_value / metre",
    "resistance per length": "ohm / metre",
    "inductance per length": "henry / metre",
    "capacitance per length": "farad / metre",
    "conductance per length": "siemens / metre",
}
_SPELLINGS = {
    "µ": "u",
    "μ": "u",
    "Ω": "ohm",
    "\u2126": "ohm",
    "°C": "degC",
    "%": "pct",
    "b/s": "bps",
    "bit/s": "bps",
    "Bd": "bps",
    "ohms": "ohm",
    "mils": "mil",
    "R": "ohm",
}
_USUAL: dict[str, dict[str, float]] = {
    "length": {
        "m": 1.0,
        "mm": 0.001,
        "um": 1e-06,
        "µm": 1e-06,
        "mil": 2.54e-05,
        "oz": 3.479e-05,
        "in": 0.0254,
    },
    "time": {"s": 1.0, "us": 1e-06, "ns": 1e-09, "ps": 1e-12},
    "frequency": {"Hz": 1.0, "kHz": 1e3, "MHz": 1e6, "GHz": 1e9},
    "resistance": {"mohm": 0.001, "ohm": 1.0, "Ω": 1.0, "kohm": 1e3, "kΩ": 1e3},
    "capacitance": {"uF": 1e-06, "nF": 1e-09, "pF": 1e-12, "fF": 1e-15},
    "voltage": {"V": 1.0, "mV": 0.001},
    "inductance": {"H": 1.0, "uH": 1e-06, "µH": 1e-06, "nH": 1e-09, "pH": 1e-12},
    "voltage time": {"nVs": 1e-09, "pVs": 1e-12},
    "slew": {"V/ns": 999999999.9999999},
    "data rate": {"Mb/s": 1e6, "Gb/s": 1e9, "GBd": 1e9},
    "ratio": {"%": 0.01},
    "unit interval": {"UI": 1.0},
    "loss": {"dB": 1.0},
    "temperature": {"degC": 1.0, "°C": 1.0},
    "delay per length": {"ps/mm": 1e-09, "ns/m": 1e-09, "ps/in": 3.937007874015748e-11},
    "loss per length": {
        "dB/m": 1.0,
        "dB/in": 39.37007874015748,
        "dB/100 mm": 10.0,
        "dB/100mm": 10.0,
    },
    "resistance per length": {"ohm/m": 1.0, "Ω/m": 1.0, "mohm/mm": 1.0},
    "inductance per length": {"nH/m": 1e-09, "nH/mm": 1.0000000000000002e-06, "uH/m": 1e-06},
    "capacitance per length": {"pF/m": 1e-12, "fF/mm": 1e-12},
    "conductance per length": {"S/m": 1.0, "mS/m": 0.001, "uS/m": 1e-06},
}
"""The units met on every board, as the registry gives them: a window opens without loading it."""


@lru_cache(maxsize=1)
def _registry() -> UnitRegistry[float]:
    import pint

    # Our own short list of units: the ones of this trade, with oz as copper thickness.
    return pint.UnitRegistry(_DEFINITIONS.strip().splitlines())


@lru_cache(maxsize=256)
def factor_of(unit: str, dimension: str) -> float | None:
    """SI value of one `unit`, None where it is unknown or of another dimension."""
    usual = _USUAL[dimension].get(unit)
    if usual is not None:
        return usual
    import pint

    # A length under the line that is a number of millimetres.
    spelled = unit.replace("/100 mm", "/hundredmm").replace("/100mm", "/hundredmm")
    for ours, plain in _SPELLINGS.items():
        if ours != "R" or unit == "R":
            spelled = spelled.replace(ours, plain)
    registry = _registry()
    try:
        value = registry.Quantity(1.0, spelled)
        return float(value.to(_BASE[dimension]).magnitude)
    except (pint.errors.PintError, AttributeError, ValueError, TypeError, AssertionError):
        return None
