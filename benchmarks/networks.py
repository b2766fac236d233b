"""Networks: reading, algebra, and what the stage shows, against floors of the same run."""

from __future__ import annotations

import numpy as np

from benchmarks.measure import Figure, median_ms
from onda.demo import fulmar_project
from onda.engine.networks.algebra import cascade
from onda.engine.networks.mixed_mode import mixed_mode
from onda.engine.networks.peeling import peeled
from onda.engine.networks.quality import quality_of
from onda.formats.touchstone.reader import read_touchstone
from onda.studies.core.study import Control
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.model import NETWORK_MODEL
from onda.studies.networks.network import NETWORK


def _large_file(ports: int, points: int) -> bytes:
    rng = np.random.default_rng(0)
    row = " ".join(f"{v:.9g}" for v in rng.normal(size=2 * ports * ports) * 0.01)
    lines = (f"{0.01 * (k + 1):.6g} {row}\n" for k in range(points))
    return ("# GHz S RI R 50\n" + "".join(lines)).encode()


def reading() -> list[Figure]:
    """A file of 100 ports and 2000 points, 566 MB of text, against one look at every byte."""
    data = _large_file(100, 2000)
    view = np.frombuffer(data, dtype=np.uint8)
    took = median_ms(lambda: read_touchstone(data, "large.s100p"), times=3)
    floor = median_ms(lambda: int(np.count_nonzero(view == 10)), times=3)
    name = f"Touchstone, 100 ports x 2000 points, {len(data) / 1e6:.0f} MB"
    return [Figure(name, 2000.0, took, floor, "counting its lines")]


def algebra() -> list[Figure]:
    """Four ports at 10 000 points."""
    rng = np.random.default_rng(1)
    s = 0.2 * (rng.normal(size=(10000, 4, 4)) + 1j * rng.normal(size=(10000, 4, 4)))
    s[:, :2, 2:] += 0.6 * np.eye(2)
    s[:, 2:, :2] += 0.6 * np.eye(2)
    f = np.arange(1, 10001) * 1e6
    copy = median_ms(lambda: s.copy())
    pairs = ((0, 1), (2, 3))
    invert = median_ms(lambda: np.linalg.inv(s))
    response = rng.normal(size=4000) * 1e-3
    time = np.arange(4000) * 1e-12
    return [
        Figure("mixed mode, 4 ports x 10000 points", 50.0, median_ms(lambda: mixed_mode(s, pairs)),
               copy, "one copy"),
        Figure("cascade of two, 4 ports x 10000 points", 200.0, median_ms(lambda: cascade(s, s)),
               invert, "one inverse"),
        Figure("quality, 4 ports x 10000 points", 500.0, median_ms(lambda: quality_of(f, s)),
               median_ms(lambda: np.linalg.svd(s, compute_uv=False)), "singular values"),
        Figure("peeling, 4000 layers", 200.0, median_ms(lambda: peeled(time, response, 50.0))),
    ]  # fmt: skip


def stage() -> list[Figure]:
    """What the stage waits for on the demo."""
    design = fulmar_project().design
    out = []
    for name, promised in (("up0-channel", 1000.0), ("board-uplinks", 1000.0)):
        inputs = network_inputs(design, design.network(name))
        build_network(inputs)
        took = median_ms(lambda i=inputs: NETWORK.run(i, Control()), times=3)
        out.append(Figure(f"network {name}, all views", promised, took))
    inputs = network_inputs(design, design.network("mezzanine"))
    took = median_ms(lambda: NETWORK_MODEL.run(inputs, Control()), times=3)
    return [*out, Figure("model in time of the connector, a four-port", 5000.0, took)]


def figures() -> list[Figure]:
    """All figures of networks."""
    return reading() + algebra() + stage()
