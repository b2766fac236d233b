"""What is not alike in two states of a project, by name."""

from __future__ import annotations

from onda.project.base import set_value
from onda.project.differences import differences
from onda.project.edits import replace_object
from onda.project.model import Project
from onda.project.quantities import parse_quantity


def test_alike_is_nothing(project: Project) -> None:
    assert differences(project, project) == ()
    assert differences(project, Project.model_validate(project.model_dump())) == ()


def test_each_change_is_named(project: Project) -> None:
    link = project.design.links[0]
    other = replace_object(project, set_value(link, bits=1111))
    assert differences(project, other) == (f"link {link.name}: bits",)
    renamed = set_value(other, name="Another")
    assert differences(project, renamed) == ("name Another", f"link {link.name}: bits")


def test_what_came_and_what_went(project: Project) -> None:
    gone = set_value(project, requirements=project.requirements[1:])
    first = project.requirements[0]
    name = getattr(first, "name", "") or first.id
    assert differences(project, gone) == (f"requirement {name} is gone",)
    assert differences(gone, project) == (f"requirement {name} is new",)


def test_the_build_and_its_layers(project: Project) -> None:
    stackup = project.design.stackup
    layer = stackup.layers[1]
    thicker = set_value(layer, thickness=parse_quantity("44 um", "length"))
    layers = (stackup.layers[0], thicker, *stackup.layers[2:])
    changed = set_value(stackup, layers=layers, total_tolerance=parse_quantity("9 %", "ratio"))
    other = set_value(project, design=set_value(project.design, stackup=changed))
    found = differences(project, other)
    assert any(d.endswith(f"{layer.id}: thickness") for d in found)
    assert "build: total tolerance" in found
