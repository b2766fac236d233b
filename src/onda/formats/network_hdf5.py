"""Large networks in HDF5: `frequency` (Hz), `s`, `reference` (ohm), attribute `comments`."""

from __future__ import annotations

import io
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


def read_network_hdf5(data: bytes, name: str) -> TouchstoneFile:
    """Read a network; raise `InputError` where it is none."""
    import h5py

    try:
        with h5py.File(io.BytesIO(data), "r") as file:
            if file.attrs.get("kind") != _KIND:
                raise InputError("is HDF5, but no network", file=name)
            frequency = np.asarray(file["frequency"][...], dtype=float)
            s = np.asarray(file["s"][...], dtype=complex)
            reference = np.asarray(file["reference"][...], dtype=float)
            comments = str(file.attrs.get("comments", ""))
    except (
        OSError,
        KeyError,
        ValueError,
        TypeError,
        RuntimeError,
        AttributeError,
        OverflowError,
        MemoryError,
    ) as error:
        raise InputError(
            f"cannot be read as HDF5 ({error})", file=name, remedy="Write it again."
        ) from error
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
