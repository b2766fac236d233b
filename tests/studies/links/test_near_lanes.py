"""Lanes that send from the receiver's end: near-end crosstalk in the eye and in the margin."""

from __future__ import annotations

import numpy as np
import pytest

from onda.engine.links.operating_margin import channel_margin
from onda.engine.networks.sampling import even_grid
from onda.errors import InputError
from onda.project.base import set_value
from onda.studies.core.study import Control
from onda.studies.links.channel import channel_step
from onda.studies.links.inputs import channel_inputs
from onda.studies.links.margin import OPERATING_MARGIN, link_terms, margin_inputs
from onda.studies.networks.build import build_network
from onda.studies.networks.inputs import network_inputs
from onda.studies.networks.time import mode_matrix


@pytest.fixture
def up1(project):
    return project.design.link("up1")


def differential(project, link):
    built = build_network(network_inputs(project.design, project.design.network(link.network)))
    return built.frequency, mode_matrix(built.s, True)["diff"]


def test_what_is_heard_is_of_the_right_entry(project, up1) -> None:
    """The energy of what another lane puts in is that of its entry of S, forward or backward."""
    _, s = differential(project, up1)
    lanes = s.shape[-1] // 2
    me, other = up1.lane - 1, 0
    energy = []
    for near in ((), (other + 1,)):
        step = channel_step(channel_inputs(project.design, set_value(up1, near=near)))
        slope = np.diff(step.others[other]) / np.diff(step.time)
        energy.append(float((slope**2 * np.diff(step.time)).sum()))
    entries = [s[:, lanes + me, other], s[:, lanes + me, lanes + other]]
    sizes = [float((np.abs(entry) ** 2).sum()) for entry in entries]
    # The edge that is sent weighs low frequencies more: alike in which of them is larger.
    assert energy[0] != pytest.approx(energy[1], rel=0.05)
    assert (energy[1] > energy[0]) == (sizes[1] > sizes[0])


def test_the_margin_takes_near_ones_as_near_ones(project, up1) -> None:
    far = OPERATING_MARGIN.run(margin_inputs(project.design, up1), Control())
    link = set_value(up1, near=(1,))
    near = OPERATING_MARGIN.run(margin_inputs(project.design, link), Control())
    assert near.com_db != pytest.approx(far.com_db, abs=1e-3)
    # By hand, its frequencies made even.
    frequency, s = differential(project, up1)
    lanes, me = s.shape[-1] // 2, up1.lane - 1

    def two_port(sends: int) -> np.ndarray:
        ports = [sends, lanes + me]
        some = s[np.ix_(range(len(s)), ports, ports)]
        return even_grid(frequency, some, step=20e6, top=float(frequency[-1])).s

    terms = link_terms(link)
    even = even_grid(frequency, s, step=20e6, top=float(frequency[-1])).frequency
    expected = channel_margin(even, two_port(me), (), [two_port(lanes)], terms)
    assert near.com_db == pytest.approx(expected.com_db, abs=0.1)
    assert near.sigma_crosstalk == pytest.approx(expected.sigma_crosstalk, rel=0.05)


def test_lanes_that_are_not_there_are_told(project, up1) -> None:
    with pytest.raises(InputError, match="each once"):
        set_value(up1, near=(up1.lane,))
    with pytest.raises(InputError, match="each once"):
        set_value(up1, near=(1, 1))
    far = set_value(up1, near=(9,))
    with pytest.raises(InputError, match="has no lane 9"):
        OPERATING_MARGIN.run(margin_inputs(project.design, far), Control())
    with pytest.raises(InputError, match="has no lane 9"):
        channel_step(channel_inputs(project.design, far))
