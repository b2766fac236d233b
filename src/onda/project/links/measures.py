"""Measures of links."""

from __future__ import annotations

from functools import partial

from onda.project.measure import Measure

__all__ = ["LINK_MEASURES"]

_eye = partial(Measure, kind="link", study="eye")
LINK_MEASURES = (
    _eye("eye_width", "Eye width", "unit interval", worse="smaller"),
    _eye("eye_height", "Eye height", "voltage", worse="smaller"),
    _eye("jitter_pp", "Jitter, p-p", "unit interval"),
    _eye("mask_growth", "Mask grows by", "ratio", worse="smaller"),
    _eye("worst_height", "Worst-case height", "voltage", worse="smaller", how="peak distortion"),
)
