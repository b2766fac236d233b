"""Project files: round trip, hostile input, and saves that fail."""

from __future__ import annotations

import errno
import json
import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from onda.errors import InputError
from onda.project import store
from onda.project.model import Project
from onda.project.recovery import Autosave, kept_of, read_kept
from onda.project.store import dumps, load_project, loads, save_project


def tree(project: Project) -> dict:
    return json.loads(dumps(project))


def changed(project: Project, path: str, value: object) -> str:
    """Text of the project with one item replaced; path like design.materials.0.dk."""
    data = tree(project)
    at: object = data
    *way, last = path.split(".")
    for part in way:
        at = at[int(part)] if isinstance(at, list) else at[part]  # type: ignore[index]
    at[int(last) if isinstance(at, list) else last] = value  # type: ignore[index]
    return json.dumps(data)


def test_round_trip_keeps_everything(project: Project, tmp_path: Path) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    assert load_project(file) == project
    assert dumps(load_project(file)) == dumps(project)


def test_file_is_one_item_a_line_with_sorted_keys(project: Project) -> None:
    lines = dumps(project).splitlines()
    assert len(lines) > 500
    assert max(map(len, lines)) < 200
    keys = [line.strip().split('"')[1] for line in lines if line.startswith(' "')]
    assert keys == sorted(keys)


def test_quantities_are_kept_as_typed_and_as_si(project: Project) -> None:
    data = tree(project)
    rs = data["design"]["paths"][0]["elements"][0]["value"]
    assert rs == {"text": "15 ohm", "si": 15.0}


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [
        ("design.materials.0.dk", 0.2, r"design.materials\[0\].dk: .*greater than or equal to 1"),
        ("design.materials.0.dk", "4.2", r"materials\[0\].dk"),
        ("design.materials.0.df", 2, r"materials\[0\].df"),
        ("design.materials.0.at", "8", r"has no unit"),
        ("design.materials.0.at", "8 lightyears", r"unknown unit"),
        ("design.materials.1.id", "prepreg", r"material 'prepreg' is there twice"),
        ("design.stackup.layers.2.thickness", "0 um", r"must be above 0"),
        ("design.stackup.layers.2.thickness", "-3 um", r"must be above 0"),
        ("design.stackup.layers.2.material", "cheese", r"no material 'cheese'"),
        ("design.stackup.layers.1.kind", "wood", r"kind"),
        ("design.line_classes.0.on.0.layer", "L2", r"'L2' is no signal layer"),
        ("design.line_classes.0.on.0.gap", None, r"needs a gap"),
        ("design.line_classes.1.on.0.gap", "100 um", r"must not have a gap"),
        ("design.paths.0.elements.2.layer", "L3", r"not routed on 'L3'"),
        (
            "design.paths.0.elements.2.line_class",
            "converter-pairs",
            r"not routed|a single path needs",
        ),
        ("design.paths.0.elements", [], r"elements"),
        ("design.paths.0.stimulus.frequency", None, r"a clock needs a frequency"),
        ("design.paths.6.termination.r", None, r"parallel termination needs r"),
        ("design.links.0.path", "nowhere", r"no path 'nowhere'"),
        ("design.links.0.prbs", 8, r"prbs"),
        ("design.links.0.bits", 10**9, r"bits"),
        ("design.links.0.bits", "many", r"bits"),
        ("design.links.0.mask.flat", "0.9 UI", r"flat <= width"),
        ("requirements.0.at_most", "5 ps", r"unknown unit 'ps' for a resistance"),
        ("requirements.0.at_least", "200 ohm", r"leave no room"),
        ("requirements.0.subject", "ghost", r"no line class 'ghost'"),
        ("requirements.4.at_most", None, r"has no limit"),
        ("requirements.0.measure", "beauty", r"measure"),
        ("name", "", r"name"),
        ("name", 7, r"name"),
        ("surprise", 1, r"surprise"),
        ("files", [{"path": "../secret", "sha256": "0" * 64}], r"leaves the project's folder"),
        ("files", [{"path": "/etc/passwd", "sha256": "0" * 64}], r"leaves the project's folder"),
        ("files", [{"path": "C:\\x", "sha256": "0" * 64}], r"leaves the project's folder"),
        ("files", [{"path": "a", "sha256": "zz"}], r"sha256"),
    ],
)
def test_wrong_items_are_named_by_their_path(project, path, value, words) -> None:
    with pytest.raises(InputError, match=words) as info:
        loads(changed(project, path, value), file="board.onda")
    assert "board.onda" in str(info.value)


