"""Executable models at the ends of a link, against the same equalisers of our own."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.files import keep
from onda.project.links.equalisers import Listener, Sender
from onda.project.links.executable import ExecutableModel, allow_library, is_allowed
from onda.project.links.link import Link
from onda.project.links.model_edits import model_of, put_model, with_model
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.project.store import dumps, loads
from onda.studies.core.study import Control
from onda.studies.links.eye import EYE, EyeResult
from onda.studies.links.inputs import eye_inputs, link_inputs
from onda.studies.links.link import LINK, LinkEye
from onda.studies.links.link_grid import channel_pulses
from tests.models import needs_compiler, shipped_model

pytestmark = needs_compiler


@pytest.fixture(scope="module")
def built(tmp_path_factory) -> dict[str, tuple[bytes, bytes]]:
    """Parameters and library of both shipped models."""
    folder = tmp_path_factory.mktemp("models")
    out = {}
    for name in ("fulmar_tx", "fulmar_rx"):
        parameters, library = shipped_model(folder, name)
        out[name] = parameters.read_bytes(), library.read_bytes()
    return out


def at_end(project: Project, link: str, end, files: tuple[bytes, bytes], name: str) -> Project:
    hashes = [keep(data) for data in files]
    allow_library(hashes[1], f"{name}.so")
    pairs = ((f"{name}.ami", hashes[0]), (f"{name}.so", hashes[1]))
    return put_model(project, project.design.link(link), end, *pairs)


def set_to(project: Project, link: str, end, **settings: str) -> Project:
    found = project.design.link(link)
    model = model_of(found, end)
    assert model is not None
    for name, value in settings.items():
        model = model.with_setting(name, value)
    return replace_object(project, with_model(found, end, model))


def run(project: Project, link: str) -> LinkEye:
    inputs = link_inputs(project.design, project.design.link(link), fine=False)
    return LINK.run(replace(inputs, fine=True), Control())


def plain(project: Project, link: str) -> Link:
    """The link without any equaliser or stress of its own."""
    found = project.design.link(link)
    sender = type(found.sender)()
    listener = type(found.listener)()
    return set_value(found, sender=sender, listener=listener)


@pytest.mark.parametrize("link", ["jl0", "jl3"])
def test_a_transmitter_is_the_taps_that_it_has(project, built, link) -> None:
    project = replace_object(project, plain(project, link))
    own = plain(project, link)
    taps = set_value(own.sender, taps=(-0.05, 0.75, -0.2), main=1)
    ours = run(replace_object(project, set_value(own, sender=taps)), link)
    theirs = at_end(project, link, "sender", built["fulmar_tx"], "fulmar_tx")
    theirs = set_to(theirs, link, "sender", before="-0.05", behind="-0.2")
    found = run(theirs, link)
    assert [s.name for s in found.settings] == ["all equalisers", "without models"]
    assert found.eye.height == pytest.approx(ours.eye.height, rel=5e-3)
    assert found.eye.width == pytest.approx(ours.eye.width, abs=5e-3 * found.unit_interval)
    # And not the same as without them.
    bare = run(project, link)
    assert found.settings[1].height == pytest.approx(bare.eye.height, rel=1e-9)
    assert abs(found.eye.height / bare.eye.height - 1.0) > 0.03
    # The channel is drawn as it is between the models, what is equalised with them.
    assert found.channel_db == pytest.approx(bare.channel_db, abs=1e-9)
    assert np.abs(found.equalised_db - found.channel_db).max() > 0.5
    # What other lanes put in goes through the same taps.
    if link == "jl3":
        assert found.crosstalk == pytest.approx(ours.crosstalk, rel=0.02)
        assert found.crosstalk > 0.0


def test_a_receiver_is_the_peaking_that_it_has(project, built) -> None:
    project = replace_object(project, plain(project, "jl3"))
    own = plain(project, "jl3")
    peaking = set_value(
        own.listener,
        gain=parse_quantity("-6 dB", "loss"),
        gains=(parse_quantity("-6 dB", "loss"),),
        zero=parse_quantity("4 GHz", "frequency"),
        poles=tuple(parse_quantity(f, "frequency") for f in ("3.6 GHz", "14 GHz")),
    )
    ours = run(replace_object(project, set_value(own, listener=peaking)), "jl3")
    theirs = at_end(project, "jl3", "listener", built["fulmar_rx"], "fulmar_rx")
    theirs = set_to(theirs, "jl3", "listener", gain_db="-6", taps="0")
    link = theirs.design.link("jl3")
    slow = set_value(model_of(link, "listener"), corner="slow")
    found = run(replace_object(theirs, with_model(link, "listener", slow)), "jl3")
    # The model works with straight pieces of its own between samples.
    assert found.eye.height == pytest.approx(ours.eye.height, rel=0.03)
    assert found.crosstalk == pytest.approx(ours.crosstalk, rel=0.05)
    typical = run(theirs, "jl3")
    assert typical.eye.height != pytest.approx(found.eye.height, rel=1e-3)


def test_both_ends_follow_each_other(project, built) -> None:
    project = replace_object(project, plain(project, "jl0"))
    both = at_end(project, "jl0", "sender", built["fulmar_tx"], "fulmar_tx")
    both = at_end(both, "jl0", "listener", built["fulmar_rx"], "fulmar_rx")
    both = set_to(both, "jl0", "listener", taps="0")
    inputs = link_inputs(both.design, both.design.link("jl0")).channel
    made = channel_pulses(inputs).own.samples
    first = channel_pulses(replace(inputs, listener=None)).own.samples
    last = channel_pulses(replace(inputs, sender=None)).own.samples
    bare = channel_pulses(inputs.without_models).own.samples

    # Linear and one after the other: their responses multiply.
    def spectrum(samples: np.ndarray) -> np.ndarray:
        return np.fft.rfft(samples, 8192)[1:400]

    expected = spectrum(first) * spectrum(last) / spectrum(bare)
    difference = np.abs(spectrum(made) - expected).max()
    assert difference < 0.02 * np.abs(expected).max()


def test_a_library_runs_only_where_somebody_allowed_it(project, built) -> None:
    hashes = [keep(data) for data in built["fulmar_tx"]]
    other = keep(built["fulmar_tx"][1] + b"another one")
    link = project.design.link("jl0")
    made = put_model(project, link, "sender", ("a.ami", hashes[0]), ("a.so", other))
    assert not is_allowed(other)
    with pytest.raises(InputError, match=r"a.so is a library.*nobody here has allowed it"):
        run(made, "jl0")
    # A project that is read again has nothing allowed by itself.
    again = loads(dumps(made))
    assert model_of(again.design.link("jl0"), "sender") == model_of(
        made.design.link("jl0"), "sender"
    )
    with pytest.raises(InputError, match="nobody here has allowed it"):
        run(again, "jl0")
    assert [f.path for f in again.design.device_files][-2:] == ["models/a.ami", "models/a.so"]


def test_what_a_model_cannot_be_set_to_is_told(project, built) -> None:
    made = at_end(project, "jl0", "sender", built["fulmar_tx"], "fulmar_tx")
    with pytest.raises(InputError, match=r"behind lies between -0.5 and 0.5, not at 3"):
        run(set_to(made, "jl0", "sender", behind="3"), "jl0")
    with pytest.raises(InputError, match="colour"):
        run(set_to(made, "jl0", "sender", colour="3"), "jl0")
    returns = b"(Init_Returns_Impulse (Usage Info) (Type Boolean) (Value "
    text = built["fulmar_tx"][0].replace(returns + b"True)", returns + b"False)")
    assert text != built["fulmar_tx"][0]
    bits = at_end(project, "jl0", "sender", (text, built["fulmar_tx"][1]), "bits")
    with pytest.raises(InputError, match="answers bits only"):
        run(bits, "jl0")
    crash = (built["fulmar_tx"][0], b"no library at all")
    with pytest.raises(InputError, match=r"broken.so.*no library for this machine"):
        run(at_end(project, "jl0", "sender", crash, "broken"), "jl0")


def test_settings_are_each_there_once() -> None:
    model = ExecutableModel(parameters="a", library="b")
    model = model.with_setting("x", "1").with_setting("y", "2").with_setting("x", "3")
    assert {s.id: s.value for s in model.settings} == {"x": "3", "y": "2"}
    assert model.with_setting("x", None).settings == model.settings[:1]


def bits_of(project: Project, link: str, **changes) -> EyeResult:
    found = set_value(project.design.link(link), bits=6000, prbs=9, **changes)
    return EYE.run(eye_inputs(project.design, found), Control())


def test_bits_through_a_transmitter_are_those_through_its_taps(project, built) -> None:
    project = replace_object(project, plain(project, "jl0"))
    taps = Sender(taps=(-0.05, 0.75, -0.2), main=1)
    ours = bits_of(project, "jl0", sender=taps)
    theirs = at_end(project, "jl0", "sender", built["fulmar_tx"], "fulmar_tx")
    theirs = set_to(theirs, "jl0", "sender", before="-0.05", behind="-0.2")
    found = bits_of(theirs, "jl0")
    # Its 32 samples a bit stand for straight edges within a sample.
    assert found.eye.height == pytest.approx(ours.eye.height, rel=0.02)
    assert found.eye.width == pytest.approx(ours.eye.width, abs=0.04)
    assert found.eye.level_one == pytest.approx(ours.eye.level_one, rel=0.02)
    assert found.eye.bits == pytest.approx(6000, abs=4)
    bare = bits_of(project, "jl0")
    assert abs(found.eye.height / bare.eye.height - 1.0) > 0.03
    # The pulse beside it is that of AMI_Init, with the same taps.
    assert found.peak.height == pytest.approx(ours.peak.height, rel=0.02)


def test_bits_of_four_levels_go_through_models_too(project, built) -> None:
    project = replace_object(project, plain(project, "jl0"))
    taps = Sender(taps=(-0.05, 0.75, -0.2), main=1)
    ours = bits_of(project, "jl0", sender=taps, modulation="pam4")
    theirs = at_end(project, "jl0", "sender", built["fulmar_tx"], "fulmar_tx")
    theirs = set_to(theirs, "jl0", "sender", before="-0.05", behind="-0.2")
    found = bits_of(theirs, "jl0", modulation="pam4")
    assert len(found.eye.openings) == 3
    assert found.eye.height == pytest.approx(ours.eye.height, abs=0.02 * ours.eye.level_one)


def test_a_receiver_that_adapts_opens_the_eye_of_a_slow_channel(project, built) -> None:
    """By signs, on bits: as near to what cursors say as its own steps allow."""
    project = replace_object(project, plain(project, "jl0"))
    bare = bits_of(project, "jl0")
    rx = at_end(project, "jl0", "listener", built["fulmar_rx"], "fulmar_rx")
    found = bits_of(set_to(rx, "jl0", "listener", gain_db="0", taps="2"), "jl0")
    # A peaking stage of 0 dB is one pole at 16 GHz, as our own is.
    taps = Listener(
        gain=parse_quantity("0 dB", "loss"), zero=parse_quantity("4 GHz", "frequency"),
        poles=tuple(parse_quantity(f, "frequency") for f in ("4.000001 GHz", "16 GHz")),
        decisions=2,
    )  # fmt: skip
    ours = bits_of(project, "jl0", listener=taps)
    assert found.eye.height > bare.eye.height
    assert found.eye.height == pytest.approx(ours.eye.height, rel=0.03)
    # Its clock has come to the middle of the eye.
    assert abs(found.eye.least.tallest[0]) < 0.1


def test_a_model_that_answers_bits_only_has_an_eye_bit_by_bit(project, built) -> None:
    project = replace_object(project, plain(project, "jl0"))
    returns = b"(Init_Returns_Impulse (Usage Info) (Type Boolean) (Value "
    text = built["fulmar_tx"][0].replace(returns + b"True)", returns + b"False)")
    bits = at_end(project, "jl0", "sender", (text, built["fulmar_tx"][1]), "bits")
    both = at_end(project, "jl0", "sender", built["fulmar_tx"], "fulmar_tx")
    found, same = bits_of(bits, "jl0"), bits_of(both, "jl0")
    assert found.eye.height == pytest.approx(same.eye.height, rel=1e-9)
    assert any("without its models" in doubt for doubt in found.doubts)
    assert not any("without its models" in doubt for doubt in same.doubts)


def test_own_equalisers_beside_models_are_refused_bit_by_bit(project, built) -> None:
    made = at_end(project, "jl0", "listener", built["fulmar_rx"], "fulmar_rx")
    link = made.design.link("jl0")
    with pytest.raises(InputError, match="all that equalises"):
        bits_of(made, "jl0", listener=set_value(link.listener, decisions=2))
    long = eye_inputs(made.design, set_value(link, bits=2_000_000))
    with pytest.raises(InputError, match="At most 1000000"):
        EYE.run(long, Control())
