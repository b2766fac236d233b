"""What of a path can be swept, and that a value found is set where it was swept."""

from __future__ import annotations

import pytest

from onda.app.stages.paths.look import Sweepable
from onda.app.stages.paths.more_studies import _with, sweepables
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.paths.ends import Termination
from onda.project.paths.path import Path
from onda.project.quantities import quantity


def ohm(value: float):
    return quantity(value, "resistance", "ohm", 3)


def ended(path: Path) -> Path:
    end = Termination(
        kind="split", r=ohm(100.0), r_low=ohm(150.0), rail=quantity(1.8, "voltage", "V", 3)
    )
    return set_value(path, termination=end)


def test_a_value_found_is_set_where_it_was_swept(project: Project) -> None:
    seen: set[str] = set()
    for path in project.design.paths:
        for one in (path, ended(path)):
            before = sweepables(one, 50.0)
            for swept in before:
                wished = 1.25 * swept.now if swept.now else 33.0
                after = {s.id: s for s in sweepables(_with(one, swept, wished), 50.0)}
                assert after[swept.id].now == pytest.approx(wished, rel=5e-3), swept
                assert swept.low <= swept.now <= swept.high or swept.id == "driver"
                seen.add(swept.dimension if swept.id != "receiver" else "end")
                # Nothing else that can be swept moves with it.
                for other in before:
                    if other.id != swept.id:
                        assert after[other.id].now == other.now
            # What one came to try stands before lengths.
            kinds = [s.dimension == "resistance" for s in before]
            assert kinds == sorted(kinds, reverse=True)
    assert seen == {"resistance", "length", "end"}


def test_the_end_of_a_path_is_swept_from_a_third_to_three_times(project: Project) -> None:
    path = ended(project.design.path("clk-adc"))
    (end,) = [s for s in sweepables(path, 65.0) if s.id == "receiver"]
    assert (end.low, end.high, end.now) == pytest.approx((30.0, 300.0, 100.0))
    (driver,) = [s for s in sweepables(path, 65.0) if s.id == "driver"]
    assert (driver.low, driver.high) == pytest.approx((1.0, 97.5))
    assert driver.now == path.driver.resistance.si


def test_both_halves_of_a_split_end_keep_their_proportion(project: Project) -> None:
    path = ended(project.design.path("clk-adc"))
    swept = Sweepable("receiver", "termination", "resistance", 30.0, 300.0, 100.0)
    found = _with(path, swept, 80.0).termination
    assert found.kind == "split"
    assert found.r is not None
    assert found.r_low is not None
    assert (found.r.si, found.r_low.si) == pytest.approx((80.0, 120.0))
    assert found.rail == path.termination.rail
