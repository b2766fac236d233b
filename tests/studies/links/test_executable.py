"""Executable models at the ends of a link, against the same equalisers of our own."""

from __future__ import annotations

import importlib.resources
import shutil
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.files import keep
from onda.project.links.executable import ExecutableModel, allow_library, is_allowed
from onda.project.links.link import Link
from onda.project.links.model_edits import model_of, put_model, with_model
from onda.project.model import Project
from onda.project.quantities import parse_quantity
from onda.project.store import dumps, loads
from onda.studies.core.study import Control
from onda.studies.links.inputs import link_inputs
from onda.studies.links.link import LINK, LinkEye
from onda.studies.links.link_grid import channel_pulses

COMPILER = shutil.which("cc") or shutil.which("gcc")
pytestmark = pytest.mark.skipif(COMPILER is None, reason="there is no C compiler here")
MODELS = importlib.resources.files("onda.data") / "models"


@pytest.fixture(scope="module")
def built(tmp_path_factory) -> dict[str, tuple[bytes, bytes]]:
    """Parameters and library of both shipped models."""
    folder = tmp_path_factory.mktemp("models")
    out = {}
    for name in ("fulmar_tx", "fulmar_rx"):
        made = folder / f"{name}.so"
        source = Path(str(MODELS / f"{name}.c"))
        command = [str(COMPILER), "-shared", "-fPIC", "-O1", "-o", str(made), str(source), "-lm"]
        subprocess.run(command, check=True, capture_output=True)
        out[name] = ((MODELS / f"{name}.ami").read_bytes(), made.read_bytes())
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
