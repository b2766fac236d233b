"""Measures of groups: of the worst receiver, or of the one that a requirement names."""

from __future__ import annotations

from functools import partial

from onda.project.measure import Measure

__all__ = ["GROUP_MEASURES"]

_group = partial(Measure, kind="group", study="group")
GROUP_MEASURES = (
    _group("lane_noise", "Crosstalk noise", "voltage", how="integrated as in IEEE 802.3"),
    _group(
        "noise_share",
        "Share of the allowed noise",
        "ratio",
        how="integrated noise over what is allowed at the lane's own loss",
    ),
    _group("crosstalk_peak", "Crosstalk, peaks together", "voltage", how="worst alignment"),
    _group("near_end_peak", "Near-end crosstalk, peaks together", "voltage", how="worst alignment"),
    _group("far_end_peak", "Far-end crosstalk, peaks together", "voltage", how="worst alignment"),
    _group("arrival_spread", "Arrival moved by neighbours", "time", how="half of the swing"),
    _group("power_sum_level", "Power sum at half the rate", "loss", how="all disturbers together"),
)
