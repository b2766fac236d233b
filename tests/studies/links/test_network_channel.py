"""An eye over a network, against the same line as a path and against a plain delay."""

from __future__ import annotations

import numpy as np
import pytest

from onda.demo import fulmar_project
from onda.errors import InputError, NotPhysical
from onda.project.base import set_value
from onda.project.begin import from_template
from onda.project.links.link import Launch
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.project.recipe import cook
from onda.project.recipes import RECIPES
from onda.studies.core.study import Control
from onda.studies.lines.fit_all import FIT_ALL, fit_all_inputs, with_fitted
from onda.studies.links.channel import channel_step
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import channel_inputs, eye_inputs
from onda.studies.links.judge import measure_eye


def quantity(text: str, dimension: str):  # type: ignore[no-untyped-def]
    return parse_quantity(text, dimension)


@pytest.fixture(scope="module")
def board() -> Project:
    """A matched pair of 100 mm, as a path and as a network, with a link over each."""
    project = from_template("Board", 6)
    project, line = cook(RECIPES["line"], project, {"structure": "pair", "layers": "L3"})
    found = FIT_ALL.run(fit_all_inputs(project.design), Control())
    project, _ = with_fitted(project, found.fitted)
    path = {"length": "100 mm", "resistance": "100 ohm", "edge": "60 ps", "swing": "1.6 V"}
    project, lane = cook(RECIPES["path"], project, path)
    bare = project.design.path(lane.id)
    nothing = quantity("0 F", "capacitance")
    bare = set_value(
        bare,
        driver=set_value(bare.driver, capacitance=nothing),
        receiver=set_value(bare.receiver, capacitance=nothing),
    )
    design = set_value(project.design, paths=(bare,))
    project = set_value(project, design=design)
    project, network = cook(RECIPES["network"], project, {"of": f"line:{line.id}"})
    for over in (f"path:{lane.id}", f"network:{network.id}"):
        project, _ = cook(RECIPES["link"], project, {"over": over, "rate": "4 Gb/s"})
    by_network = project.design.links[1]
    # 36 ps from 20 to 80 % is a straight edge of 60 ps.
    launch = Launch(
        low=quantity("-400 mV", "voltage"), high=quantity("400 mV", "voltage"),
        edge=quantity("36 ps", "time"),
    )  # fmt: skip
    links = (project.design.links[0], set_value(by_network, launch=launch))
    return set_value(project, design=set_value(project.design, links=links))


def test_it_agrees_with_the_same_line_as_a_path(board: Project) -> None:
    """Half the swing of a matched driver goes into the line: 1.6 V unloaded is 0.8 V launched."""
    over_path, over_network = (
        EYE.run(eye_inputs(board.design, link), Control()) for link in board.design.links
    )
    assert over_network.delay == pytest.approx(over_path.delay, rel=0.01)
    assert over_network.eye.height == pytest.approx(over_path.eye.height, rel=0.01)
    assert over_network.eye.level_one == pytest.approx(over_path.eye.level_one, rel=0.02)
    assert over_network.eye.width == pytest.approx(over_path.eye.width, abs=0.02)


def test_levels_are_those_of_the_launch_less_the_loss_at_rest(board: Project) -> None:
    inputs = channel_inputs(board.design, board.design.links[1])
    step = channel_step(inputs)
    time, volts, delay = step.time, step.volts, step.delay
    assert volts[0] == pytest.approx(-volts[-1], rel=5e-3)
    assert 0.95 * 0.4 < volts[-1] < 0.4
    crossed = float(np.interp(0.0, volts, time)) - inputs.unit_interval
    lead = 3.0 * 36e-12
    assert crossed - lead == pytest.approx(delay, rel=0.02)


def test_a_lane_that_is_not_there_and_an_edge_that_is_too_slow(board: Project) -> None:
    link = board.design.links[1]
    with pytest.raises(InputError, match=r"no lane 2.*It has 1"):
        channel_step(channel_inputs(board.design, set_value(link, lane=2)))
    slow = set_value(link, launch=set_value(link.launch, edge=quantity("600 ps", "time")))
    with pytest.raises(NotPhysical, match="two unit intervals"):
        channel_step(channel_inputs(board.design, slow))


