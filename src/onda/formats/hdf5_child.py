"""Reads a network's HDF5 in a process of its own: ``python -m onda.formats.hdf5_child``.

The library that reads HDF5 trusts its files: a hostile one can hang it, make it take all memory, or
crash it. So it is only let loose where that harms nobody: bytes come in on standard input, arrays
go out as `.npz` on standard output, within limits of time and memory.
"""

from __future__ import annotations

import io
import resource
import sys

import numpy as np

__all__ = ["read"]

_FIELDS = ("frequency", "s", "reference")
_ROOM = 3 * 2**30
_PACKED = 64
"""How much larger than its file a content may be."""


def read(data: bytes, kind: str) -> bytes:
    """The arrays of a file; raise `ValueError` with what is wrong."""
    import h5py

    with h5py.File(io.BytesIO(data), "r") as file:
        if file.attrs.get("kind") != kind:
            raise ValueError("it is no network")
        total = 0
        for name in _FIELDS:
            found = file[name]
            if not isinstance(found, h5py.Dataset) or found.dtype.kind not in "fc":
                raise ValueError(f"{name} is no array of numbers")
            total += int(np.prod(found.shape, dtype=float)) * found.dtype.itemsize
            if total > _PACKED * len(data) + 2**20:
                raise ValueError("it claims to be far larger than its file")
        arrays = {name: np.asarray(file[name][...]) for name in _FIELDS}
        comments = str(file.attrs.get("comments", ""))
    out = io.BytesIO()
    text = np.frombuffer(comments.encode("utf-8", "replace"), dtype=np.uint8)
    np.savez(out, allow_pickle=False, comments=text, **arrays)
    return out.getvalue()


def main() -> int:
    """Read standard input; 0 and the arrays, or 1 and a sentence on standard error."""
    kind = sys.argv[1]
    data = sys.stdin.buffer.read()
    resource.setrlimit(resource.RLIMIT_AS, (_ROOM + 4 * len(data), _ROOM + 4 * len(data)))
    seconds = 5 + len(data) // 5_000_000
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    try:
        made = read(data, kind)
    except Exception as error:  # noqa: BLE001 - whatever it is, the file is to blame, and told so
        sys.stderr.write(f"{error}"[:300] or type(error).__name__)
        return 1
    sys.stdout.buffer.write(made)
    return 0


if __name__ == "__main__":
    sys.exit(main())
