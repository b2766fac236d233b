"""How much of a study is done is told as it goes: from little to much, never back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from typing import Any

import pytest

from onda.errors import Cancelled
from onda.project.model import Design, Project
from onda.studies.core.study import Control, Study
from onda.studies.coupling.eye import GROUP_EYE
from onda.studies.coupling.eye import eye_inputs as group_eye_inputs
from onda.studies.coupling.group import GROUP
from onda.studies.coupling.inputs import group_inputs
from onda.studies.coupling.search import GROUP_SEARCH, LimitInputs, SearchInputs
from onda.studies.coupling.waves import GROUP_WAVES, waves_inputs
from onda.studies.lines.field_picture import FIELD_PICTURE, FieldPictureInputs
from onda.studies.lines.fit import FIT, Bounds, FitInputs
from onda.studies.lines.fit_all import FIT_ALL, FitAllInputs, fit_all_inputs
from onda.studies.lines.impedance import IMPEDANCE, ImpedanceInputs
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.sensitivity import SENSITIVITY
from onda.studies.lines.sheet_line import SHEET_LINE, sheet_inputs
from onda.studies.lines.shield import SIZE_SWEEP, SizeSweepInputs, shield_inputs
from onda.studies.lines.tolerance import TOLERANCE, ToleranceInputs
from onda.studies.lines.variations import spread_inputs
from onda.studies.lines.width_gap_map import WIDTH_GAP_MAP, MapInputs
from onda.studies.lines.width_sweep import WIDTH_SWEEP, WidthSweepInputs
from onda.studies.links.along import LINK_ALONG
from onda.studies.links.inputs import link_inputs
from onda.studies.links.merit_map import LINK_MAP
from onda.studies.links.merit_map import MapInputs as LinkMapInputs
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.network import NETWORK
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.path import PATH
from onda.studies.paths.why import PATH_WHY, WhyInputs

Pair = tuple[Study[Any, Any], Any]


def _line(design: Design, name: str = "converter-pairs", layer: str = "L1") -> Any:
    return line_inputs(design, design.line_class(name), layer)


def _path(design: Design, name: str, **changes: Any) -> Any:
    return path_inputs(design, design.path(name), **changes)


def _spread(design: Design) -> Any:
    return spread_inputs(_line(design), design.stackup.spread)


def _group(design: Design, name: str = "memory-byte") -> Any:
    return group_inputs(design, design.group(name), fine=False)


def _searched(design: Design) -> SearchInputs:
    limit = LimitInputs("arrival_spread", None, None, 20e-12)
    return SearchInputs(_group(design), (limit,), "length", 1e-3, 0.1)


CASES: dict[str, Callable[[Design], Pair]] = {
    "path": lambda d: (PATH, replace(_path(d, "clk-adc"), window=3e-9)),
    "path of devices": lambda d: (PATH, replace(_path(d, "clk-two"), window=3e-9)),
    "quick path": lambda d: (PATH, _path(d, "clk-two", fine=False)),
    "why": lambda d: (PATH_WHY, WhyInputs(_path(d, "clk-adc", fine=False), "receiver")),
    "impedance": lambda d: (IMPEDANCE, ImpedanceInputs(_line(d), False)),
    "widths": lambda d: (WIDTH_SWEEP, WidthSweepInputs(_line(d), (1e-4, 1.2e-4, 1.4e-4))),
    "map": lambda d: (WIDTH_GAP_MAP, MapInputs(_line(d), (1e-4, 1.3e-4), (1e-4, 1.5e-4))),
    "causes": lambda d: (SENSITIVITY, _spread(d)),
    "spread": lambda d: (TOLERANCE, ToleranceInputs(_spread(d), 50)),
    "fit": lambda d: (FIT, FitInputs(_line(d), (Bounds("width", 6e-5, 4e-4),), (("z", 98.0),))),
    "two fits": lambda d: (
        FIT,
        FitInputs(
            _line(d), (Bounds("width", 6e-5, 4e-4), Bounds("gap", 6e-5, 6e-4)),
            (("z", 100.0), ("common", 32.0)),
        ),
    ),
    "all fits": lambda d: (FIT_ALL, FitAllInputs(fit_all_inputs(d, "clocks").wanted[:2])),
    "field": lambda d: (FIELD_PICTURE, FieldPictureInputs(_line(d), -4e-4, 4e-4, 0.0, 3e-4)),
    "sizes": lambda d: (
        SIZE_SWEEP, SizeSweepInputs(shield_inputs(d, d.shielded[1]), (0.8, 1.3)),
    ),
    "cable": lambda d: (SHEET_LINE, sheet_inputs(d.sheet_lines[0])),
    "network": lambda d: (NETWORK, network_inputs(d, d.network("mezzanine"))),
    "along": lambda d: (LINK_ALONG, link_inputs(d, d.link("jl3"))),
    "settings": lambda d: (
        LINK_MAP, LinkMapInputs(link_inputs(d, d.link("jl3")), "behind", "before"),
    ),
    "group": lambda d: (GROUP, _group(d)),
    "eye of a lane": lambda d: (
        GROUP_EYE, replace(group_eye_inputs(d, d.group("memory-byte"), "dq3"), group=_group(d)),
    ),
    "lanes switch": lambda d: (GROUP_WAVES, waves_inputs(d, d.group("memory-byte"), "dq3")),
    "search": lambda d: (GROUP_SEARCH, _searched(d)),
}  # fmt: skip


class Told(Control):
    """Remembers what it is told, and stops a run where that has come to a share."""

    def __init__(self, until: float = 2.0) -> None:
        self.shares: list[float] = []
        self.until = until

    def progress(self, share: float) -> None:
        self.shares.append(share)
        if share >= self.until:
            raise Cancelled


@pytest.mark.parametrize("name", CASES)
def test_shares_grow_from_the_start_to_the_end(project: Project, name: str) -> None:
    study, inputs = CASES[name](project.design)
    told = Told()
    study.run(inputs, told)
    assert told.shares
    assert 0.0 <= told.shares[0] < 0.75
    assert 0.3 <= told.shares[-1] <= 1.0
    back = [(a, b) for a, b in pairwise(told.shares) if b < a - 1e-12]
    assert back == []
    stopped = Told(until=told.shares[0])
    with pytest.raises(Cancelled):
        study.run(inputs, stopped)
