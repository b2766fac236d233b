"""What is wrong with data reaches every margin that rests on them, and its words."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.circuits.spectrum import energy_above
from onda.project.requirements import Requirement
from onda.studies.core.margin import Measured, margin_of


def test_a_margin_says_what_it_rests_on() -> None:
    limit = Requirement(id="r", kind="path", subject="p", measure="overshoot", at_most="0.3 V")
    plain = margin_of(limit, Measured(0.2, "at U1", "die"))
    doubted = margin_of(limit, Measured(0.2, "at U1", "die", doubts=("too coarse",)))
    assert plain.basis == "at U1; die"
    assert doubted.basis == "at U1; die; but too coarse"
    assert not plain.sentence.endswith("coarse")
    assert doubted.sentence == f"{plain.sentence}, but too coarse"
    # It is judged all the same.
    assert doubted.state is plain.state


def test_the_energy_of_an_edge_above_a_frequency() -> None:
    """A slope of half a cosine, whose spectrum is known: cos(pi f T) / (1 - (2 f T)^2)."""
    rise, step = 100e-12, 0.25e-12
    time = np.arange(240_001) * step
    x = np.clip((time - 1e-9) / rise, 0.0, 1.0)
    edge = 0.5 - 0.5 * np.cos(np.pi * x)
    f = (np.arange(400_000) + 0.5) * 1e6
    power = (np.cos(np.pi * f * rise) / (1.0 - (2.0 * f * rise) ** 2)) ** 2
    for cut in (3e9, 8e9, 20e9):
        assert energy_above(time, edge, cut) == pytest.approx(
            power[f > cut].sum() / power.sum(), rel=0.03
        )
    assert energy_above(time, np.ones_like(time), 1e9) == 0.0
