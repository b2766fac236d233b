"""Lines of a level in a field that is known everywhere, and in one with holes."""

from __future__ import annotations

import numpy as np
import pytest

from onda.app.plots.contours import contours

N = 41
ROW, COLUMN = np.meshgrid(np.arange(N), np.arange(N), indexing="ij")


@pytest.mark.parametrize("level", [4.5, 9.0, 13.25])
def test_a_circle_is_a_circle_at_its_own_place(level: float) -> None:
    away = np.hypot(ROW - 18.0, COLUMN - 22.0)
    (line,) = contours(away, level)
    assert np.hypot(line[:, 0] - 18.0, line[:, 1] - 22.0) == pytest.approx(
        np.full(len(line), level), abs=0.05
    )
    assert line[0] == pytest.approx(line[-1])


def test_a_slope_has_its_line_from_edge_to_edge() -> None:
    (line,) = contours(ROW + 0.5 * COLUMN, 25.0)
    assert line[:, 0] + 0.5 * line[:, 1] == pytest.approx(np.full(len(line), 25.0), abs=0.05)
    assert np.ptp(line[:, 1]) == pytest.approx(N - 1, abs=0.6)
    assert contours(ROW + 0.5 * COLUMN, -1.0) == []


def test_a_hole_cuts_a_line_in_two_and_has_none_around_itself() -> None:
    field = 1.0 * ROW
    field[:, 15:21] = np.nan
    lines = contours(field, 20.3)
    assert len(lines) == 2
    for line in lines:
        # Straight across, and nothing along the hole.
        assert line[:, 0] == pytest.approx(np.full(len(line), 20.3), abs=0.05)
        assert not ((line[:, 1] > 14.5) & (line[:, 1] < 20.5)).any()
    reach = sorted((float(x[:, 1].min()), float(x[:, 1].max())) for x in lines)
    assert reach[0] == pytest.approx((0.0, 14.0), abs=0.6)
    assert reach[1] == pytest.approx((21.0, N - 1), abs=0.6)
