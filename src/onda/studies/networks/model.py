"""Study `network_model`: the rational model of a network that circuits use."""

from __future__ import annotations

from dataclasses import dataclass

from onda.engine.networks.vector_fit import fit_network, largest_gain
from onda.studies.core.study import Control, Study
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import NetworkInputs

__all__ = ["NETWORK_MODEL", "NetworkModel"]


@dataclass(frozen=True, slots=True)
class NetworkModel:
    """Its poles, its largest error on any entry, its largest gain on the data's frequencies."""

    poles: int
    error: float
    gain: float


def _run(inputs: NetworkInputs, control: Control) -> NetworkModel:
    built = build_network(inputs)
    control.progress(0.1)
    model = fit_network(built.frequency, built.s, wanted=lambda: control.progress(0.5))
    return NetworkModel(model.order, model.error, largest_gain(model, built.frequency))


NETWORK_MODEL: Study[NetworkInputs, NetworkModel] = Study(
    "network_model", _run, NetworkModel, title="Rational model"
)
