"""Distributions at their far ends, registers and phases: against published values and scipy."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.special import log_ndtr, logsumexp

from onda.engine.links.level_kernels import log_below, where_below
from onda.engine.links.measured import least_delay
from onda.engine.links.patterns import prbs
from onda.engine.links.statistical import Levels, log_share_below

VALUES = np.array([-0.2, 0.1, 0.35])
WEIGHTS = np.array([0.25, 0.5, 0.25])


def exact(at: float, sigma: float) -> float:
    return float(logsumexp(log_ndtr((at - VALUES) / sigma), b=WEIGHTS))


@pytest.mark.parametrize("at", [-0.9, -0.5, -0.2, 0.0, 0.1, 0.5])
def test_what_is_below_is_a_sum_of_normal_tails(at: float) -> None:
    # Near certainty the logarithm has no more digits than 1 has.
    room = {"rel": 1e-9, "abs": 1e-15}
    assert log_below(VALUES, WEIGHTS, at, 0.03) == pytest.approx(exact(at, 0.03), **room)
    levels = Levels(VALUES, WEIGHTS)
    assert log_share_below(levels, at, 0.03) == pytest.approx(exact(at, 0.03), **room)


def test_without_noise_the_weights_below_count() -> None:
    levels = Levels(VALUES, WEIGHTS)
    assert math.exp(log_share_below(levels, 0.0, 0.0)) == pytest.approx(0.25)
    assert math.exp(log_share_below(levels, 0.2, 0.0)) == pytest.approx(0.75)
    assert log_share_below(levels, -0.3, 0.0) == -math.inf
    assert log_below(VALUES, WEIGHTS, -9.0, 0.03) == -math.inf


@pytest.mark.parametrize("rate", [1e-18, 1e-12, 1e-4, 0.1, 0.5, 0.9])
def test_a_place_is_found_from_its_error_rate(rate: float) -> None:
    for sigma in (0.003, 0.03, 0.3):
        at = where_below(VALUES, WEIGHTS, sigma, math.log(rate), 1e-7)
        low, high = exact(at - 2e-7, sigma), exact(at + 2e-7, sigma)
        assert low <= math.log(rate) <= high


# ITU-T O.150, the first bits from a register of ones, and of O.153 for 511 bits; most significant
# first, as their generators are commonly tested.
PUBLISHED = {7: "FE041851E459D4FA1C49B5BD8D2EE655", 9: "FF83DF1732094ED1E7CD8A91C6D5C4C440"}


@pytest.mark.parametrize("order", PUBLISHED)
def test_published_first_bits(order: int) -> None:
    text = PUBLISHED[order]
    bits = "".join(f"{int(digit, 16):04b}" for digit in text)
    assert "".join(map(str, prbs(order, len(bits)))) == bits


# Polynomials of ITU-T O.150 (7, 9, 11, 15, 20, 23, 29, 31) and IEEE 802.3 (13).
TAPS = {7: 6, 9: 5, 11: 9, 15: 14, 20: 3, 23: 18, 29: 27, 31: 28}


@pytest.mark.parametrize("order", TAPS)
def test_a_pattern_begins_with_ones_and_obeys_its_polynomial(order: int) -> None:
    b = prbs(order, 4000).astype(int)
    assert b[:order].tolist() == [1] * order
    k = np.arange(order, len(b))
    assert (b[k] == b[k - order] ^ b[k - TAPS[order]]).all()


def test_the_phase_of_least_delay_is_that_of_a_resistor_and_a_capacitor() -> None:
    count = 4096
    w = 2 * np.pi * np.fft.rfftfreq(count)
    # A pole and a zero, both inside: of least delay already.
    z = np.exp(1j * w)
    response = (1.0 - 0.4 / z) / (1.0 - 0.8 / z)
    found = least_delay(np.log(np.abs(response)), count)
    assert found == pytest.approx(response, rel=1e-9)
    # The zero outside has the same size and more delay.
    late = (0.4 - 1.0 / z) / (1.0 - 0.8 / z)
    assert least_delay(np.log(np.abs(late)), count) == pytest.approx(-response * -1, rel=1e-9)
