"""Cross-sections, paths and eyes, each against a floor measured in the same run."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import scipy.fft
from scipy.linalg import lu_factor

from benchmarks.measure import Figure, median_ms
from onda.demo import fulmar_project
from onda.engine.section import solve_section
from onda.studies.eye import EYE
from onda.studies.fit import fit_width
from onda.studies.line_inputs import line_inputs
from onda.studies.path import PATH
from onda.studies.path_sweep import PATH_SWEEP, SweepInputs, resistor_range
from onda.studies.resolve import eye_inputs, path_inputs
from onda.studies.solved_line import solve_line
from onda.studies.study import Control
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
        return solve_line(inputs, False)

    def fit() -> object:
        solve_line.cache_clear()
        return fit_width(inputs, 100.0)

    return [
        Figure("coated pair while dragged", 40.0, median_ms(drag)),
        Figure("fit of the width, coated pair", 200.0, median_ms(fit)),
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
    sweep = SweepInputs(quick, "Rs", resistor_range(67.0))
    return [
        Figure("clock, quick run", 60.0, median_ms(lambda: PATH.run(quick, control))),
        Figure(
            "clock, fine run with wave map",
            60.0,
            median_ms(lambda: PATH.run(fine, control)),
            floor,
            "its Fourier transforms",
        ),
        Figure("clock, 17-value sweep", 1000.0, median_ms(lambda: PATH_SWEEP.run(sweep, control))),
    ]


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
