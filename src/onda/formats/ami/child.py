"""Runs the library of an executable model: a process of its own, which the library may take along.

Reads one request (a line of JSON, then doubles) and answers likewise. What the library itself
writes goes to the error stream.
"""

from __future__ import annotations

import array
import contextlib
import ctypes
import json
import math
import os
import sys
import time

_DOUBLES = ctypes.POINTER(ctypes.c_double)
_Doubles = array.array


class _Failed(Exception):
    """Told in one sentence."""


def _limits(megabytes: int, seconds: int) -> None:
    import resource

    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # The limit is for the library: what starting took so far is not its.
    used = math.ceil(time.process_time())
    resource.setrlimit(resource.RLIMIT_CPU, (used + seconds, used + seconds + 1))
    wanted = megabytes * 2**20
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_AS, (wanted, wanted))


def _load(path: str) -> ctypes.CDLL:
    try:
        return ctypes.CDLL(path, mode=os.RTLD_NOW | os.RTLD_LOCAL)
    except OSError as error:
        words = str(error)
        if "invalid ELF" in words or "wrong ELF" in words or "file too short" in words:
            raise _Failed(f"is no library for this machine ({words})") from error
        if "cannot open shared object" in words and path not in words.split(":")[0]:
            raise _Failed(f"needs another library that is not there ({words})") from error
        raise _Failed(f"cannot be loaded ({words})") from error


def _symbol(library: ctypes.CDLL, name: str) -> object:
    try:
        return getattr(library, name)
    except AttributeError:
        raise _Failed(f"has no function {name}") from None


def _text(pointer: ctypes.c_char_p) -> str:
    return (pointer.value or b"").decode("utf-8", "replace")


def _finite(values: _Doubles, what: str) -> None:
    if not all(map(math.isfinite, values)):
        raise _Failed(f"answers with values that are not finite ({what})")


def _run(
    request: dict[str, object], impulse: _Doubles, wave: _Doubles
) -> tuple[dict[str, object], _Doubles, _Doubles, _Doubles]:
    library = _load(str(request["library"]))
    init, close = _symbol(library, "AMI_Init"), _symbol(library, "AMI_Close")
    rows, aggressors = int(request["rows"]), int(request["aggressors"])  # type: ignore[call-overload]
    init.argtypes = [  # type: ignore[attr-defined]
        _DOUBLES, ctypes.c_long, ctypes.c_long, ctypes.c_double, ctypes.c_double, ctypes.c_char_p,
        ctypes.POINTER(ctypes.c_char_p), ctypes.POINTER(ctypes.c_void_p),
        ctypes.POINTER(ctypes.c_char_p),
    ]  # fmt: skip
    init.restype = ctypes.c_long  # type: ignore[attr-defined]
    close.argtypes, close.restype = [ctypes.c_void_p], ctypes.c_long  # type: ignore[attr-defined]
    matrix = (ctypes.c_double * len(impulse))(*impulse)
    out, message = ctypes.c_char_p(), ctypes.c_char_p()
    handle = ctypes.c_void_p()
    step, bit = float(request["step"]), float(request["bit"])  # type: ignore[arg-type]
    done = init(  # type: ignore[operator]
        matrix, rows, aggressors, step, bit, str(request["parameters"]).encode(),
        ctypes.byref(out), ctypes.byref(handle), ctypes.byref(message),
    )  # fmt: skip
    told = _text(message)
    if done != 1:
        raise _Failed(f"refuses to begin: {told or f'AMI_Init returns {done}'}")
    answer = array.array("d", matrix)
    _finite(answer, "impulse response")
    parameters, ticks, made = _text(out), array.array("d"), array.array("d")
    if wave:
        parameters_of, made, ticks = _waves(library, handle, wave, request)
        parameters = parameters_of or parameters
    closed = close(handle)  # type: ignore[operator]
    if closed != 1:
        told = (told + " " if told else "") + f"AMI_Close returns {closed}"
    return {"message": told, "parameters_out": parameters}, answer, made, ticks


def _waves(
    library: ctypes.CDLL,
    handle: ctypes.c_void_p,
    wave: _Doubles,
    request: dict[str, object],
) -> tuple[str, _Doubles, _Doubles]:
    get = _symbol(library, "AMI_GetWave")
    get.argtypes = [  # type: ignore[attr-defined]
        _DOUBLES, ctypes.c_long, _DOUBLES, ctypes.POINTER(ctypes.c_char_p), ctypes.c_void_p
    ]  # fmt: skip
    get.restype = ctypes.c_long  # type: ignore[attr-defined]
    block, per_bit = int(request["block"]), float(request["per_bit"])  # type: ignore[call-overload,arg-type]
    made, ticks, parameters = array.array("d"), array.array("d"), ""
    for first in range(0, len(wave), block):
        part = wave[first : first + block]
        buffer = (ctypes.c_double * len(part))(*part)
        # Room for twice as many clocks as bits, and for the end.
        room = 2 * math.ceil(len(part) / per_bit) + 16
        clocks = (ctypes.c_double * room)(*([-1.0] * room))
        out = ctypes.c_char_p()
        done = get(buffer, len(part), clocks, ctypes.byref(out), handle)  # type: ignore[operator]
        if done != 1:
            raise _Failed(f"gives up in block {first // block + 1}: AMI_GetWave returns {done}")
        found = array.array("d", buffer)
        _finite(found, "waveform")
        made.extend(found)
        for tick in clocks:
            # NaN is no time either.
            if not tick >= 0.0 or not math.isfinite(tick):
                break
            ticks.append(tick)
        parameters = _text(out) or parameters
    return parameters, made, ticks


def main() -> None:
    """Answer one request."""
    answers = os.dup(1)
    os.dup2(2, 1)
    source = sys.stdin.buffer
    request = json.loads(source.readline())
    _limits(int(request["megabytes"]), int(request["seconds"]))
    impulse, wave = array.array("d"), array.array("d")
    impulse.frombytes(source.read(8 * int(request["impulse"])))
    wave.frombytes(source.read(8 * int(request["wave"])))
    parts: tuple[_Doubles, ...] = ()
    try:
        head, *found = _run(request, impulse, wave)
        parts = tuple(found)
    except _Failed as error:
        head = {"failed": str(error)}
    head["lengths"] = [len(p) for p in parts]
    with os.fdopen(answers, "wb") as sink:
        sink.write(json.dumps(head).encode() + b"\n")
        for part in parts:
            sink.write(part.tobytes())
        sink.flush()
    # A library may have left threads and exit handlers behind.
    os._exit(0)


if __name__ == "__main__":
    main()
