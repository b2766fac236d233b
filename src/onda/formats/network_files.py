"""The formats that a network comes in and goes out to, one entry each."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError
from onda.formats.network_hdf5 import MAGIC, read_network_hdf5, write_network_hdf5
from onda.formats.touchstone.reader import TouchstoneFile, read_touchstone
from onda.formats.touchstone.write import write_touchstone

__all__ = ["NETWORK_FORMATS", "NetworkFormat", "format_of", "read_network", "write_network"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_Write = Callable[[FloatArray, ComplexArray, FloatArray, Sequence[str]], bytes]


@dataclass(frozen=True, slots=True)
class NetworkFormat:
    """A format of network files.

    Attributes
    ----------
    endings : of names, as patterns for a file dialog; the first is told in messages, with ``{n}``
        for the number of ports
    known : whether these bytes are in it; read : bytes and name to a network
    write : frequency (Hz), S (f, n, n), reference (n,) ohm and comments to bytes
    """

    title: str
    endings: tuple[str, ...]
    ending: str
    known: Callable[[bytes], bool]
    read: Callable[[bytes, str], TouchstoneFile]
    write: _Write

    def ends(self, suffix: str, ports: int) -> bool:
        """Whether a name that ends so, for so many ports, asks for this format."""
        wanted = suffix.lower()
        if self.ending.format(n=ports) == wanted:
            return True
        # An ending that holds the number of ports must hold the right one.
        return "{n}" not in self.ending and f"*{wanted}" in self.endings


def _touchstone(version: int) -> _Write:
    def write(f: FloatArray, s: ComplexArray, z: FloatArray, comments: Sequence[str]) -> bytes:
        return write_touchstone(f, s, z, version=version, comments=tuple(comments))

    return write


def _is_hdf5(data: bytes) -> bool:
    return data.startswith(MAGIC)


def _is_text(data: bytes) -> bool:
    # Whatever no other format knows is read as Touchstone, which says in which line it is none.
    return True


NETWORK_FORMATS: list[NetworkFormat] = [
    NetworkFormat(
        "HDF5", ("*.h5", "*.hdf5"), ".h5", _is_hdf5, read_network_hdf5, write_network_hdf5
    ),
    NetworkFormat("Touchstone 2", ("*.ts",), ".ts", _is_text, read_touchstone, _touchstone(2)),
    NetworkFormat("Touchstone 1", ("*.s*p",), ".s{n}p", _is_text, read_touchstone, _touchstone(1)),
]


def read_network(data: bytes, name: str) -> TouchstoneFile:
    """Read a network file, whatever its format.

    Raises
    ------
    InputError : with file, line and remedy
    """
    return next(f for f in NETWORK_FORMATS if f.known(data)).read(data, name)


def write_network(
    suffix: str,
    frequency: FloatArray,
    s: ComplexArray,
    reference: FloatArray,
    comments: Sequence[str],
) -> bytes:
    """Content of a file whose name ends in `suffix`.

    Raises
    ------
    InputError : another ending, or one that names another number of ports
    """
    return format_of(suffix, s.shape[-1]).write(frequency, s, reference, comments)


def format_of(suffix: str, ports: int) -> NetworkFormat:
    """The format that a name ends for; raise `InputError` where none does with so many ports."""
    for made in NETWORK_FORMATS:
        if made.ends(suffix, ports):
            return made
    endings = [f.ending.format(n=ports) for f in reversed(NETWORK_FORMATS)]
    raise InputError(
        f"a network of {ports} ports cannot be written as *{suffix}",
        remedy=f"End the name in {', '.join(endings[:-1])} or {endings[-1]}.",
    )
