"""Work that was not saved, with every file that it refers to."""

from __future__ import annotations

import hashlib
import json
import shutil
from pathlib import Path

import platformdirs
import pytest

from onda.project import files
from onda.project.base import set_value
from onda.project.file_reference import DeviceFile
from onda.project.files import content_of, keep
from onda.project.model import Project
from onda.project.recovery import Autosave, pending_boards


def with_file(project: Project, name: str, data: bytes) -> Project:
    file = DeviceFile(id=name, path=f"devices/{name}.ibs", sha256=keep(data))
    design = set_value(project.design, device_files=(*project.design.device_files, file))
    return set_value(project, design=design)


def forget_places(monkeypatch: pytest.MonkeyPatch) -> None:
    """As in another session, on a machine whose caches were cleared."""
    monkeypatch.setattr(files, "_places", {})
    shutil.rmtree(platformdirs.user_cache_path("onda"), ignore_errors=True)


def test_an_imported_file_outlives_the_cache(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = b"[IBIS Ver] 5.0 made up\n"
    changed = with_file(project, "mine", data)
    Autosave(tmp_path / "a.onda", tmp_path).write(changed)
    forget_places(monkeypatch)
    found = Autosave(tmp_path / "a.onda", tmp_path).read()
    assert found is not None
    assert found.project == changed
    assert content_of(found.project.design.device_file("mine")).read() == data


def test_whether_the_window_was_closed_is_remembered(project: Project, tmp_path: Path) -> None:
    autosave = Autosave(tmp_path / "a.onda", tmp_path)
    for closed in (False, True):
        autosave.write(project, closed=closed)
        found = autosave.read()
        assert found is not None
        assert found.closed is closed


def test_contents_go_with_the_last_autosave_that_needs_them(
    project: Project, tmp_path: Path
) -> None:
    mine, both = b"mine", b"both"
    one = with_file(with_file(project, "mine", mine), "both", both)
    other = with_file(project, "both", both)
    first, second = (Autosave(tmp_path / n, tmp_path) for n in ("a.onda", "b.onda"))
    first.write(one)
    second.write(other)
    kept = tmp_path / "contents"
    hashes = {hashlib.sha256(d).hexdigest() for d in (mine, both)}
    assert hashes <= {p.name for p in kept.iterdir()}
    first.clear()
    left = {p.name for p in kept.iterdir()} & hashes
    assert left == {hashlib.sha256(both).hexdigest()}
    second.clear()
    assert list(kept.iterdir()) == []


def test_a_file_that_cannot_be_had_does_not_stop_the_autosave(
    project: Project, tmp_path: Path
) -> None:
    lost = DeviceFile(id="lost", path="devices/lost.ibs", sha256="0" * 64)
    files_there = (lost, *project.design.device_files)
    changed = set_value(project, design=set_value(project.design, device_files=files_there))
    Autosave(None, tmp_path).write(changed)
    assert [p.title for p in pending_boards(tmp_path)] == [project.name]


def test_boards_without_a_file_do_not_share_an_autosave(project: Project, tmp_path: Path) -> None:
    one, two = Autosave(None, tmp_path), Autosave(None, tmp_path)
    one.write(set_value(project, name="One"))
    two.write(set_value(project, name="Zwei, süd"))
    Autosave(tmp_path / "saved.onda", tmp_path).write(project)
    assert {p.title for p in pending_boards(tmp_path)} == {"One", "Zwei, süd"}
    key = next(p.key for p in pending_boards(tmp_path) if p.title == "One")
    found = Autosave(None, tmp_path, key=key).read()
    assert found is not None
    assert found.project.name == "One"


@pytest.mark.parametrize("content", [b"", b"[]", b'{"of": 3}', b"\xff\xfe", b'{"project": 1}'])
def test_a_broken_autosave_is_none(content: bytes, tmp_path: Path) -> None:
    autosave = Autosave(tmp_path / "a.onda", tmp_path)
    autosave.path.write_bytes(content)
    assert autosave.read() is None
    assert pending_boards(tmp_path) == []


def test_names_of_contents_cannot_leave_the_folder(project: Project, tmp_path: Path) -> None:
    autosave = Autosave(tmp_path / "a.onda", tmp_path)
    autosave.write(project)
    wrapped = json.loads(autosave.path.read_text())
    wrapped["files"] = ["../../etc/passwd", 7]
    autosave.path.write_text(json.dumps(wrapped))
    assert autosave.read() is not None
    assert "../../etc/passwd" not in files._places
