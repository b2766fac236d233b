"""A computed network as the content of a file, and what to offer where a file is asked for."""

from __future__ import annotations

import numpy as np

from onda.formats.network_files import NETWORK_FORMATS, write_network
from onda.studies.networks.network import NetworkResult

__all__ = ["network_bytes", "to_open", "to_save"]


def network_bytes(result: NetworkResult, suffix: str) -> bytes:
    """Content for a file whose name ends in `suffix`: .sNp, .ts, .h5.

    Raises
    ------
    InputError : another ending, or one that names another number of ports
    """
    comments = (f"{result.name}, written by Onda", *result.notes)
    z = np.full(len(result.ports), result.reference)
    return write_network(suffix, result.frequency, result.s, z, comments)


def to_open() -> str:
    """Patterns of all files that hold networks, for a file dialog."""
    every = [e for f in reversed(NETWORK_FORMATS) for e in f.endings]
    return f"Networks ({' '.join(every)});;All files (*)"


def to_save() -> str:
    """Patterns by format, for a file dialog."""
    return ";;".join(f"{f.title} ({f.endings[0]})" for f in reversed(NETWORK_FORMATS))
