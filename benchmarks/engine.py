"""Cross-sections, paths and eyes, each against a floor measured in the same run."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from importlib import resources

import numpy as np
import scipy.fft
from scipy.linalg import lu_factor

from benchmarks.measure import Figure, median_ms
from onda.demo import fulmar_project
from onda.engine.circuits import solve_transient
from onda.engine.lines import lossless_line
from onda.engine.networks.arrival_fit import fit_arrivals
from onda.engine.section import solve_section
from onda.formats.ibis.reader import read_ibis
from onda.studies.core.study import Control
from onda.studies.lines import solved_line
from onda.studies.lines.fit import FIT, Bounds, FitInputs, fit_width
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.shield import MODE_CHECK, shield_inputs
from onda.studies.lines.solved_line import solve_line
from onda.studies.lines.tolerance import TOLERANCE, ToleranceInputs
from onda.studies.lines.variations import spread_inputs
from onda.studies.lines.width_gap_map import WIDTH_GAP_MAP, MapInputs, map_axes
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import eye_inputs
from onda.studies.paths.build import build_path, with_edges
from onda.studies.paths.inputs import path_inputs
from onda.studies.paths.items import StimulusInputs
from onda.studies.paths.path import PATH
from onda.studies.paths.run import run_path
from onda.studies.paths.sweep import PATH_SWEEP, SweepInputs, Variant, resistor_range
from onda.verification.runner import public_files, read_case_file
from onda.verification.topic_section import cross_section


def _lu_floor(unknowns: int) -> float:
    """Dense LU of the same size: no direct solver does with less."""
    matrix = np.random.default_rng(1).normal(size=(unknowns, unknowns))
    return median_ms(lambda: lu_factor(matrix, check_finite=False))


def sections() -> list[Figure]:
    """Public sections at the default accuracy, against a dense LU of all their panels."""
    cases = read_case_file(public_files()["section.json"], "section.json")["cases"]
    promised = {"single": 10.0, "pair": 30.0, "multi": 200.0}
    out = []
    for case in cases:
        section = cross_section(case["inputs"]["geometry"])
        panels = len(solve_section(section).charges.start)
        took = median_ms(lambda s=section: solve_section(s))
        out.append(
            Figure(
                f"section {case['id']} ({panels} panels)",
                promised[case["inputs"]["kind"]],
                took,
                _lu_floor(panels),
                "dense LU of that size",
            )
        )
    return out


def lines() -> list[Figure]:
    """What a drag of a trace edge and a fit cost, coated pair of Fulmar."""
    design = fulmar_project().design
    inputs = line_inputs(design, design.line_class("converter-pairs"), "L1")

    def drag() -> object:
        solve_line.cache_clear()
        solved_line._fields.cache_clear()
        return solve_line(inputs, False)

    def fit() -> object:
        solve_line.cache_clear()
        solved_line._fields.cache_clear()
        return fit_width(inputs, 100.0)

    def real_copper() -> object:
        solve_line.cache_clear()
        solved_line._fields.cache_clear()
        solved_line._copper_of.cache_clear()
        return solve_line(inputs, True)

    def map_of(points: int) -> Callable[[], object]:
        widths, gaps = map_axes(inputs.trace.undercut, points)
        return lambda: WIDTH_GAP_MAP.run(MapInputs(inputs, widths, gaps), control)

    def slow(name: str, promised: float, run: Callable[[], object]) -> Figure:
        return Figure(name, promised, median_ms(run, times=3, warm=1))

    control = Control()
    spread = spread_inputs(inputs, design.stackup.spread)
    boards = ToleranceInputs(spread, 2000, 93.0, 107.0)
    both = FitInputs(
        inputs,
        (Bounds("width", 6e-5, 4e-4), Bounds("gap", 6e-5, 6e-4)),
        (("z", 100.0), ("common", 32.0)),
    )
    bead, cavity = (shield_inputs(design, s) for s in design.shielded)
    return [
        Figure("coated pair while dragged", 40.0, median_ms(drag)),
        Figure(
            "coated pair with real copper, DC to 110 GHz",
            1000.0,
            median_ms(real_copper, times=3, warm=1),
        ),
        Figure("fit of the width, coated pair", 200.0, median_ms(fit)),
        slow("two targets at once, coated pair", 1000.0, lambda: FIT.run(both, control)),
        slow("width-gap map, 8 x 8 solved, cubic between", 3000.0, map_of(8)),
        slow("width-gap map, 15 x 15 all solved", 3000.0, map_of(15)),
        slow("tolerance run, 2000 boards", 10_000.0, lambda: TOLERANCE.run(boards, control)),
        slow("mode check, round", 10_000.0, lambda: MODE_CHECK.run(bead, control)),
        slow("mode check, box with trace", 10_000.0, lambda: MODE_CHECK.run(cavity, control)),
    ]


def paths() -> list[Figure]:
    """The demo clock: quick run while trimmed, fine run, sweep; floor is the transforms alone."""
    design = fulmar_project().design
    fine = path_inputs(design, design.path("clk-adc"))
    quick = replace(fine, fine=False)
    control = Control()
    result = PATH.run(fine, control)
    spectrum = np.ones((len(result.places), 2 * len(result.time)), dtype=complex)
    floor = median_ms(lambda: scipy.fft.ifft(spectrum, axis=-1))
    sweep = SweepInputs((Variant("", quick),), "Rs", resistor_range(67.0))
    devices = path_inputs(design, design.path("clk-two"), fine=False)
    with_models = SweepInputs((Variant("", devices),), "Rs", resistor_range(67.0))
    bits = replace(
        path_inputs(design, design.path("trig")),
        stimulus=StimulusInputs("pattern", rate=200e6),
        window=127 / 200e6,
    )
    one = replace(path_inputs(design, design.path("spi-clk")), window=3e-9)
    built = build_path(one)
    driven = with_edges(built, one, [(0.0, True)], start_high=False)
    large = _large_device_file()
    return [
        Figure("clock, quick run", 60.0, median_ms(lambda: PATH.run(quick, control))),
        Figure(
            "clock, fine run with wave map",
            60.0,
            median_ms(lambda: PATH.run(fine, control)),
            floor,
            "its Fourier transforms",
        ),
        Figure("clock, 20-value sweep", 1000.0, median_ms(lambda: PATH_SWEEP.run(sweep, control))),
        Figure(
            "clock to two converters with models, 20-value sweep",
            1000.0,
            median_ms(lambda: PATH_SWEEP.run(with_models, control), times=3),
        ),
        Figure(
            "3 ns, 1 ps, one device model",
            30.0,
            median_ms(lambda: solve_transient(driven, (), end=3e-9, step=1e-12)),
        ),
        Figure(
            "127 bits, three branches, device models",
            1000.0,
            median_ms(lambda: run_path(bits), times=3),
        ),
        Figure(
            f"device file of {len(large) / 1e6:.1f} MB",
            1000.0,
            median_ms(lambda: read_ibis(large, "large.ibs"), times=3),
        ),
        Figure(
            "two-port of a line, 500 points, passive model",
            1000.0,
            median_ms(_fit_line, times=3),
        ),
    ]


def _large_device_file() -> bytes:
    """The clock buffer's file with its models over and over under other names, about 2 MB."""
    text = (resources.files("onda.data") / "devices" / "fulmar_clock.ibs").read_text()
    head, models = text.split("[Model] io18_light", 1)
    models = ("[Model] io18_light" + models).replace("[End]", "")
    copies = [models.replace("[Model] io18", f"[Model] c{k}") for k in range(24)]
    return (head + "".join(copies) + "[End]\n").encode()


def _fit_line() -> None:
    frequency = np.linspace(1e7, 1e10, 500)
    fit_arrivals(frequency, lossless_line(60.0).s_parameters(frequency, 300e-12))


def eyes() -> list[Figure]:
    """Eye of converter lane 0 over 100 000 bits; floor is its matrix product alone."""
    design = fulmar_project().design
    inputs = eye_inputs(design, design.link("jl0"))
    control = Control()
    result = EYE.run(inputs, control)
    taps, phases = result.pulse.volts.shape
    bits = np.ones((result.eye.bits, taps + 1), dtype=np.float32)
    kernel = np.ones((taps + 1, phases + 1), dtype=np.float32)
    floor = median_ms(lambda: bits @ kernel, times=5)
    took = median_ms(lambda: EYE.run(inputs, control), times=5)
    return [Figure("eye, 100 000 bits", 500.0, took, floor, "its matrix product")]


def figures() -> list[Figure]:
    """All figures of the engine."""
    return sections() + lines() + paths() + eyes()
