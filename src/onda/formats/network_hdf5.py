"""Large networks in HDF5: `frequency` (Hz), `s`, `reference` (ohm), attribute `comments`."""

from __future__ import annotations

import io
import subprocess
import sys
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError
from onda.formats.touchstone.reader import TouchstoneFile

__all__ = ["MAGIC", "read_network_hdf5", "write_network_hdf5"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
MAGIC = b"\x89HDF\r\n\x1a\n"
_KIND = "onda network 1"


def write_network_hdf5(
    frequency: FloatArray, s: ComplexArray, reference: FloatArray, comments: Sequence[str] = ()
) -> bytes:
    """Content of a file."""
    import h5py

    buffer = io.BytesIO()
    with h5py.File(buffer, "w") as file:
        file.attrs["kind"] = _KIND
        file.attrs["comments"] = "\n".join(comments)
        file["frequency"] = np.asarray(frequency, dtype=float)
        file["reference"] = np.broadcast_to(np.asarray(reference, dtype=float), s.shape[-1:])
        file.create_dataset("s", data=np.asarray(s, dtype=complex), chunks=True)
    return buffer.getvalue()


def _arrays(data: bytes, name: str) -> dict[str, NDArray[np.generic]]:
    """The arrays of a file, read in a process of its own that a hostile file may take along."""
    remedy = "Write it again."
    if not data.startswith(MAGIC):
        raise InputError("is no HDF5", file=name, remedy=remedy)
    try:
        done = subprocess.run(
            # Nothing that lies in the working folder is taken for a module.
            [sys.executable, "-P", "-m", "onda.formats.hdf5_child", _KIND],
            input=data,
            capture_output=True,
            check=False,
            timeout=20 + len(data) / 2e6,
        )
    except subprocess.TimeoutExpired as error:
        raise InputError("takes too long to read: hostile or broken", file=name) from error
    if done.returncode:
        words = done.stderr.decode("utf-8", "replace").strip().splitlines()
        why = (
            words[-1]
            if words and done.returncode == 1
            else "hostile or broken: its reader ends in it"
        )
        raise InputError(f"cannot be read as HDF5 ({why})", file=name, remedy=remedy)
    with np.load(io.BytesIO(done.stdout), allow_pickle=False) as stored:
        return {key: stored[key] for key in stored.files}


def read_network_hdf5(data: bytes, name: str) -> TouchstoneFile:
    """Read a network; raise `InputError` where it is none."""
    found = _arrays(data, name)
    frequency = np.asarray(found["frequency"], dtype=float)
    reference = np.asarray(found["reference"], dtype=float)
    s = np.asarray(found["s"], dtype=complex)
    comments = found["comments"].tobytes().decode()
    if frequency.ndim != 1 or reference.ndim != 1:
        raise InputError("its datasets do not fit each other", file=name)
    n = s.shape[-1] if s.ndim == 3 else 0
    if (
        n == 0
        or len(frequency) == 0
        or s.shape != (len(frequency), n, n)
        or reference.shape != (n,)
    ):
        raise InputError("its datasets do not fit each other", file=name)
    if not (np.isfinite(s).all() and np.isfinite(frequency).all()) or frequency[0] < 0:
        raise InputError("holds values that are not finite, or a frequency below 0", file=name)
    if not (np.diff(frequency) > 0).all() or not (reference > 0).all():
        raise InputError("frequencies must rise and references be above 0", file=name)
    return TouchstoneFile(
        frequency, s, "S", reference, np.empty((0, 5)), tuple(comments.splitlines())
    )
