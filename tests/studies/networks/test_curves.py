"""Which entry of S every curve is: of a matrix whose entries are all different."""

from __future__ import annotations

import math

import numpy as np
import pytest

from onda.engine.networks.channel_figures import multi_disturber_loss_db
from onda.studies.networks.build import BuiltNetwork
from onda.studies.networks.network import CurveSet, _curves, _figures, level_db

ROOT = math.sqrt(0.5)
F = np.linspace(0.1e9, 20e9, 200)


def built(s: np.ndarray) -> BuiltNetwork:
    n = s.shape[-1]
    f = F[: len(s)]
    return BuiltNetwork(f, s, 50.0, tuple(range(1, n + 1)), f, s, 0.0, ())


def random_s(n: int, points: int = 3) -> np.ndarray:
    rng = np.random.default_rng(n)
    return rng.normal(size=(points, n, n)) + 1j * rng.normal(size=(points, n, n))


def curves_of(s: np.ndarray, *, pair: bool) -> dict[str, dict[str, np.ndarray]]:
    return {c.kind: dict(zip(c.names, c.values, strict=True)) for c in _curves(built(s), pair)}


def test_single_lines() -> None:
    """Two lanes: left ports 0 and 1, right ports 2 and 3."""
    s = random_s(4)
    found = curves_of(s, pair=False)

    def entry(to: int, of: int) -> np.ndarray:
        return s[:, to, of]

    expected = {
        "insertion": {"1 through": entry(2, 0), "2 through": entry(3, 1)},
        "return": {
            "1 left": entry(0, 0), "2 left": entry(1, 1), "1 right": entry(2, 2),
            "2 right": entry(3, 3),
        },
        "near_end": {"1 from 2": entry(0, 1), "2 from 1": entry(1, 0)},
        "far_end": {"1 from 2": entry(2, 1), "2 from 1": entry(3, 0)},
        "power_sum": {
            "1 near end": abs(entry(0, 1)), "2 near end": abs(entry(1, 0)),
            "1 far end": abs(entry(2, 1)), "2 far end": abs(entry(3, 0)),
        },
    }  # fmt: skip
    assert found.keys() == expected.keys()
    for kind, some in expected.items():
        assert list(found[kind]) == list(some)
        for name, values in some.items():
            assert found[kind][name] == pytest.approx(values), (kind, name)


def test_one_line_and_one_port_need_no_number() -> None:
    two = curves_of(random_s(2), pair=False)
    assert list(two["insertion"]) == ["through"]
    assert list(two["return"]) == ["left", "right"]
    assert two.keys() == {"insertion", "return"}
    one = curves_of(random_s(1), pair=False)
    assert one.keys() == {"return"}
    assert list(one["return"]) == ["left"]


def test_power_sums_of_three_lines() -> None:
    s = random_s(6)
    found = curves_of(s, pair=False)["power_sum"]
    for victim in range(3):
        others = [k for k in range(3) if k != victim]
        near = np.sqrt(sum(abs(s[:, victim, k]) ** 2 for k in others))
        far = np.sqrt(sum(abs(s[:, 3 + victim, k]) ** 2 for k in others))
        assert found[f"{victim + 1} near end"] == pytest.approx(near)
        assert found[f"{victim + 1} far end"] == pytest.approx(far)


def modal(s: np.ndarray, to: tuple[int, int, int], of: tuple[int, int, int]) -> np.ndarray:
    """From a mode (ports p and n, sign of n) to another one, by the waves themselves."""
    p, n, sign = of
    sent = np.zeros(s.shape[-1])
    sent[p], sent[n] = ROOT, sign * ROOT
    back = s @ sent
    p, n, sign = to
    return ROOT * (back[:, p] + sign * back[:, n])


