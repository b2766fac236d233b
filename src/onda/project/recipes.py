"""Every way to make an object from decisions, by the kind of object that it makes."""

from __future__ import annotations

from onda.project.build.recipe import BUILD_RECIPES
from onda.project.buses.recipe import BUS_RECIPES
from onda.project.coupling.recipe import GROUP_RECIPES
from onda.project.lines.recipe import LINE_RECIPES
from onda.project.links.recipe import LINK_RECIPES
from onda.project.networks.recipe import NETWORK_RECIPES
from onda.project.paths.recipe import PATH_RECIPES
from onda.project.recipe import Recipe

__all__ = ["RECIPES"]

RECIPES: dict[str, Recipe] = {
    r.kind: r
    for r in (
        *BUILD_RECIPES,
        *LINE_RECIPES,
        *PATH_RECIPES,
        *GROUP_RECIPES,
        *NETWORK_RECIPES,
        *LINK_RECIPES,
        *BUS_RECIPES,
    )
}
"""In the order of the stages."""
