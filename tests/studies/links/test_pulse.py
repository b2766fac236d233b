"""Links over a pulse of a file, against the channel that the pulse was taken of."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.errors import InputError, OndaError
from onda.formats.signal_csv import write_signals
from onda.project.base import set_value
from onda.project.files import keep
from onda.project.links.model_edits import with_pulse
from onda.project.links.recipe import channel_of, channels
from onda.project.model import Project
from onda.project.store import dumps, loads
from onda.studies.core.study import Control
from onda.studies.links.eye import EYE
from onda.studies.links.inputs import eye_inputs, link_inputs
from onda.studies.links.link import LINK, LinkEye
from onda.studies.links.link_grid import channel_pulses


def run(project: Project, link: str, *, crosstalk: bool = True) -> LinkEye:
    found = set_value(project.design.link(link), crosstalk=crosstalk)
    inputs = link_inputs(project.design, found)
    return LINK.run(replace(inputs, compare=False), Control())


def over_file(project: Project, link: str, data: bytes) -> Project:
    return with_pulse(project, project.design.link(link), "lane.csv", keep(data))


def pulse_of(project: Project, link: str) -> bytes:
    """The pulses of a link's channel as a file: of the whole swing, other lanes behind."""
    inputs = link_inputs(project.design, project.design.link(link)).channel
    pulses = channel_pulses(inputs)
    count = len(pulses.own.samples)
    time = np.arange(count) * pulses.own.step
    columns = [p.at(time) for p in (pulses.own, *pulses.others)]
    names = ("value", *(f"lane{k}" for k in range(len(pulses.others))))
    return write_signals(time, 2.0 * np.stack(columns, axis=1), names).encode()


@pytest.mark.parametrize("link", ["jl0", "jl3", "up1"])
def test_a_link_over_its_own_pulse_has_its_own_eye(project, link) -> None:
    own = run(project, link)
    other = over_file(project, link, pulse_of(project, link))
    found = run(other, link)
    assert found.eye.height == pytest.approx(own.eye.height, rel=2e-3)
    assert found.eye.width == pytest.approx(own.eye.width, abs=2e-3 * own.unit_interval)
    assert found.merit.db == pytest.approx(own.merit.db, abs=0.05)
    if own.crosstalk > 0.0:
        assert found.crosstalk == pytest.approx(own.crosstalk, rel=0.02)
        alone = run(other, link, crosstalk=False)
        assert alone.crosstalk == 0.0
        assert alone.eye.height > found.eye.height


def test_bit_by_bit_runs_over_it_too(project) -> None:
    other = over_file(project, "jl0", pulse_of(project, "jl0"))
    eyes = [
        EYE.run(eye_inputs(p.design, p.design.link("jl0")), Control()).eye for p in (project, other)
    ]
    assert eyes[1].height == pytest.approx(eyes[0].height, rel=0.01)
    assert eyes[1].width == pytest.approx(eyes[0].width, rel=0.01)
    # Levels lie to either side of the middle, as those of the channel itself.
    for level in ("level_one", "level_zero"):
        own = getattr(eyes[0], level)
        assert getattr(eyes[1], level) == pytest.approx(own, rel=0.01)
    assert eyes[1].level_zero < 0.0 < eyes[1].level_one


def test_two_cursors_are_a_closed_form(project) -> None:
    """A pulse of 1 V with a tail of 0.25 V one unit interval later leaves 0.75 V."""
    link = project.design.link("jl0")
    ui = 1.0 / link.symbols_per_second
    time = np.linspace(0.0, 6.0 * ui, 601)
    # Ramps of a fifth of a unit interval: symbols one after another add up to a steady level.
    value = np.clip((0.6 - np.abs(time / ui - 1.5)) / 0.2, 0.0, 1.0)
    value = value + 0.25 * np.clip((0.6 - np.abs(time / ui - 2.5)) / 0.2, 0.0, 1.0)
    data = write_signals(time, value[:, None], ("value",)).encode()
    made = over_file(project, "jl0", data)
    bare = set_value(
        made.design.link("jl0"),
        sender=type(link.sender)(),
        listener=type(link.listener)(),
        sampling="tallest",
        error_rate=1e-3,
    )
    inputs = replace(link_inputs(made.design, bare), compare=False)
    found = LINK.run(inputs, Control())
    assert found.cursors[0] == pytest.approx(0.5, rel=0.02)
    assert found.cursors[1] == pytest.approx(0.125, rel=0.02)
    assert found.worst == pytest.approx(2.0 * (0.5 - 0.125), rel=0.03)


def test_the_file_is_one_of_the_project_and_among_what_can_be_run_over(project) -> None:
    made = over_file(project, "jl0", pulse_of(project, "jl0"))
    link = made.design.link("jl0")
    key = channel_of(link)
    assert key.startswith("pulse:")
    assert dict(channels(made.design))[key] == "lane.csv, pulse"
    assert (link.path, link.network, link.group) == (None, None, None)
    assert loads(dumps(made)).design.link("jl0") == link
    # The same content is not taken in twice, another one gets a name of its own.
    again = with_pulse(made, link, "other.csv", made.design.device_file(link.pulse).sha256)
    assert len(again.design.device_files) == len(made.design.device_files)
    third = with_pulse(made, link, "lane.csv", keep(b"time_s,value\n0,0\n1e-9,1\n"))
    assert third.design.device_files[-1].path == "pulses/lane-2.csv"
    with pytest.raises(InputError, match="over a path, a network, a lane of a group, or a pulse"):
        set_value(link, path="clk-adc")


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("time_s,value\n0,0\n1e-12,1\n", "less than two unit intervals"),
        ("time_s,value\n0,0\n1e-3,1\n", "unit intervals long"),
        ("t,v\n0,0\n1,1\n", "its first line"),
        ("time_s,value\n0,0\n1e-9,nan\n", "not finite"),
        ("time_s,value\n0,0\n1e-9,0\n", "no change"),
    ],
)
def test_files_that_are_no_pulse(project, text, words) -> None:
    made = over_file(project, "jl0", text.encode())
    with pytest.raises(OndaError, match=words):
        run(made, "jl0")
