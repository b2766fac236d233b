"""Line codes: what data become on the way to the transmitter, and typed patterns.

References
----------
IEEE Std 802.3-2018: 8B/10B in clause 36.2.4 (tables 36-1 and 36-2), 64B/66B with its scrambler
x^58 + x^39 + 1 in clauses 49.2.4 and 49.2.6, Gray code of four levels in 120.5.7.1.
"""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from onda.engine.links.patterns import prbs
from onda.errors import NotPhysical

__all__ = ["CODES", "coded", "gray", "repeated", "typed_symbols"]

Bits = NDArray[np.int8]

# Sub-blocks of running disparity -1, first bit sent leftmost.
_SIX_OF = """
    100111 011101 101101 110001 110101 101001 011001 111000 111001 100101 010101 110100
    001101 101100 011100 010111 011011 100011 010011 110010 001011 101010 011010 111010
    110011 100110 010110 110110 001110 101110 011110 101011
"""
_SIX = _SIX_OF.split()
_FOUR = ["1011", "1001", "0101", "1100", "1101", "1010", "0110", "1110"]
_SEVEN = "0111"
"""Of x.7 where five bits alike would come in a row."""
_SEVEN_BELOW, _SEVEN_ABOVE = {17, 18, 20}, {11, 13, 14}
_HEADER = (0, 1)
_BLOCK = 64
_MOST_TYPED = 1_000_000
_TOKEN = re.compile(r"([0-3]{1,4096})(?:[x*]([0-9]{1,7}))?")
_LONGEST = 20_000


def _turned(word: str) -> str:
    return word.translate(str.maketrans("01", "10"))


def _eight_ten(octets: Bits) -> Bits:
    """Code groups of octets (n,), data only, from running disparity -1: bits (10 n,)."""
    out, high = [], False
    for octet in np.asarray(octets).tolist():
        x, y = octet & 31, octet >> 5
        six = _SIX[x]
        uneven = six.count("1") != 3
        # D.7 is even, and still has two forms.
        if high and (uneven or x == 7):
            six = _turned(six)
        high ^= uneven
        four = _FOUR[y]
        if y == 7 and x in (_SEVEN_ABOVE if high else _SEVEN_BELOW):
            four = _SEVEN
        uneven = four.count("1") != 2
        if high and (uneven or y == 3):
            four = _turned(four)
        high ^= uneven
        out.append(six + four)
    return np.frombuffer("".join(out).encode(), dtype=np.int8) - ord("0")


def _octets(bits: Bits) -> NDArray[np.int64]:
    """The first bit sent is the least significant one."""
    return np.asarray(bits[: len(bits) // 8 * 8].reshape(-1, 8) @ (1 << np.arange(8)))


def _in_8b10b(order: int, count: int) -> Bits:
    octets = -(-count // 10)
    return _eight_ten(_octets(prbs(order, 8 * octets)).astype(np.int16))[:count]


def _in_64b66b(order: int, count: int) -> Bits:
    blocks = -(-count // (_BLOCK + len(_HEADER)))
    from onda.engine.links.pattern_kernels import scrambled

    data = scrambled(prbs(order, _BLOCK * blocks)).reshape(blocks, _BLOCK)
    header = np.broadcast_to(np.array(_HEADER, dtype=np.int8), (blocks, len(_HEADER)))
    out: Bits = np.concatenate([header, data], axis=1).ravel()
    return out[:count]


_MADE = {"none": prbs, "8b10b": _in_8b10b, "64b66b": _in_64b66b}
CODES = tuple(_MADE)


def coded(code: str, order: int, count: int) -> Bits:
    """First `count` bits (0 or 1) that a pseudo-random sequence becomes in a code of `CODES`."""
    if code not in _MADE:
        raise NotPhysical("code", code, f"one of {', '.join(CODES)}")
    return _MADE[code](order, count)


def gray(bits: Bits) -> Bits:
    """Symbols 0 to 3 of pairs of bits: 00, 01, 11, 10 from the lowest level up."""
    pairs = bits[: len(bits) // 2 * 2].reshape(-1, 2)
    out: Bits = (2 * pairs[:, 0] + (pairs[:, 0] ^ pairs[:, 1])).astype(np.int8)
    return out


def typed_symbols(typed: str, levels: int) -> Bits:
    """Symbols that somebody typed: digits, spaces as they like, ``0x72`` for 72 of the same.

    Examples
    --------
    >>> typed_symbols("10 0x3 1", 2).tolist()
    [1, 0, 0, 0, 0, 1]

    Raises
    ------
    NotPhysical : something else, a digit that is no level, none at all, or too many
    """
    most = "01" if levels == 2 else "0123"
    digits = f"digits 0 to {most[-1]}, 0x72 for 72 in a row"
    if len(typed) > _LONGEST:
        raise NotPhysical("typed pattern", f"{len(typed)} characters", f"at most {_LONGEST}")
    out: list[NDArray[np.int8]] = []
    total = 0
    for word in typed.replace(",", " ").split():
        found = _TOKEN.fullmatch(word)
        if found is None or not set(found[1]) <= set(most):
            raise NotPhysical("typed pattern", word[:20], digits)
        some = np.frombuffer(found[1].encode(), dtype=np.int8) - ord("0")
        # A number behind the last digit repeats that one.
        times = int(found[2]) if found[2] else 1
        total += len(some) - 1 + times
        if not times > 0 or total > _MOST_TYPED:
            raise NotPhysical("typed pattern", word[:20], f"1 to {_MOST_TYPED} symbols in all")
        out += [some[:-1], np.repeat(some[-1:], times)]
    if not out:
        raise NotPhysical("typed pattern", "nothing", digits)
    return np.concatenate(out)


def repeated(symbols: Bits, count: int) -> Bits:
    """As many symbols as are wanted, over and over."""
    return np.resize(symbols, count)