def test_a_link_has_one_channel(board: Project) -> None:
    link = board.design.links[0]
    for more in ({"network": "x"}, {"path": None}):
        with pytest.raises(
            InputError, match="over a path, a network, a lane of a group, or a pulse"
        ):
            set_value(link, **more)
    with pytest.raises(InputError, match="low level"):
        set_value(link.launch, low=quantity("1 V", "voltage"))


def test_a_pattern_shorter_than_the_memory_is_told_and_a_longer_one_is_not() -> None:
    project = fulmar_project()
    link = project.design.links[0]
    short, long = (
        EYE.run(eye_inputs(project.design, set_value(link, prbs=n, bits=4000)), Control())
        for n in (7, 31)
    )
    unseen = min(short.pulse.unseen(short.eye.phase, 7), short.eye.height - short.peak.height)
    told = [one for one in short.doubts if "PRBS7" in one]
    assert bool(told) == (unseen > 0.1 * short.eye.height)
    assert all(f"{unseen * 1e3:.3g} mV" in one for one in told)
    assert long.doubts == ()
    # Nearly closed, the same channel is told.
    fast = set_value(link, prbs=7, bits=4000, rate="32 Gb/s")
    closed = EYE.run(eye_inputs(project.design, fast), Control())
    assert any("PRBS7" in one for one in closed.doubts)
    found = measure_eye(short, "eye_height")
    assert found.doubts == short.doubts


def test_a_link_is_sampled_where_it_says() -> None:
    project = fulmar_project()
    link = project.design.links[0]
    at = {
        where: EYE.run(
            eye_inputs(project.design, set_value(link, sampling=where, bits=4000)), Control()
        )
        for where in ("crossings", "tallest")
    }
    assert at["tallest"].eye.phase == at["tallest"].peak.phase
    assert at["tallest"].peak.height >= at["crossings"].peak.height
    # Long runs have half as many samples in a bit.
    few = EYE.run(eye_inputs(project.design, set_value(link, bits=200_000)), Control())
    assert few.pulse.samples_per_ui == 64
    assert few.eye.width == pytest.approx(at["crossings"].eye.width, abs=0.02)


def test_dies_at_the_ends_of_a_network_are_those_of_a_path(board: Project) -> None:
    """400 fF at the driver and 600 fF at the receiver, in both ways of saying it."""
    by_path, by_network = board.design.links
    path = board.design.paths[0]
    driver = set_value(path.driver, capacitance=quantity("400 fF", "capacitance"))
    receiver = set_value(path.receiver, capacitance=quantity("600 fF", "capacitance"))
    paths = (set_value(path, driver=driver, receiver=receiver),)
    sender = set_value(by_network.sender, capacitance=quantity("400 fF", "capacitance"))
    listener = set_value(by_network.listener, capacitance=quantity("600 fF", "capacitance"))
    with_dies = set_value(by_network, sender=sender, listener=listener)
    bare = channel_step(channel_inputs(board.design, by_network))
    found = channel_step(channel_inputs(board.design, with_dies))
    expected = channel_step(channel_inputs(set_value(board.design, paths=paths), by_path))

    def middle(step) -> tuple[np.ndarray, np.ndarray]:  # type: ignore[no-untyped-def]
        """From half the swing on, as shares of it."""
        share = (step.volts - step.volts[0]) / (step.volts[-1] - step.volts[0])
        at = float(
            np.interp(
                0.5, share[: int(np.argmax(share > 0.6))], step.time[: int(np.argmax(share > 0.6))]
            )
        )
        fine = np.linspace(-80e-12, 400e-12, 200)
        return fine, np.interp(at + fine, step.time, share)

    _, a = middle(found)
    _, b = middle(expected)
    _, c = middle(bare)
    assert a == pytest.approx(b, abs=0.03)
    assert np.abs(a - c).max() > 0.1