def test_relative_file_inside_the_folder_is_fine(project: Project) -> None:
    text = changed(project, "files", [{"path": "models/u7.ibs", "sha256": "a" * 64}])
    assert loads(text).files[0].path == "models/u7.ibs"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "line 1, column 1: not valid JSON"),
        ("{", "not valid JSON"),
        ("[1, 2]", "not an object"),
        ("null", "not an object"),
        ('{"schema_version": 1', "not valid JSON"),
        ("{}", "no schema version"),
        ('{"schema_version": "1"}', "no schema version"),
        ('{"schema_version": true}', "no schema version"),
        ('{"schema_version": 0}', "no schema version"),
        ('{"schema_version": 99}', "newer Onda .schema 99.*left as it is"),
        ('{"schema_version": 1}', "name"),
        ('{"schema_version": 1, "x": NaN}', "NaN is not a value"),
        ('{"schema_version": 1, "x": Infinity}', "Infinity is not a value"),
        ("[" * 200_000, "nested too deeply"),
        ('{"a":' * 200_000, "nested too deeply"),
        ('{"schema_version": 1, "x": ' + "9" * 5000 + "}", "too long"),
    ],
)
def test_texts_that_are_no_project_are_refused(text: str, words: str) -> None:
    with pytest.raises(InputError, match=words):
        loads(text, file="x.onda")


