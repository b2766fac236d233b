"""What a channel makes of its edges before models, and behind more line, by themselves."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from onda.project.model import Project
from onda.studies.links import channel as module
from onda.studies.links.channel import ChannelStep, channel_step
from onda.studies.links.executable import ModelInputs
from onda.studies.links.inputs import link_inputs

TIME = np.linspace(0.0, 2e-9, 201)
RISE = -0.2 + 0.6 / (1.0 + np.exp(-(TIME - 0.8e-9) / 5e-11))


@pytest.fixture
def modelled(project: Project, monkeypatch: pytest.MonkeyPatch) -> Any:
    """A channel between models that leave everything as it is, with edges made up by hand."""
    seen: list[np.ndarray] = []

    def through(time: np.ndarray, steps: np.ndarray, *_: object) -> tuple[np.ndarray, np.ndarray]:
        seen.append(steps)
        return time, steps

    monkeypatch.setattr(module, "through_models", through)
    plain = link_inputs(project.design, project.design.link("jl0")).channel
    inputs = replace(plain, sender=ModelInputs.__new__(ModelInputs))

    def run(fall: np.ndarray | None) -> tuple[ChannelStep, np.ndarray]:
        bare = ChannelStep(TIME, RISE, np.zeros((0, len(TIME))), 1e-10, (), fall)
        monkeypatch.setattr(module, "_bare_step", lambda _: bare)
        # The function itself, which remembers nothing.
        return channel_step.__wrapped__(inputs), seen[-1]

    return run


def test_models_get_the_mean_of_unlike_edges(modelled: Any) -> None:
    mirrored = RISE[0] + RISE[-1] - RISE
    made, sent = modelled(mirrored)
    # An edge that is the other one turned over is alike: the mean is the edge itself.
    assert sent[0] == pytest.approx(RISE)
    assert made.volts == pytest.approx(RISE)
    assert made.fall is None
    assert "executable models get the mean of unlike edges" in made.doubts
    late = np.interp(TIME - 1e-10, TIME, mirrored)
    _, sent = modelled(late)
    assert sent[0] == pytest.approx(0.5 * (RISE + np.interp(TIME - 1e-10, TIME, RISE)))
    made, sent = modelled(None)
    assert sent[0] == pytest.approx(RISE)
    assert made.doubts == ()


def test_models_sit_at_the_ends_of_the_longer_line(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    """More line lies behind the channel as it is with its models, not in place of them."""
    asked: list[Any] = []

    def known(inputs: Any) -> ChannelStep:
        asked.append(inputs)
        return ChannelStep(TIME, RISE, np.zeros((0, len(TIME))), 1e-10)

    monkeypatch.setattr(module, "channel_step", known)
    plain = link_inputs(project.design, project.design.link("jl0")).channel
    model = ModelInputs.__new__(ModelInputs)
    inputs = replace(plain, sender=model, listener=model, more_loss=6.0)
    made = channel_step.__wrapped__(inputs)
    assert asked == [replace(inputs, more_loss=0.0)]
    # It slows the edge down, whose tail is long, and keeps its ends.
    assert made.volts[0] == pytest.approx(RISE[0])
    assert made.volts[-1] == pytest.approx(RISE[-1], abs=0.05)
    assert np.interp(0.9e-9, made.time, made.volts) < np.interp(0.9e-9, TIME, RISE) - 0.02


def test_what_is_sent_falls_as_much_slower_as_it_is_said_to(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    far = ChannelStep(TIME, RISE, np.zeros((0, len(TIME))), 1e-10)
    monkeypatch.setattr(module, "channel_step", lambda _: far)
    plain = link_inputs(project.design, project.design.link("jl0")).channel
    sent = channel_step.__wrapped__(replace(plain, at_start=True, fall=1.5))

    def took(volts: np.ndarray) -> float:
        """0 to 100 percent, by the slope in the middle."""
        return float(np.ptp(volts) / np.abs(np.gradient(volts, sent.time)).max())

    rise = min(module._edge_of(plain), plain.unit_interval)
    assert took(sent.volts) == pytest.approx(rise, rel=0.05)
    assert took(sent.fall) == pytest.approx(1.5 * rise, rel=0.05)
    # Between the levels that come of it, and back.
    assert (sent.volts[0], sent.volts[-1]) == pytest.approx((RISE[0], RISE[-1]))
    assert (sent.fall[0], sent.fall[-1]) == pytest.approx((RISE[-1], RISE[0]))
    assert channel_step.__wrapped__(replace(plain, at_start=True)).fall is None
