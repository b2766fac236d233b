"""A build from two decisions: how many layers, and whether a flexible tail."""

from __future__ import annotations

from onda.project.build.templates import LAYER_COUNTS, TAIL_COUNTS, template_build
from onda.project.edits import with_design
from onda.project.kind import Ref
from onda.project.model import Project
from onda.project.recipe import Answers, Decision, Recipe

__all__ = ["BUILD_RECIPES"]


def _has_tail(answers: Answers) -> bool:
    return int(answers["layers"]) in TAIL_COUNTS


_BUILD = (
    Decision(
        "layers",
        "Copper layers",
        "A usual build of so many layers, with values typical of a mid-loss laminate; every layer "
        "can be changed afterwards.",
        "choice",
        default=lambda _, __: "6",
        options=lambda _, __: ((str(n), str(n)) for n in LAYER_COUNTS),
    ),
    Decision(
        "tail",
        "Flexible tail",
        "Whether the two layers in the middle go on alone, bent to a connector.",
        "choice",
        default=lambda _, __: "no",
        options=lambda _, __: (("no", "none"), ("yes", "with a tail")),
        asked=_has_tail,
    ),
)


def _make(project: Project, answers: Answers) -> tuple[Project, Ref]:
    tail = answers["tail"] == "yes" and _has_tail(answers)
    materials, stackup = template_build(int(answers["layers"]), tail=tail)
    known = {m.id for m in materials}
    kept = tuple(m for m in project.design.materials if m.id not in known)
    changed = with_design(project, materials=(*kept, *materials), stackup=stackup)
    return changed, Ref("layer", stackup.copper[0].id)


BUILD_RECIPES = (
    Recipe(
        "layer",
        "Build",
        "The build is what everything else stands on: laminates, copper and coating from top to "
        "bottom. Begin with a usual one, or read the fabricator's.",
        _BUILD,
        _make,
    ),
)
