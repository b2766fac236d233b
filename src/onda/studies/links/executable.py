"""A channel between executable models: what their AMI_Init makes of its impulse response.

The flow for linear models of IBIS 7.2, section 10.2.2: the transmitter's model turns the impulse
response of the channel into another one, and that of each other lane too; then the receiver's
model turns what comes of that, all other lanes beside it.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError
from onda.formats.ami.parameters import AmiFile, Parameter, read_ami
from onda.formats.ami.session import run_model
from onda.project.files import Content, content_of
from onda.project.links.executable import ExecutableModel, is_allowed
from onda.project.model import Design

__all__ = [
    "AmiFile",
    "ModelInputs",
    "Parameter",
    "model_inputs",
    "parameters_of",
    "through_models",
]

FloatArray = NDArray[np.float64]
_PER_UI = 32
"""Samples of a bit, as the models get them."""


@dataclass(frozen=True, slots=True)
class ModelInputs:
    """An executable model: its files, what is set, and its corner."""

    parameters: Content
    library: Content
    settings: tuple[tuple[str, str], ...]
    corner: str


def model_inputs(design: Design, model: ExecutableModel | None) -> ModelInputs | None:
    """Slice for a model; raise `InputError` where one of its files is nowhere."""
    if model is None:
        return None
    return ModelInputs(
        content_of(design.device_file(model.parameters)),
        content_of(design.device_file(model.library)),
        tuple((s.id, s.value) for s in model.settings),
        model.corner,
    )


def parameters_of(design: Design, model: ExecutableModel) -> AmiFile:
    """What a model can be set to; raise `InputError` where its file cannot be read."""
    entry = design.device_file(model.parameters)
    return read_ami(content_of(entry).read(), entry.path)


def through_models(
    time: FloatArray,
    steps: FloatArray,
    unit_interval: float,
    sender: ModelInputs | None,
    listener: ModelInputs | None,
) -> tuple[FloatArray, FloatArray]:
    """Steps (k, t) V behind the models: time (m,) and steps (k, m).

    Parameters
    ----------
    steps : of the channel first, of other lanes behind

    Raises
    ------
    InputError : a library that this machine may not run, or a model that fails
    """
    apart = unit_interval / _PER_UI
    at = np.arange(float(time[0]), float(time[-1]), apart)
    fine = np.stack([np.interp(at, time, one) for one in steps])
    # Of a step of 1, from half a swing below to half a swing above.
    impulses = np.diff(fine, axis=1, append=fine[:, -1:]).T / apart
    if sender is not None:
        # Every transmitter has a model of its own, which knows of no other lane.
        made = [_run(sender, at, impulses[:, [k]], unit_interval) for k in range(len(steps))]
        impulses = np.concatenate(made, axis=1)
    if listener is not None:
        impulses = _run(listener, at, impulses, unit_interval)
    out = np.cumsum(impulses, axis=0).T * apart
    # The first sample of an impulse response is what happens up to the second one of the step.
    out = fine[:, :1] + np.concatenate([np.zeros((len(out), 1)), out[:, :-1]], axis=1)
    return np.asarray(at), np.asarray(out)


def _run(model: ModelInputs, time: FloatArray, columns: FloatArray, unit: float) -> FloatArray:
    name = Path(model.library.name).name
    file = read_ami(model.parameters.read(), model.parameters.name)
    if not is_allowed(model.library.sha256):
        raise InputError(
            f"{name} is a library that runs on this machine, and nobody here has allowed it",
            remedy="Allow it in Eyes, or by onda eye --allow-libraries, if you know where it is "
            "from.",
        )
    if file.reserved("Init_Returns_Impulse") is not None and not file.says("Init_Returns_Impulse"):
        raise InputError(
            f"{file.root} answers bits only (Init_Returns_Impulse is False)",
            remedy="Run it by onda ami --wave.",
        )
    settings = file.sent(dict(model.settings), model.corner)
    found = run_model(
        file, model.library.place(), settings, time, columns,
        is_wave=False, bit_time=unit, called=name,
    )  # fmt: skip
    return found.impulse
