"""A hole in Fulmar's build, its heights added up by hand in µm."""

from __future__ import annotations

import pytest

from onda.errors import InputError
from onda.project.build.hole import Hole
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.studies.build.hole import geometry_of

UM = 1e-6
PLANES = {"L2": (145, 162), "L4": (448, 466), "L5": (541, 559), "L7": (845, 862)}


def near(*values: float):
    return pytest.approx([v * UM for v in values], abs=1e-10)


def hole(**changes: object) -> Hole:
    lengths = {k: parse_quantity(v, "length") for k, v in changes.items() if isinstance(v, str)}
    return Hole(**{**changes, **lengths})


def test_from_the_top_to_an_inner_layer_the_rest_is_a_stub(project: Project) -> None:
    made = geometry_of(
        project.design,
        hole(drill="0.25 mm", pad="0.5 mm", antipad="0.8 mm", returns=2, return_distance="0.9 mm"),
        ("L3", "L1"),
        "v1",
    )
    assert [made.drill, made.pad, made.antipad, made.return_distance] == near(250, 500, 800, 900)
    assert made.returns == 2
    assert not made.pair
    assert made.through == pytest.approx(306 * UM)
    # What hangs on below L3; with what is between, it is the whole hole.
    assert made.stub == pytest.approx((1007 - 306) * UM)
    assert list(made.barrel) == near(0, 1007)
    assert list(made.span) == near(0, 306)
    assert [list(p) for p in made.pads] == [near(0, 43), near(289, 306)]
    planes = [PLANES[x.id] for x in project.design.stackup.copper if x.role == "plane"]
    assert [list(p) for p in made.planes] == [near(*p) for p in planes]
    assert len(planes) == 4
    # To the next copper: over D12 from L1, over the nearer of D23 and D34 from L3.
    assert list(made.pad_gaps) == near(102, 127)
    dk = {m.id: m.dk for m in project.design.materials}
    er = (102 * dk["prepreg"] + 127 * dk["core"]) / 229
    assert made.er == pytest.approx(er, rel=1e-12)


@pytest.mark.parametrize(
    ("joins", "stub", "barrel"),
    [
        # The longer stub is drilled away from its own side: below L3, above L6.
        (("L1", "L3"), 150, (0, 306 + 150)),
        (("L6", "L8"), 150, (701 - 150, 1007)),
        # What hangs on at the other side stays: above L3, below L6.
        (("L3", "L6"), 289, (0, 718 + 150)),
        (("L4", "L6"), 289, (448 - 150, 1007)),
        # A rest longer than what hangs on takes nothing away.
        (("L1", "L7"), 145, (0, 862 + 145)),
    ],
)
def test_a_stub_is_drilled_down_to_its_rest(project: Project, joins, stub, barrel) -> None:
    made = geometry_of(project.design, hole(back_drilled=True, rest="0.15 mm"), joins, "v1")
    assert made.stub == pytest.approx(stub * UM, abs=1e-10)
    assert list(made.barrel) == near(*barrel)


def test_the_longer_side_is_the_stub(project: Project) -> None:
    made = geometry_of(project.design, hole(), ("L6", "L4"), "v1", pair=True)
    assert made.pair
    assert made.through == pytest.approx((718 - 448) * UM)
    # Above L4 448, below L6 289.
    assert made.stub == pytest.approx(448 * UM)
    assert list(made.pad_gaps) == near(75, 127)


def test_a_hole_from_a_layer_to_itself_is_none(project: Project) -> None:
    with pytest.raises(InputError, match=r"v1.*the same one"):
        geometry_of(project.design, hole(), ("L3", "L3"), "v1")


def test_a_hole_to_a_layer_of_another_zone_is_refused(project: Project) -> None:
    """The tail has an L4 of its own, and the whole board another: only that one is drilled."""
    assert geometry_of(project.design, hole(), ("L8", "L4"), "v1").through > 0.0
    for joins in (("L8", "tail.L4"), ("tail.L4", "L8")):
        with pytest.raises(InputError, match=r"v1.*tail\.L4.*no layer of the whole board"):
            geometry_of(project.design, hole(), joins, "v1")
