"""A line as it is solved: which Dk, which copper and which roughness go where."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from onda.engine.section.structures import Coating, Opening, Slab
from onda.project.model import Project
from onda.studies.lines import solved_line as parts
from onda.studies.lines.inputs import LineInputs, Rough, line_inputs
from onda.studies.lines.solved_line import solve_line

UM = 1e-6
F = np.array([1e9])


def of(project: Project, name: str, layer: str) -> LineInputs:
    return line_inputs(project.design, project.design.line_class(name), layer)


def test_every_dielectric_gets_the_dk_of_its_own_material(project: Project) -> None:
    inputs = replace(
        of(project, "memory", "L3"),
        below=(Slab(1e-4, 1.0, "a"), Slab(2e-4, 1.0, "b")),
        above=(Slab(3e-4, 1.0, "c"),),
        beside=Slab(4e-4, 1.0, "d"),
        coating=Coating(1e-5, 2e-5, 3e-5, 1.0, "e"),
        opening=Opening(1e-3, 0.0, 3e-5, (Slab(5e-4, 1.0, "f"),), True),
    )
    er = {name: float(k) for k, name in enumerate("abcdef", 2)}
    made = parts._with_dk(inputs, er)
    assert made.beside is not None
    assert made.coating is not None
    assert made.opening is not None
    slabs = [*made.below, *made.above, made.beside, *made.opening.beyond]
    assert [(s.material, s.er) for s in slabs] == [
        ("a", 2.0), ("b", 3.0), ("c", 4.0), ("d", 5.0), ("f", 7.0),
    ]  # fmt: skip
    assert [s.thickness for s in slabs] == [1e-4, 2e-4, 3e-4, 4e-4, 5e-4]
    assert (made.coating.er, made.coating.beside) == (6.0, 3e-5)


def test_of_a_pair_the_smooth_line_is_differential_too(project: Project) -> None:
    """Without roughness it has the same wave, and a little less loss."""
    inputs = of(project, "converter-pairs", "L3")
    solved = solve_line(inputs, False)
    assert solved.pair is not None
    for line in (solved.line, solved.smooth):
        assert line.impedance(F).real == pytest.approx(solved.pair.z_diff, rel=0.05)
    rough, smooth = (line.attenuation_db_per_m(1e10 * F / 1e9)[0]
                     for line in (solved.line, solved.smooth))  # fmt: skip
    assert smooth < rough < 1.6 * smooth
    # Of copper at rest each conductor has its own cross-section, both of them twice that.
    trace = inputs.trace
    area = (trace.width - trace.undercut) * trace.thickness
    assert solved.r_dc == pytest.approx(inputs.resistivity / area, rel=1e-3)
    assert solved.line.r_dc == pytest.approx(2.0 * solved.r_dc, rel=0.05)


def test_planes_below_and_above_have_copper_of_their_own(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[Any] = []
    copper = parts._copper_of

    def seen(*arguments: Any) -> Any:
        asked.append(arguments)
        return copper(*arguments)

    monkeypatch.setattr(parts, "_copper_of", seen)
    inputs = replace(of(project, "memory", "L3"), plane_copper=(18 * UM, 70 * UM))
    solve_line.__wrapped__(inputs)
    assert asked[0][3:] == (18 * UM, 70 * UM)


def test_each_model_of_roughness_is_itself(project: Project) -> None:
    """The first never more than doubles what copper loses; without a model nothing is added."""
    inputs = of(project, "memory", "L3")
    high = np.array([60e9])

    def copper_loss(model: str) -> float:
        rough = Rough(model, 8 * UM, 8 * UM, 8 * UM, 8 * UM, 8 * UM)
        line = solve_line(replace(inputs, rough=rough), False).line
        return float(line.series_impedance(2j * np.pi * high)[0].real)

    smooth, hammerstad, huray = (copper_loss(m) for m in ("smooth", "Hammerstad", "Huray"))
    assert 1.8 < hammerstad / smooth < 2.01
    assert abs(huray / hammerstad - 1.0) > 0.05


def test_conversion_of_unlike_lines_is_told_in_db_of_voltage() -> None:
    alike: Any = SimpleNamespace(converts=False, conversion=0.0)
    unlike: Any = SimpleNamespace(converts=True, conversion=-0.01)
    assert parts._unequal(None) == parts._unequal(alike) == ()
    (words,) = parts._unequal(unlike)
    assert " -40 dB of the differential voltage" in words