def test_truncation_anywhere_is_refused_with_a_line(project: Project) -> None:
    text = dumps(project)
    for cut in range(100, len(text) - 2, len(text) // 23):
        with pytest.raises(InputError, match="line"):
            loads(text[:cut], file="x.onda")


@given(st.binary(max_size=300))
def test_any_bytes_are_read_or_refused(data: bytes) -> None:
    try:
        loads(data.decode("utf-8", errors="replace"))
    except InputError:
        return
    raise AssertionError("random bytes made a project")


@given(position=st.integers(0, 18_000), byte=st.integers(32, 126))
def test_a_flipped_character_is_read_or_refused(position: int, byte: int) -> None:
    from onda.demo import fulmar_project

    text = dumps(fulmar_project())
    at = position % len(text)
    try:
        got = loads(text[:at] + chr(byte) + text[at + 1 :])
    except InputError:
        return
    assert isinstance(got, Project)


def test_missing_binary_and_oversized_files(
    tmp_path: Path,
) -> None:
    with pytest.raises(InputError, match="no such file"):
        load_project(tmp_path / "gone.onda")
    binary = tmp_path / "b.onda"
    binary.write_bytes(b"\x93NUMPY\xff\xfe")
    with pytest.raises(InputError, match="not UTF-8"):
        load_project(binary)
    with pytest.raises(InputError, match="is a folder, no file"):
        load_project(tmp_path)
    os.truncate(binary, 64 * 2**20)
    with pytest.raises(InputError, match="not UTF-8"):
        load_project(binary)
    os.truncate(binary, 64 * 2**20 + 1)
    with pytest.raises(InputError, match="larger than 64 MiB"):
        load_project(binary)


def test_full_disk_leaves_the_old_file_whole(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    fresh = tmp_path / "fresh"
    fresh.mkdir()
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    before = file.read_bytes()
    beside = sorted(tmp_path.rglob("*"))

    def full(descriptor: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    other = project.model_copy(update={"name": "Other"})
    with pytest.raises(InputError, match=r"No space left.*as it was"):
        save_project(other, file)
    assert file.read_bytes() == before
    assert sorted(tmp_path.rglob("*")) == beside
    with pytest.raises(InputError, match="No space left"):
        save_project(other, fresh / "fulmar.onda")
    assert list(fresh.iterdir()) == []


def test_folder_gone_between_load_and_save(project: Project, tmp_path: Path) -> None:
    with pytest.raises(InputError, match="could not be saved"):
        save_project(project, tmp_path / "gone" / "fulmar.onda")


def test_saving_keeps_the_mode_of_the_file(project: Project, tmp_path: Path) -> None:
    file = tmp_path / "fulmar.onda"
    save_project(project, file)
    file.chmod(0o600)
    save_project(project, file)
    assert file.stat().st_mode & 0o777 == 0o600


def test_old_schemas_are_migrated_step_by_step(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The hook: a file of one schema is lifted to the next by the function registered for it."""
    lifted: list[int] = []

    def lift(data: dict) -> dict:
        lifted.append(1)
        return data | {"name": "Lifted"}

    present = store.SCHEMA_VERSION
    monkeypatch.setattr(store, "SCHEMA_VERSION", present + 1)
    monkeypatch.setitem(store.MIGRATIONS, present, lift)
    assert loads(dumps(project)).name == "Lifted"
    assert lifted == [1]


def test_requirements_of_stages_become_those_of_kinds(project: Project) -> None:
    """Schema 4 named the stage that shows an object, schema 5 names its kind."""
    tree = json.loads(dumps(project))
    stage_of = {"line": "lines", "path": "paths", "network": "networks", "link": "eyes"}
    # Groups, and links over them or of four levels, came later than that.
    tree["design"]["groups"], tree["design"]["buses"] = [], []
    tree["design"]["links"] = tree["design"]["links"][:1]
    later = {x["id"] for x in json.loads(dumps(project))["design"]["links"][1:]}
    tree["requirements"] = [
        r
        for r in tree["requirements"]
        if r["kind"] not in ("group", "bus") and r["subject"] not in later
    ]
    project = loads(json.dumps(tree))
    for requirement in tree["requirements"]:
        requirement["stage"] = stage_of[requirement.pop("kind")]
    assert loads(json.dumps(tree | {"schema_version": 4})) == project
    tree["requirements"][0]["stage"] = "kitchen"
    with pytest.raises(InputError, match="is no measure of a kitchen"):
        loads(json.dumps(tree | {"schema_version": 4}))


def test_autosave_is_read_back_and_forgotten(project: Project, tmp_path: Path) -> None:
    file, state = tmp_path / "fulmar.onda", tmp_path / "state"
    autosave = Autosave(file, state)
    assert kept_of(file, state) == []
    autosave.write(project)
    # Its owner has it open: it is nobody else's.
    assert kept_of(file, state) == []
    autosave.release()
    (kept,) = kept_of(file, state)
    found = read_kept(kept)
    assert found is not None
    assert found.project == project
    autosave.clear()
    assert kept_of(file, state) == []
    assert read_kept(kept) is None


@pytest.mark.parametrize(
    "content", [b"", b"{", b"[]", b'{"project": 3}', b'{"project": "{}"}', b"\xff"]
)
def test_broken_autosave_is_as_good_as_none(tmp_path: Path, content: bytes) -> None:
    (tmp_path / "x.autosave").write_bytes(content)
    assert kept_of(tmp_path / "x.onda", tmp_path) == []


def test_autosaves_of_two_files_do_not_mix(project: Project, tmp_path: Path) -> None:
    one = Autosave(tmp_path / "a.onda", tmp_path)
    one.write(project)
    one.release()
    assert kept_of(tmp_path / "b.onda", tmp_path) == []
    assert len(kept_of(tmp_path / "a.onda", tmp_path)) == 1


def test_autosave_without_a_place_says_so(project: Project, tmp_path: Path) -> None:
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    with pytest.raises(InputError, match="no place for the autosave"):
        Autosave(None, blocked / "folder").write(project)


def test_files_of_schema_1_still_open(project: Project) -> None:
    """Before schema 2 only the name of a layer told a core from a prepreg."""
    tree = json.loads(dumps(project))
    tree["schema_version"] = 1
    stackup = tree["design"]["stackup"]
    for name in ("zones", "vias", "fabrication", "total", "roughness", "temperature"):
        del stackup[name]
    for name in ("shielded", "sheet_lines"):
        del tree["design"][name]
    for layer in stackup["layers"]:
        layer.pop("build", None)
    tail = {"cover-top", "cover-bottom"}
    stackup["layers"] = [x for x in stackup["layers"] if x["id"] not in tail]
    tree["design"]["line_classes"] = [
        c for c in tree["design"]["line_classes"] if c["id"] != "sensor-pairs"
    ]
    tree["requirements"] = [r for r in tree["requirements"] if r["subject"] != "sensor-pairs"]
    lifted = loads(json.dumps(tree))
    kinds = {x.id: x.build for x in lifted.design.stackup.layers if x.kind == "dielectric"}
    assert kinds["D23"] == "core"
    assert kinds["D12"] == "prepreg"
    assert lifted.design.stackup.signal_layers == ("L1", "L3", "L6", "L8")
