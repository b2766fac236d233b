"""The demo project holds what the tour needs, and nothing from anywhere else."""

from __future__ import annotations

from onda.demo import fulmar_project
from onda.project.build.stackup import CopperLayer
from onda.project.store import dumps, loads


def test_fulmar_is_complete_and_stable() -> None:
    project = fulmar_project()
    assert project == fulmar_project()
    assert loads(dumps(project)) == project
    assert len(project.design.stackup.copper) == 8
    design = project.design
    assert [c.id for c in design.line_classes] == [
        "converter-pairs", "clocks", "general", "uplink-pairs", "memory", "sensor-pairs", "launch",
        "strobes",
    ]  # fmt: skip
    assert [z.kind for z in design.stackup.zones] == ["rigid", "flex"]
    assert [s.shape for s in design.shielded] == ["round", "box"]
    assert len(design.sheet_lines) == 1
    assert [p.id for p in project.design.paths] == [
        "clk-adc", "clk-two", "clk-chain", "trig", "spi-clk", "clk-ref", "jl0",
        "mem-dq", "mem-ca",
    ]  # fmt: skip
    assert len(design.device_files) == 11
    assert len(design.networks) == 13
    assert project.design.links[0].bits == 100_000
    assert project.design.links[0].rate.si == 16.25e9


def test_build_is_symmetric() -> None:
    layers = fulmar_project().design.stackup.layers
    for top, bottom in zip(layers, layers[::-1], strict=True):
        assert type(top) is type(bottom)
        if isinstance(top, CopperLayer) and isinstance(bottom, CopperLayer):
            assert top.thickness == bottom.thickness
            assert top.role == bottom.role


def test_every_requirement_names_its_source() -> None:
    assert all(r.source for r in fulmar_project().requirements)
