"""Line codes and typed patterns, against what their standards promise."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from onda.engine.links.codes import CODES, _eight_ten, coded, gray, repeated, typed_symbols
from onda.engine.links.patterns import prbs
from onda.errors import NotPhysical


def runs(bits: np.ndarray) -> list[int]:
    return [len(list(group)) for _, group in itertools.groupby(bits.tolist())]


def test_8b10b_keeps_its_promises() -> None:
    """Never more than five alike, never more than three ones or zeros ahead at any bit."""
    bits = coded("8b10b", 15, 200_000)
    assert max(runs(bits)) == 5
    ahead = np.cumsum(2 * bits.astype(int) - 1)
    assert ahead.max() - ahead.min() == 6
    # Behind every group one of two disparities is left.
    assert set(ahead[9::10].tolist()) == {0, 2}


def test_8b10b_is_taken_back_to_the_octets() -> None:
    """Every group stands for one octet only; of 60 000 all 256 come, each as one or two groups."""
    count = 60_000
    groups = coded("8b10b", 23, 10 * count).reshape(-1, 10) @ (1 << np.arange(10)[::-1])
    octets = prbs(23, 8 * count).reshape(-1, 8) @ (1 << np.arange(8))
    stands_for: dict[int, set[int]] = {}
    for group, octet in zip(groups.tolist(), octets.tolist(), strict=True):
        stands_for.setdefault(group, set()).add(octet)
    assert all(len(octet) == 1 for octet in stands_for.values())
    assert set().union(*stands_for.values()) == set(range(256))


@pytest.mark.parametrize(
    ("octet", "below", "above"),
    [
        (0x00, "1001110100", "0110001011"),
        (0xB5, "1010101010", "1010101010"),
        (0xEB, "1101001110", "1101001000"),
        (0xF1, "1000110111", "1000110001"),
        (0x67, "1110001100", "0001110011"),
    ],
)
def test_published_groups_of_8b10b(octet: int, below: str, above: str) -> None:
    """D0.0, D21.5, D11.7, D17.7 and D7.3 of IEEE 802.3, table 36-1, with both disparities."""
    assert "".join(map(str, _eight_ten(np.array([octet])))) == below
    # D0.3 turns the disparity.
    first = _eight_ten(np.array([0x60, octet]))
    assert 2 * int(first[:10].sum()) == 12
    assert "".join(map(str, first[10:])) == above


def test_64b66b_is_descrambled_to_the_data() -> None:
    blocks = 300
    bits = coded("64b66b", 31, 66 * blocks).reshape(blocks, 66)
    assert (bits[:, 0] == 0).all()
    assert (bits[:, 1] == 1).all()
    sent = bits[:, 2:].ravel()
    back = sent[58:] ^ sent[19:-39] ^ sent[:-58]
    assert (back == prbs(31, 64 * blocks)[58:]).all()


def test_gray_neighbours_differ_in_one_bit() -> None:
    assert gray(np.array([0, 0, 0, 1, 1, 1, 1, 0], dtype=np.int8)).tolist() == [0, 1, 2, 3]
    # PRBS13Q: 8191 symbols from two times the sequence, 2048 of each level but one.
    symbols = gray(prbs(13, 2 * 8191))
    assert sorted(np.bincount(symbols).tolist()) == [2047, 2048, 2048, 2048]


def test_typed_symbols_are_read() -> None:
    assert typed_symbols("10 0x3 1", 2).tolist() == [1, 0, 0, 0, 0, 1]
    assert typed_symbols("013*4", 4).tolist() == [0, 1, 3, 3, 3, 3]
    assert repeated(typed_symbols("10", 2), 5).tolist() == [1, 0, 1, 0, 1]


@pytest.mark.parametrize("typed", ["", "2", "1x0", "a", "1x", "1x9999999", "0 1 x3", "1" * 20_001])
def test_what_is_no_pattern_is_refused(typed: str) -> None:
    with pytest.raises(NotPhysical, match="pattern"):
        typed_symbols(typed, 2)


def test_codes_that_there_are_not_are_refused() -> None:
    assert CODES == ("none", "8b10b", "64b66b")
    with pytest.raises(NotPhysical, match="code"):
        coded("5b6b", 7, 10)
