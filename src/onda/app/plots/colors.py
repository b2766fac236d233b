"""Colour scales for density and voltage."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage

from onda.app.theme import Tokens

__all__ = ["density_scale", "deviation_scale", "image_of", "voltage_scale"]


def _ramp(stops: list[tuple[float, str]], count: int = 256) -> NDArray[np.uint8]:
    at = np.linspace(0.0, 1.0, count)
    places = [p for p, _ in stops]
    rgb = np.array([QColor(c).getRgb()[:3] for _, c in stops], dtype=float)
    return np.column_stack([np.interp(at, places, rgb[:, i]) for i in range(3)]).astype(np.uint8)


def density_scale(tokens: Tokens) -> NDArray[np.uint8]:
    """Paper to sea to ink, one hue, (256, 3)."""
    return _ramp(
        [(0.0, tokens.sheet), (0.06, tokens.sea_tint), (0.6, tokens.sea), (1.0, tokens.ink)]
    )


def deviation_scale(tokens: Tokens) -> NDArray[np.uint8]:
    """Teal below a target, the sheet's colour on it, copper-orange above, (256, 3)."""
    return _ramp(
        [
            (0.0, tokens.sea),
            (0.42, tokens.sea_tint),
            (0.5, tokens.sheet),
            (0.58, tokens.dielectric_high),
            (1.0, tokens.copper),
        ]
    )


def voltage_scale(
    tokens: Tokens, bottom: float, low: float, high: float, top: float
) -> NDArray[np.uint8]:
    """Indigo below the low level, paper at it, sea at the high level, orange to red above."""
    span = top - bottom

    def at(volts: float) -> float:
        return min(max((volts - bottom) / span, 0.0), 1.0)

    orange, red = tokens.above_high
    return _ramp(
        [
            (0.0, tokens.below_zero),
            (at(low), tokens.sheet),
            (at(high), tokens.sea),
            (min(at(high) + 0.25 * (1 - at(high)), 1.0), orange),
            (1.0, red),
        ]
    )


def image_of(
    strength: NDArray[np.floating], scale: NDArray[np.uint8], *, hole: str = "#000000"
) -> QImage:
    """Image of a field (rows, columns) of 0..1 by a colour scale; what lies outside is clipped.

    Where the field is not a number the colour `hole` is shown.
    """
    missing = np.isnan(strength)
    index = (255.0 * np.clip(np.where(missing, 0.0, strength), 0.0, 1.0)).astype(np.uint8)
    height, width = index.shape
    colored = scale[index]
    colored[missing] = QColor(hole).getRgb()[:3]
    pixels = np.ascontiguousarray(colored).tobytes()
    # The bytes go away with this call; the image needs pixels of its own.
    return QImage(pixels, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
