"""Measures of networks: curves over frequency, and single figures."""

from __future__ import annotations

from typing import Any

from onda.project.measure import Measure

__all__ = ["NETWORK_MEASURES"]


def _network(key: str, title: str, dimension: str, **more: Any) -> Measure:
    return Measure(key, title, dimension, "network", "network", **more)


def _curve(key: str, title: str, **more: Any) -> Measure:
    return _network(key, title, "loss", curve=True, **more)


def _share(key: str, title: str) -> Measure:
    return _network(key, title, "ratio", worse="smaller", how="as in IEEE 370", full_scale=1.0)


_SKEW = "half-way points of both legs under a differential edge"
_LANES = "half-way points of the steps that come through"
_NOISE = "IEEE 802.3 weighting, 600 mV, edges of 0.25 UI, receiver at 0.75 of the rate"
NETWORK_MEASURES = (
    _curve("insertion", "Through", worse="smaller"),
    _curve("return", "Return"),
    _curve("return_common", "Return, common"),
    _curve("conversion", "Conversion"),
    _curve("near_end", "Near-end crosstalk"),
    _curve("far_end", "Far-end crosstalk"),
    _curve("power_sum", "Crosstalk, power sum"),
    _share("passivity", "Passivity"),
    _share("reciprocity", "Reciprocity"),
    _share("causality", "Causality"),
    _network("pair_skew", "Skew in pair", "time", how=_SKEW),
    _network("lane_skew", "Skew of lanes", "time", how=_LANES),
    _network("icn", "Crosstalk noise", "voltage", how=_NOISE),
    _network("ild", "Loss deviation", "loss", how=_NOISE),
    _network("profile_low", "Lowest impedance", "resistance", worse="smaller"),
    _network("profile_high", "Highest impedance", "resistance"),
)
