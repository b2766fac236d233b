"""A run of an executable model, guarded: what goes wrong in it is one sentence here."""

from __future__ import annotations

import json
import math
import signal
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError

__all__ = ["AmiLimits", "AmiRun", "run_library"]

FloatArray = NDArray[np.float64]
_LONGEST = 50_000_000
"""Samples of an impulse response or of a waveform."""
_CHILD = Path(__file__).with_name("child.py")
"""Run as a file by itself: nothing that lies in the working folder is taken for a module."""
_SIGNALS = {
    signal.SIGSEGV: "it reads or writes memory that is not its own",
    signal.SIGABRT: "it aborts",
    signal.SIGFPE: "a calculation of it cannot be done",
    signal.SIGILL: "it holds instructions that this machine does not have",
    signal.SIGBUS: "it reads or writes memory that is not there",
    signal.SIGKILL: "it was killed, most likely for its memory",
    signal.SIGXCPU: "it takes too long",
}


@dataclass(frozen=True, slots=True)
class AmiLimits:
    """What a library may take."""

    megabytes: int = 2048
    seconds: int = 60


@dataclass(frozen=True, slots=True, eq=False)
class AmiRun:
    """What a library answers.

    Attributes
    ----------
    impulse : (n, 1 + aggressors) 1/s; wave : (m,) V; ticks : (t,) s of its clock
    parameters_out, message : as the library wrote them
    """

    impulse: FloatArray
    wave: FloatArray
    ticks: FloatArray
    parameters_out: str
    message: str


def run_library(
    library: Path,
    parameters: str,
    impulse: FloatArray,
    *,
    step: float,
    bit_time: float,
    wave: FloatArray | None = None,
    block_bits: int = 1024,
    limits: AmiLimits = AmiLimits(),
    called: str = "",
) -> AmiRun:
    """Initialise a library with an impulse response, then send a waveform through it.

    Parameters
    ----------
    impulse : (n, 1 + aggressors) 1/s, `step` s apart; wave : (m,) V, none for the first part only
    block_bits : of the waveform that are sent at once; called : what errors call the library

    Raises
    ------
    InputError : it cannot be loaded, refuses, crashes, hangs, or answers with what is no number
    """
    name = called or library.name
    if not library.is_file():
        raise InputError("is no file", file=str(library))
    if not (math.isfinite(step) and math.isfinite(bit_time) and 0.0 < step <= bit_time):
        raise InputError(
            f"a sample of {step:.3g} s in a bit of {bit_time:.3g} s",
            remedy="A bit holds one sample or more.",
        )
    sent = np.asarray(impulse, dtype=float).reshape(len(impulse), -1)
    rest = np.zeros(0) if wave is None else np.asarray(wave, dtype=float)
    if not 0 < len(sent) <= _LONGEST or len(rest) > _LONGEST:
        raise InputError(f"{len(sent)} samples", remedy=f"From 1 to {_LONGEST}.")
    request = {
        "library": str(library.resolve()),
        "parameters": parameters,
        "rows": len(sent),
        "aggressors": sent.shape[1] - 1,
        "step": step,
        "bit": bit_time,
        "impulse": sent.size,
        "wave": len(rest),
        "block": max(round(block_bits * bit_time / step), 1),
        "per_bit": bit_time / step,
        "megabytes": limits.megabytes,
        "seconds": limits.seconds,
    }
    # Column by column: the impulse response of each aggressor behind the one before.
    data = json.dumps(request).encode() + b"\n" + sent.T.tobytes() + rest.tobytes()
    try:
        done = subprocess.run(
            [sys.executable, "-I", str(_CHILD)],
            input=data,
            capture_output=True,
            check=False,
            timeout=limits.seconds + 2,
        )
    except subprocess.TimeoutExpired:
        raise InputError(
            f"the model hangs: no answer within {limits.seconds} s", file=name
        ) from None
    except OSError as error:
        raise InputError(f"cannot be run ({error})", file=name) from error
    head, parts = _answer(done, name, limits)
    answer, made, ticks = parts
    if len(answer) != sent.size:
        raise InputError("the model answers with another length", file=name)
    return AmiRun(
        answer.reshape(sent.shape[1], len(sent)).T.copy(),
        made,
        ticks,
        str(head.get("parameters_out", "")),
        str(head.get("message", "")),
    )


def _answer(
    done: subprocess.CompletedProcess[bytes], name: str, limits: AmiLimits
) -> tuple[dict[str, object], list[FloatArray]]:
    line, _, rest = done.stdout.partition(b"\n")
    if done.returncode < 0:
        try:
            code = signal.Signals(-done.returncode)
        except ValueError:
            code = None
        why = _SIGNALS.get(code, f"signal {-done.returncode}") if code else "an unknown signal"
        if code is signal.SIGXCPU:
            raise InputError(f"the model hangs: no answer within {limits.seconds} s", file=name)
        raise InputError(f"the model crashes: {why}", file=name)
    try:
        head = json.loads(line)
        lengths = [int(n) for n in head["lengths"]]
    except (ValueError, KeyError, TypeError):
        words = done.stderr.decode("utf-8", "replace").strip().splitlines()
        if any("MemoryError" in w for w in words):
            raise InputError(
                f"the model takes more than {limits.megabytes} MB", file=name
            ) from None
        last = words[-1][:200] if words else f"it ends with {done.returncode}"
        raise InputError(f"the model does not answer: {last}", file=name) from None
    if "failed" in head:
        raise InputError(f"the model {head['failed']}", file=name)
    values = np.frombuffer(rest, dtype=float)
    if len(lengths) != 3 or sum(lengths) != len(values):
        raise InputError("the model's answer is cut off", file=name)
    return head, [np.array(x) for x in np.split(values, np.cumsum(lengths)[:-1])]
