"""Responses over frequency, against poles and zeros, and against their own loss."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.links.chain import Chain
from onda.engine.links.measured import Response, behind, more_loss
from onda.engine.links.statistical import SampledPulse
from onda.errors import NotPhysical

UI = 100e-12
F = np.linspace(0.0, 200e9, 4001)
CHAIN = Chain(gain=0.5, zero=2.5e9, poles=(2.5e9, 10e9))


def of_chain(*, phase: bool) -> Response:
    jf = 1j * F
    h = (0.5 + jf / 2.5e9) / (1 + jf / 2.5e9) / (1 + jf / 10e9)
    db = 20.0 * np.log10(np.abs(h))
    return Response(tuple(F), tuple(db), tuple(np.angle(h)) if phase else ())


def pulse() -> SampledPulse:
    t = np.arange(12 * 32) / 32
    return SampledPulse(
        np.where((t > 1) & (t < 2), 0.4, 0.0) * np.minimum(1, 5 * np.abs(t - 1)), UI / 32
    )


@pytest.mark.parametrize("phase", [True, False])
def test_a_table_does_what_its_poles_do(phase: bool) -> None:
    """With its phase, and with that of least delay, which this equaliser has."""
    exact = CHAIN.behind_continuous(pulse(), UI).samples
    tabled = Chain(response=of_chain(phase=phase)).behind_continuous(pulse(), UI).samples
    n = min(len(exact), len(tabled))
    assert tabled[:n] == pytest.approx(exact[:n], abs=0.01)
    assert Chain(response=of_chain(phase=phase)).without_continuous == Chain()


def test_more_line_loses_what_it_says_and_nothing_at_rest() -> None:
    step = UI / 64
    slope = np.zeros(64 * 1024)
    slope[64] = 1.0
    out = behind(slope, step, more_loss(12.0, 1.0 / UI), after=0)
    assert out.sum() == pytest.approx(1.0, abs=0.005)
    # Nothing of note comes before it was sent.
    assert np.abs(out[:60]).max() < 1e-3 * out.max()
    spectrum = np.fft.rfft(out)
    frequency = np.fft.rfftfreq(len(out), step)
    at = int(np.argmin(np.abs(frequency - 0.5 / UI)))
    assert 20.0 * np.log10(np.abs(spectrum[at])) == pytest.approx(-12.0, abs=0.2)


def test_a_response_must_cover_half_the_symbol_rate() -> None:
    short = Response((0.0, 4e9), (0.0, -1.0))
    with pytest.raises(NotPhysical, match=r"good to 8e\+09 symbols"):
        short.check_covers(UI)
    short.check_covers(1.25e-10)


@pytest.mark.parametrize(
    "columns",
    [((1e9,), (0.0,)), ((1e9, 1e9), (0.0, 0.0)), ((0.0, 1e9), (0.0,)), ((-1.0, 1.0), (0, 0))],
)
def test_responses_that_are_none(columns: tuple[tuple[float, ...], tuple[float, ...]]) -> None:
    with pytest.raises(NotPhysical, match="response"):
        Response(*columns)


def test_no_more_loss_than_none() -> None:
    with pytest.raises(NotPhysical, match="more loss"):
        more_loss(-1.0, 1e10)
