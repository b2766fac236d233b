"""Materials and the layers that are made of them."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.build.stackup import CopperLayer, Material, StackLayer
from onda.project.kind import Kind, Mention

__all__ = ["BUILD_KINDS"]


def _of_layer(layer: StackLayer) -> Iterable[Mention]:
    if not isinstance(layer, CopperLayer):
        yield Mention("material", layer.material)


BUILD_KINDS = (
    Kind("material", "material", "materials", Material),
    Kind(
        "layer",
        "layer",
        "stackup.layers",
        CopperLayer,
        refers=_of_layer,
        needs=("material",),
        listed=False,
    ),
)
