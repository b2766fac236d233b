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
from onda.formats.ami.run import run_library
from onda.formats.ami.session import run_model
from onda.project.files import Content, content_of
from onda.project.links.executable import ExecutableModel, is_allowed
from onda.project.model import Design

__all__ = [
    "PER_UI",
    "AmiFile",
    "ModelInputs",
    "Parameter",
    "answers_bits",
    "bits_ignored",
    "model_inputs",
    "parameters_of",
    "returns_impulse",
    "through_model",
    "through_models",
    "wave_through",
]

FloatArray = NDArray[np.float64]
PER_UI = 32
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
    apart = unit_interval / PER_UI
    at = np.arange(float(time[0]), float(time[-1]), apart)
    fine = np.stack([np.interp(at, time, one) for one in steps])
    # Of a step of 1, from half a swing below to half a swing above.
    impulses = np.diff(fine, axis=1, append=fine[:, -1:]).T / apart
    if sender is not None:
        # Every transmitter has a model of its own, which knows of no other lane.
        made = [
            through_model(sender, at, impulses[:, [k]], unit_interval) for k in range(len(steps))
        ]
        impulses = np.concatenate(made, axis=1)
    if listener is not None:
        impulses = through_model(listener, at, impulses, unit_interval)
    out = np.cumsum(impulses, axis=0).T * apart
    # The first sample of an impulse response is what happens up to the second one of the step.
    out = fine[:, :1] + np.concatenate([np.zeros((len(out), 1)), out[:, :-1]], axis=1)
    return np.asarray(at), np.asarray(out)


def _file(model: ModelInputs) -> AmiFile:
    return read_ami(model.parameters.read(), model.parameters.name)


def answers_bits(model: ModelInputs | None) -> bool:
    """Whether a model takes waveforms (AMI_GetWave)."""
    if model is None:
        return False
    file = _file(model)
    return file.reserved("GetWave_Exists") is not None and file.says("GetWave_Exists")


def bits_ignored(model: ModelInputs | None) -> int:
    """How many bits a model needs before its answer counts."""
    if model is None:
        return 0
    found = _file(model).reserved("Ignore_Bits")
    return max(int(float(found)), 0) if found is not None else 0


def wave_through(
    model: ModelInputs, columns: FloatArray, wave: FloatArray, unit_interval: float
) -> tuple[FloatArray, FloatArray]:
    """A waveform (n,) V, 32 samples a bit, behind a model's AMI_GetWave, and the ticks (t,) s of
    its clock, none where it keeps none; `columns` (m, k) are the impulse responses that its
    AMI_Init gets.

    Raises
    ------
    InputError : a library that this machine may not run, or a model that fails
    """
    name, file = _allowed(model)
    found = run_library(
        model.library.place(), file.sent(dict(model.settings), model.corner), columns,
        step=unit_interval / PER_UI, bit_time=unit_interval, wave=wave, called=name,
    )  # fmt: skip
    return found.wave, found.ticks


def _returns_impulse(file: AmiFile) -> bool:
    return file.reserved("Init_Returns_Impulse") is None or file.says("Init_Returns_Impulse")


def returns_impulse(model: ModelInputs) -> bool:
    """Whether a model's AMI_Init answers with an impulse response."""
    return _returns_impulse(_file(model))


def _allowed(model: ModelInputs) -> tuple[str, AmiFile]:
    """The library's name and the model's parameters, where this machine may run it."""
    name = Path(model.library.name).name
    file = _file(model)
    if not is_allowed(model.library.sha256):
        raise InputError(
            f"{name} is a library that runs on this machine, and nobody here has allowed it",
            remedy="Allow it in Eyes, or by onda eye --allow-libraries, if you know where it is "
            "from.",
        )
    return name, file


def through_model(
    model: ModelInputs, time: FloatArray, columns: FloatArray, unit: float
) -> FloatArray:
    """Impulse responses (n, k) behind a model's AMI_Init."""
    name, file = _allowed(model)
    if not _returns_impulse(file):
        raise InputError(
            f"{file.root} answers bits only (Init_Returns_Impulse is False)",
            remedy="Look at its eye bit by bit, or run it by onda ami --wave.",
        )
    settings = file.sent(dict(model.settings), model.corner)
    found = run_model(
        file, model.library.place(), settings, time, columns,
        is_wave=False, bit_time=unit, called=name,
    )  # fmt: skip
    return found.impulse
