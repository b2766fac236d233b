"""A computed network as the content of a file."""

from __future__ import annotations

import re

import numpy as np

from onda.errors import InputError
from onda.formats.network_hdf5 import write_network_hdf5
from onda.formats.touchstone.write import write_touchstone
from onda.studies.networks.network import NetworkResult

__all__ = ["network_bytes"]


def network_bytes(result: NetworkResult, suffix: str) -> bytes:
    """Content for a file whose name ends in `suffix`: .sNp, .ts, .h5.

    Raises
    ------
    InputError : another ending, or one that names another number of ports
    """
    ports, ending = len(result.ports), suffix.lower()
    comments = (f"{result.name}, written by Onda", *result.notes)
    z = np.full(ports, result.reference)
    if ending in (".h5", ".hdf5"):
        return write_network_hdf5(result.frequency, result.s, z, comments)
    named = re.fullmatch(r"\.s(\d+)p", ending)
    if ending != ".ts" and (named is None or int(named[1]) != ports):
        raise InputError(
            f"a network of {ports} ports cannot be written as *{suffix}",
            remedy=f"End the name in .s{ports}p, .ts or .h5.",
        )
    version = 2 if ending == ".ts" else 1
    return write_touchstone(result.frequency, result.s, z, version=version, comments=comments)
