"""Networks that a file states in mixed modes, brought back to plain ports.

References
----------
Touchstone File Format Specification version 2.0 (IBIS Open Forum, 2009): [Mixed-Mode Order] lists
D i,j (differential), C i,j (common) and S i (single-ended) in the order of the matrix; references
are those of the plain ports, 2 R for a differential and R / 2 for a common one.
"""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError

__all__ = ["plain_ports", "read_order"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
Mode = tuple[str, int, int]


def read_order(text: str, ports: int, file: str) -> tuple[Mode, ...]:
    """Modes of the matrix in their order: ("D" or "C", i, j) or ("S", i, i), ports from 0.

    Raises
    ------
    InputError : another number of modes, an unknown mode, or a port that has no way back
    """
    modes: list[Mode] = []
    for word in re.findall(r"[A-Za-z]\s*\d+(?:\s*,\s*\d+)?|\S+", text):
        found = re.fullmatch(r"([DCSdcs])\s*(\d{1,4})(?:\s*,\s*(\d{1,4}))?", word)
        if found is None or (found[3] is None) != (found[1].upper() == "S"):
            raise InputError(
                f"[Mixed-Mode Order]: {word[:20]!r} is no mode",
                file=file,
                remedy="As in D1,2 C1,2.",
            )
        i, j = int(found[2]) - 1, int(found[3] or found[2]) - 1
        if not (0 <= i < ports and 0 <= j < ports) or (found[3] and i == j):
            raise InputError(f"[Mixed-Mode Order]: {word[:20]!r} names no such ports", file=file)
        modes.append((found[1].upper(), i, j))
    if len(modes) != ports or len(set(modes)) != ports:
        raise InputError(f"[Mixed-Mode Order]: {len(modes)} modes for {ports} ports", file=file)
    turn = _turn(tuple(modes), ports)
    if not np.allclose(turn @ turn.T, np.eye(ports)):
        raise InputError(
            "[Mixed-Mode Order]: its modes do not stand for all ports",
            file=file,
            remedy="Each pair needs its D and its C.",
        )
    return tuple(modes)


def _turn(modes: tuple[Mode, ...], ports: int) -> FloatArray:
    turn = np.zeros((ports, ports))
    for row, (kind, i, j) in enumerate(modes):
        if kind == "S":
            turn[row, i] = 1.0
        else:
            turn[row, i] = np.sqrt(0.5)
            turn[row, j] = -np.sqrt(0.5) if kind == "D" else np.sqrt(0.5)
    return turn


def plain_ports(s: ComplexArray, order: str, reference: FloatArray, file: str) -> ComplexArray:
    """S (f, n, n) between plain ports; raise `InputError` where the order does not allow it."""
    modes = read_order(order, s.shape[-1], file)
    for kind, i, j in modes:
        if kind != "S" and reference[i] != reference[j]:
            raise InputError(f"ports {i + 1} and {j + 1} are a pair on two references", file=file)
    turn = _turn(modes, s.shape[-1])
    return np.asarray(turn.T @ s @ turn)
