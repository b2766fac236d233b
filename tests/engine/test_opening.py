"""How wide an eye is open: straight sides whose crossings are known."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.links.opening import open_span


def test_ends_lie_where_straight_sides_cross() -> None:
    t = np.linspace(-1.0, 1.0, 9)
    first, last = open_span(t, 0.6 - np.abs(t - 0.1)) or (0.0, 0.0)
    # At the top the samples cut the corner, at the sides they do not.
    assert (first, last) == pytest.approx((-0.5, 0.7))


def test_the_widest_clearing_counts_not_the_first() -> None:
    t = np.arange(7.0)
    assert open_span(t, np.array([1.0, -1.0, 1.0, 3.0, 1.0, -1.0, 2.0])) == pytest.approx(
        (1.5, 4.5)
    )


def test_what_is_open_to_the_edge_ends_there_and_what_is_shut_has_no_span() -> None:
    t = np.arange(4.0)
    assert open_span(t, np.array([1.0, 2.0, 1.0, 0.5])) == (0.0, 3.0)
    assert open_span(t, np.array([-1.0, 0.0, -1.0, -2.0])) is None
