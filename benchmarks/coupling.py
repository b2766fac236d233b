"""Coupling: from the edge of a drag to a new power sum, against the linear algebra of that size."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np

from benchmarks.measure import Figure, median_ms
from onda.demo import fulmar_project
from onda.project.coupling.group import LaneGroup
from onda.studies.core.study import Control
from onda.studies.coupling.bits import GROUP_BITS
from onda.studies.coupling.circuit import GroupCircuit
from onda.studies.coupling.group import GROUP
from onda.studies.coupling.inputs import GroupInputs, group_inputs
from onda.studies.coupling.search import with_spacing
from onda.studies.coupling.waves import waves_inputs


def _group(conductors: int) -> GroupInputs:
    """So many memory lines side by side for 127 mm on the surface."""
    tree = {
        "id": "bench",
        "name": "bench",
        "line_class": "memory",
        "lanes": [{"id": f"l{k}", "name": f"L{k}"} for k in range(conductors)],
        "pieces": [
            {
                "id": "C1",
                "layer": "L1",
                "length": "127 mm",
                "spacings": ["200 um"] * (conductors - 1),
            }
        ],
        "rate": "4 GBd",
        "rise": "40 ps",
    }
    group = LaneGroup.model_validate(tree, strict=False)
    return group_inputs(fulmar_project().design, group, fine=False)


def _floor(n: int, points: int = 1001) -> float:
    """Eigenvalues of that many matrices, and the dense solves between their ports."""
    rng = np.random.default_rng(0)
    a = rng.normal(size=(points, n, n)) + 1j * rng.normal(size=(points, n, n))
    b = rng.normal(size=(points, 2 * n, 2 * n)) + 1j * rng.normal(size=(points, 2 * n, 2 * n))
    return median_ms(lambda: (np.linalg.eig(a), np.linalg.solve(b, b)), times=3, warm=1)


def figures() -> list[Figure]:
    """Groups of 8 and of 16 conductors at 1000 frequencies."""
    out = []
    for n, first, moved in ((8, 1500.0, 500.0), (16, 4000.0, 4000.0)):
        inputs = _group(n)
        floor = _floor(n)
        # Each with another distance, so that nothing is known already.
        apart = (100e-6 + 1e-6 * k for k in itertools.count())
        lengths = (0.12 + 1e-5 * k for k in itertools.count())

        def drag(inputs: GroupInputs = inputs, apart=apart) -> None:  # type: ignore[no-untyped-def]
            GROUP.run(with_spacing(inputs, next(apart)), Control())

        def pull(inputs: GroupInputs = inputs, lengths=lengths) -> None:  # type: ignore[no-untyped-def]
            pieces = (replace(inputs.pieces[0], length=next(lengths)),)
            GROUP.run(replace(inputs, pieces=pieces), Control())

        name = f"{n} lines, 127 mm, 1000 frequencies"
        what = "its eigenvalues and solves"
        out.append(Figure(f"{name}, spacing dragged", moved, median_ms(drag, times=5), floor, what))
        out.append(Figure(f"{name}, length pulled", first, median_ms(pull, times=5), floor, what))
    out.append(_bits())
    return out


def _bits() -> Figure:
    """A byte with devices, 127 bits on each lane; the floor is a product of the matrix that a step
    takes with its state, so many times."""
    design = fulmar_project().design
    group = design.group("memory-byte")
    inputs = waves_inputs(design, group, "dq3")
    circuit = GroupCircuit(inputs.group, inputs.driver, inputs.listener)
    steps = math.ceil(136 / inputs.group.rate / circuit.step)
    size = circuit.nodes
    matrix, state = np.ones((size, size)), np.ones(size)

    def floor() -> None:
        for _ in range(steps):
            matrix @ state

    took = median_ms(lambda: GROUP_BITS.run(inputs, Control()), times=3, warm=1)
    least = median_ms(floor, times=3, warm=1)
    return Figure("8 lanes with devices, 127 bits", 2000.0, took, least, "its steps as products")
