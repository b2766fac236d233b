"""The worst bits: against every history of bits, and against a line whose echoes are drawn."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.timing.strobed import LaneTiming, Waveform
from onda.errors import NotPhysical
from onda.project.base import set_value
from onda.studies.buses.case import BUS_CASE, case_waves, sent
from onda.studies.buses.inputs import WORST_BITS, CaseInputs, bus_inputs
from onda.studies.buses.looked import CaseEyes
from onda.studies.buses.seen import BUS_SEEN, SeenInputs
from onda.studies.buses.worst import single_bits, worst_bits
from onda.studies.core.study import Control


def case(project, *, operation: str = "write-b", corner: str = "slow", **changes) -> CaseInputs:
    bus = project.design.bus("byte0")
    keep = tuple(s for s in bus.signals if s.id in ("DQS0", "DQ6"))
    only = tuple(o for o in bus.operations if o.id == operation)
    few = set_value(bus, signals=keep, operations=only, corners=(corner,), **changes)
    (one,) = bus_inputs(project.design, few).cases
    return one


def timing(inputs: CaseInputs) -> LaneTiming:
    """Where the strobe comes, around one level."""
    return CaseEyes(inputs, case_waves(inputs)).timing(0.0, 0.57)


@pytest.mark.parametrize("operation", ["write-b", "read-a", "read-b"])
def test_no_history_of_nine_bits_closes_the_eye_further(project, operation) -> None:
    """All of them are there in 511 bits of order 9, each once (but nine zeros)."""
    every = timing(case(project, operation=operation, prbs=9, bits=520))
    random = timing(case(project, operation=operation, bits=128))
    inputs = sent(case(project, operation=operation, worst=True, bits=128))
    worst = timing(inputs)
    assert len(inputs.data.bits) == 8 + 128 + 162
    assert inputs.data.bits.startswith(case(project, bits=128).data.bits)
    # They reach back further than nine bits, so they may be worse; devices that are no straight
    # lines cost a little of what single bits foretell.
    for name, room in (("worst_setup", 0.3e-12), ("worst_hold", 0.3e-12), ("lowest_one", 5e-4)):
        assert getattr(worst, name) <= getattr(every, name) + room, name
        # Pseudo-random ones are among them.
        assert getattr(worst, name) <= getattr(random, name) + room / 100, name
    assert worst.highest_zero >= every.highest_zero - 5e-4


def drawn(inputs: CaseInputs, echoes: dict[int, float]) -> tuple[Waveform, Waveform, np.ndarray]:
    """What single bits would do on a line that takes two bits and echoes by so much of its swing,
    so many bits later; the strobe in the middle of its bits."""
    unit = inputs.unit_interval
    time = np.arange(0.0, 42.0, 0.01) * unit
    seen = np.zeros(len(time))
    for late, size in {0: 1.0, **echoes}.items():
        place = (time / unit - 4 - 2 - late) % 1e9
        seen += size * (place < 1.0)
    return Waveform(time, seen), Waveform(time, 1.0 - seen), unit * (2.5 + np.arange(20))


def test_bits_against_drawn_echoes(project) -> None:
    inputs = case(project, worst=True)
    bits = worst_bits(inputs, *drawn(inputs, {3: 0.2, 5: -0.1}))
    assert len(bits) == inputs.data.count == 8 + 128 + WORST_BITS
    sent_bits = np.array([int(b) for b in bits[-WORST_BITS:]])
    swing = 2 * sent_bits - 1
    level = swing[5:] + 0.2 * swing[2:-3] - 0.1 * swing[:-5]
    # Six histories of 24 bits, the bit itself and two after it.
    decided = np.arange(24, WORST_BITS, 27) - 5
    own = sent_bits[5:][decided]
    assert own.tolist() == [1, 1, 1, 0, 0, 0]
    # All of the echoes are against each.
    assert level[decided[1]] == pytest.approx(0.7)
    assert level[decided[4]] == pytest.approx(-0.7)
    assert level[own_at(sent_bits, 1)].min() == pytest.approx(0.7)


def own_at(bits: np.ndarray, kind: int) -> np.ndarray:
    return np.flatnonzero(bits[5:] == kind)


def test_bits_of_a_net_that_is_silent_are_refused(project) -> None:
    inputs = case(project)
    time = np.linspace(0.0, 41 * inputs.unit_interval, 50)
    nothing = Waveform(time, np.zeros(50))
    with pytest.raises(NotPhysical, match="single bit"):
        worst_bits(inputs, nothing, nothing, np.array([1e-9]))


def test_strobe_and_data_last_for_all_of_them(project) -> None:
    inputs = case(project, worst=True, bits=16)
    assert inputs.data.count == inputs.strobe.wave.count == 8 + 16 + WORST_BITS
    sent_ones = sent(inputs)
    assert not sent_ones.worst
    assert len(sent_ones.data.bits) == inputs.data.count
    found = BUS_CASE.run(inputs, Control())
    assert found.failure == ""
    # What is seen and written is what was sent.
    seen = BUS_SEEN.run(SeenInputs(inputs, 0.0, 0.57), Control())
    waves = case_waves(sent_ones)
    assert seen.whole_data == pytest.approx(np.interp(seen.whole_time, waves.time, waves.data))


def test_single_bits_are_one_among_the_other_kind(project) -> None:
    one, zero = single_bits(case(project).data)
    assert (one.bits.count("1"), zero.bits.count("0")) == (1, 1)
    assert one.bits.index("1") == zero.bits.index("0") == 4
    assert len(one.bits) == len(zero.bits) == one.count