def test_pairs_by_their_modes() -> None:
    """Two pairs: left (0, 1), (2, 3), right (4, 5), (6, 7)."""
    s = random_s(8)
    found = curves_of(s, pair=True)
    left, right = ((0, 1), (2, 3)), ((4, 5), (6, 7))

    def between(to: tuple[int, int], a: int, of: tuple[int, int], b: int) -> np.ndarray:
        return modal(s, (*to, a), (*of, b))

    for k in (0, 1):
        lane = f"{k + 1}"
        here, there = left[k], right[k]
        other = left[1 - k]
        expected = {
            ("insertion", f"{lane} through"): between(there, -1, here, -1),
            ("return", f"{lane} left"): between(here, -1, here, -1),
            ("return", f"{lane} right"): between(there, -1, there, -1),
            ("return_common", f"{lane} left"): between(here, 1, here, 1),
            ("return_common", f"{lane} right"): between(there, 1, there, 1),
            ("insertion_common", f"{lane} common through"): between(there, 1, here, 1),
            ("conversion", f"{lane} diff to common, through"): between(there, 1, here, -1),
            ("conversion", f"{lane} common to diff, through"): between(there, -1, here, 1),
            ("conversion", f"{lane} diff to common, back"): between(here, 1, here, -1),
            ("near_end", f"{lane} from {2 - k}"): between(here, -1, other, -1),
            ("far_end", f"{lane} from {2 - k}"): between(there, -1, other, -1),
        }
        for (kind, name), values in expected.items():
            assert found[kind][name] == pytest.approx(values), (kind, name)
    assert sum(len(some) for some in found.values()) == 2 * 11 + 4


# -- figures of a lane -----------------------------------------------------------------


def lanes_of(rate: float, near: list[float], far: list[float]) -> tuple[CurveSet, ...]:
    """Three lanes of a flat loss; crosstalk onto each from the next and from the one before, dB."""
    flat = np.ones(len(F))
    pairs = [(v, a) for v in range(3) for a in range(3) if a != v]

    def crosstalk(kind: str, levels: list[float]) -> CurveSet:
        values = np.array([10 ** (level / 20) * flat for level in levels]) + 0j
        return CurveSet(kind, tuple(f"{v + 1} from {a + 1}" for v, a in pairs), values)

    through = np.array([10 ** (-k / 20) * flat for k in (2.0, 4.0, 6.0)]) + 0j
    names = tuple(f"{k} through" for k in (1, 2, 3))
    return (
        CurveSet("insertion", names, through),
        crosstalk("near_end", near),
        crosstalk("far_end", far),
    )


NEAR = [-40.0, -46.0, -60.0, -50.0, -52.0, -41.0]
FAR = [-30.0, -36.0, -70.0, -45.0, -32.0, -31.0]


def test_every_lane_has_its_own_loss_and_its_own_disturbers() -> None:
    rate = 10e9
    found = _figures(F, lanes_of(rate, NEAR, FAR), rate)
    assert [one.lane for one in found] == [0, 1, 2]
    one = found[0]
    # Up to three quarters of the rate.
    assert one.band[0] == pytest.approx(F[0])
    assert one.band[-1] == pytest.approx(F[F <= 7.5e9][-1])
    for lane, loss in zip(found, (2.0, 4.0, 6.0), strict=True):
        assert lane.loss_db == pytest.approx(np.full(len(lane.band), loss))
        assert lane.fit_db == pytest.approx(lane.loss_db, abs=1e-6)
        assert lane.deviation_db == pytest.approx(np.zeros(len(lane.band)), abs=1e-6)
        assert lane.ild == pytest.approx(0.0, abs=1e-6)
        assert lane.icn == pytest.approx(math.hypot(lane.sigma_near, lane.sigma_far))
    # Noise goes with the root of the sum of the powers of the two of each lane.
    for k, lane in enumerate(found):
        for levels, sigma, first in (
            (NEAR, lane.sigma_near, found[0].sigma_near),
            (FAR, lane.sigma_far, found[0].sigma_far),
        ):
            own, of_first = (
                math.sqrt(sum(10 ** (level / 10) for level in levels[2 * i : 2 * i + 2]))
                for i in (k, 0)
            )
            assert sigma / first == pytest.approx(own / of_first, rel=1e-9)
    both = multi_disturber_loss_db([np.array([30.0]), np.array([36.0])])
    assert both[0] == pytest.approx(-10.0 * math.log10(10**-3.0 + 10**-3.6))


def test_what_has_no_figures() -> None:
    curves = lanes_of(10e9, NEAR, FAR)
    assert _figures(F, curves, 0.0) == ()
    assert _figures(F, curves[1:], 10e9) == ()
    # Eight points in the band are the least.
    assert len(_figures(F, curves, (F[7] + 1e6) / 0.75)) == 3
    assert _figures(F, curves, (F[7] - 1e6) / 0.75) == ()
    (alone, *_) = _figures(F, curves[:1], 10e9)
    assert math.isnan(alone.icn)
    assert math.isnan(alone.sigma_near)


def test_levels_end_at_the_floor() -> None:
    assert level_db(np.array([1.0 + 0j, 0.1j, 0.0])) == pytest.approx([0.0, -20.0, -200.0])
