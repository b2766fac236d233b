"""Measures of links."""

from __future__ import annotations

from functools import partial

from onda.project.measure import Measure

__all__ = ["LINK_MEASURES"]

_eye = partial(Measure, kind="link", study="eye")
_rate = partial(Measure, kind="link", study="link_eye")
LINK_MEASURES = (
    _eye("eye_width", "Eye width", "unit interval", worse="smaller"),
    _eye("eye_height", "Eye height", "voltage", worse="smaller"),
    _eye("jitter_pp", "Jitter, p-p", "unit interval"),
    _eye("mask_growth", "Mask grows by", "ratio", worse="smaller"),
    _eye("worst_height", "Worst-case height", "voltage", worse="smaller", how="peak distortion"),
    _rate("eye_width_at_rate", "Eye width at its error rate", "unit interval", worse="smaller"),
    _rate("eye_height_at_rate", "Eye height at its error rate", "voltage", worse="smaller"),
    _rate("jitter_at_rate", "Total jitter at its error rate", "unit interval"),
    _rate("mask_growth_at_rate", "Mask grows at its error rate by", "ratio", worse="smaller"),
    _rate("link_merit", "Signal over all else", "loss", worse="smaller", how="figure of merit"),
)
