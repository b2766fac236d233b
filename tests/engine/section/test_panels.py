"""What a charged panel does between two planes, against many short ones in its place."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.section.section_kernels import _influence

HEIGHT = 1.0


def of_pieces(
    at: tuple[float, float], start: np.ndarray, way: np.ndarray, length: float, pieces: int
) -> np.ndarray:
    """Potential and field of a panel that is cut into pieces."""
    each = length / pieces
    found = np.zeros(3)
    for k in range(pieces):
        ax, ay = start + k * each * way
        found += _influence(*at, ax, ay, *way, each, 2, HEIGHT)
    return found


@pytest.mark.parametrize("length", [0.05, 0.2, 0.4])
@pytest.mark.parametrize("at", [(0.9, 0.3), (0.1, 0.75), (-0.4, 0.5)])
@pytest.mark.parametrize("angle", [0.0, 0.5 * np.pi, 0.9])
def test_a_panel_between_planes_is_the_sum_of_its_pieces(
    length: float, at: tuple[float, float], angle: float
) -> None:
    start, way = np.array([0.15, 0.2]), np.array([np.cos(angle), np.sin(angle)])
    whole = np.array(_influence(*at, *start, *way, length, 2, HEIGHT))
    fine = of_pieces(at, start, way, length, 400)
    assert whole == pytest.approx(fine, abs=3e-4 * np.abs(fine).max())


def test_the_potential_of_a_panel_is_zero_on_both_planes_and_its_field_its_slope() -> None:
    start, way, length = (0.1, 0.4), (0.6, 0.8), 0.3
    for x in (-0.3, 0.2, 0.8):
        for y in (0.0, HEIGHT):
            phi, along, _ = _influence(x, y, *start, *way, length, 2, HEIGHT)
            assert phi == pytest.approx(0.0, abs=2e-4)
            assert along == pytest.approx(0.0, abs=2e-3)
    h = 1e-5
    x, y = 0.75, 0.3
    _, ex, ey = _influence(x, y, *start, *way, length, 2, HEIGHT)

    def phi(x: float, y: float) -> float:
        return float(_influence(x, y, *start, *way, length, 2, HEIGHT)[0])

    assert ex == pytest.approx(-(phi(x + h, y) - phi(x - h, y)) / (2 * h), rel=1e-4)
    assert ey == pytest.approx(-(phi(x, y + h) - phi(x, y - h)) / (2 * h), rel=1e-4)
