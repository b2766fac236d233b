"""An executable model between a signal and what comes of it: samples as it wants them, and back."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError
from onda.formats.ami.parameters import AmiFile
from onda.formats.ami.run import AmiLimits, AmiRun, run_library

__all__ = ["run_model"]

FloatArray = NDArray[np.float64]
_EVEN = 1e-3
"""Share of a sample by which times may be uneven."""


def run_model(
    model: AmiFile,
    library: Path,
    parameters: str,
    time: FloatArray,
    columns: FloatArray,
    *,
    is_wave: bool,
    bit_time: float,
    step: float | None = None,
    block_bits: int = 1024,
    limits: AmiLimits = AmiLimits(),  # noqa: B008 - frozen
    called: str = "",
) -> AmiRun:
    """Run a model on an impulse response, or on a waveform.

    Parameters
    ----------
    time : (n,) s; columns : (n, k) of an impulse response, 1/s, those of aggressors behind; of a
        waveform (n, 1) V
    step : s that the model gets samples at, None for that of `time`; signals are resampled
    called : what errors call the library, its file's name without

    Raises
    ------
    InputError : the signal or the model does not do
    """
    own = _step_of(time)
    wanted = own if step is None else step
    if not 0.0 < wanted <= bit_time:
        raise InputError(
            f"a sample of {wanted:.3g} s in a bit of {bit_time:.3g} s",
            remedy="A bit holds one sample or more.",
        )
    sent = columns if abs(wanted / own - 1.0) <= _EVEN else _resampled(time, columns, wanted)
    most = model.reserved("Max_Init_Aggressors")
    if not is_wave and most is not None and sent.shape[1] - 1 > int(float(most)):
        raise InputError(
            f"{model.root} takes {most} aggressors, not {sent.shape[1] - 1}",
            remedy="Leave the weakest away.",
        )
    if not is_wave:
        found = run_library(
            library, parameters, sent, step=wanted, bit_time=bit_time, limits=limits, called=called
        )
        if model.reserved("Init_Returns_Impulse") is not None and not model.says(
            "Init_Returns_Impulse"
        ):
            # It says itself that what it leaves there means nothing.
            found = replace(found, impulse=np.array(sent))
        return found
    # A plain connection, so that what comes back is what the model itself does.
    plain = np.zeros((max(round(64 * bit_time / wanted), 1), 1))
    plain[0] = 1.0 / wanted
    has_wave = model.reserved("GetWave_Exists") is None or model.says("GetWave_Exists")
    found = run_library(
        library,
        parameters,
        plain,
        step=wanted,
        bit_time=bit_time,
        wave=sent[:, 0] if has_wave else None,
        block_bits=block_bits,
        limits=limits,
        called=called,
    )
    if has_wave:
        return found
    made = np.convolve(sent[:, 0], found.impulse[:, 0])[: len(sent)] * wanted
    words = "it has no AMI_GetWave: its impulse response was folded with the waveform"
    message = f"{found.message}; {words}" if found.message else words
    return replace(found, wave=made, message=message)


def _step_of(time: FloatArray) -> float:
    if len(time) < 2:
        raise InputError("a signal has two samples or more")
    apart = np.diff(time)
    step = float(np.median(apart))
    if not step > 0.0 or float(np.abs(apart / step - 1.0).max()) > _EVEN * len(time):
        raise InputError(
            "its times are not evenly spaced", remedy="Write it again with even steps in time_s."
        )
    return float((time[-1] - time[0]) / (len(time) - 1))


def _resampled(time: FloatArray, columns: FloatArray, step: float) -> FloatArray:
    at = np.arange(time[0], time[-1] + 0.5 * step, step)
    return np.stack([np.interp(at, time, column) for column in columns.T], axis=1)
