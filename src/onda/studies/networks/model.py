"""Study `network_model`: the model of a network that circuits use in time."""

from __future__ import annotations

from dataclasses import dataclass

from onda.engine.networks.arrival_fit import fit_arrivals
from onda.studies.core.study import Control, Study
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import NetworkInputs

__all__ = ["NETWORK_MODEL", "NetworkModel"]


@dataclass(frozen=True, slots=True)
class NetworkModel:
    """How much it holds, in words, its largest error on any entry in the lower four fifths of the
    band, and its largest gain inside the band and above."""

    size: str
    error: float
    gain: float
    gain_above: float


def _run(inputs: NetworkInputs, control: Control) -> NetworkModel:
    built = build_network(inputs)
    control.progress(0.1)
    model = fit_arrivals(built.frequency, built.s, wanted=lambda: control.progress(0.5))
    return NetworkModel(model.size, model.error, model.gain, model.gain_above)


NETWORK_MODEL: Study[NetworkInputs, NetworkModel] = Study(
    "network_model", _run, NetworkModel, title="Model in time"
)
