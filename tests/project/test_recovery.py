"""Work that was not saved, with every file that it refers to."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import platformdirs
import pytest

from onda.project import files
from onda.project.base import set_value
from onda.project.file_reference import DeviceFile
from onda.project.files import content_of, keep
from onda.project.lock import Hold, lock_beside
from onda.project.model import Project
from onda.project.recovery import KEPT_FOR, Autosave, Recovered, kept_of, kept_work, read_kept


def with_file(project: Project, name: str, data: bytes) -> Project:
    file = DeviceFile(id=name, path=f"devices/{name}.ibs", sha256=keep(data))
    design = set_value(project.design, device_files=(*project.design.device_files, file))
    return set_value(project, design=design)


def forget_places(monkeypatch: pytest.MonkeyPatch) -> None:
    """As in another session, on a machine whose caches were cleared."""
    monkeypatch.setattr(files, "_places", {})
    shutil.rmtree(platformdirs.user_cache_path("onda"), ignore_errors=True)


def left(project: Project, file: Path | None, folder: Path, **how) -> Recovered:
    """Work that somebody kept and nobody has open."""
    autosave = Autosave(file, folder)
    autosave.write(project, **how)
    autosave.release()
    found = next(k for k in kept_work(folder) if k.path == autosave.path)
    read = read_kept(found)
    assert read is not None
    return read


def test_an_imported_file_outlives_the_cache(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = b"[IBIS Ver] 5.0 made up\n"
    changed = with_file(project, "mine", data)
    kept = left(changed, tmp_path / "a.onda", tmp_path).kept
    forget_places(monkeypatch)
    found = read_kept(kept)
    assert found is not None
    assert found.project == changed
    assert content_of(found.project.design.device_file("mine")).read() == data


def test_how_it_was_kept_and_what_changed_is_remembered(project: Project, tmp_path: Path) -> None:
    for closed in (False, True):
        found = left(project, tmp_path / "a.onda", tmp_path, closed=closed, changed=["path CLK"])
        assert found.closed is closed
        assert found.kept.changed == ("path CLK",)
        assert found.kept.file == tmp_path / "a.onda"
    assert len(kept_of(tmp_path / "a.onda", tmp_path)) == 2


def test_the_latest_comes_first_and_old_ones_go(project: Project, tmp_path: Path) -> None:
    file = tmp_path / "a.onda"
    made = [left(project, file, tmp_path).kept.path for _ in range(3)]
    now = time.time()
    for path, age in zip(made, (100.0, 10.0, KEPT_FOR + 60.0), strict=True):
        os.utime(path, (now - age, now - age))
    assert [k.path for k in kept_of(file, tmp_path)] == [made[1], made[0]]
    assert made[2].exists()
    # The next one to keep something sweeps.
    left(project, file, tmp_path)
    assert not made[2].exists()
    assert made[0].exists()


def test_what_is_older_than_its_file_is_told_so(project: Project, tmp_path: Path) -> None:
    file = tmp_path / "a.onda"
    kept = left(project, file, tmp_path).kept
    assert kept.is_newer
    file.write_text("saved later")
    os.utime(file, (kept.saved_at + 3, kept.saved_at + 3))
    assert not kept.is_newer
    assert left(project, None, tmp_path).kept.is_newer


def test_work_is_held_by_its_process_and_free_after_a_kill(
    project: Project, tmp_path: Path
) -> None:
    """A process of its own keeps work, and is killed."""
    code = """
import sys, time
from pathlib import Path
from onda.demo import fulmar_project
from onda.project.lock import Hold, lock_beside
from onda.project.recovery import Autosave
file = Path(sys.argv[1])
hold = Hold(lock_beside(file)); hold.take()
autosave = Autosave(file, file.parent)
autosave.write(fulmar_project(), changed=["all of it"])
print("kept", flush=True)
time.sleep(60)
"""
    file = tmp_path / "a.onda"
    child = subprocess.Popen(
        [sys.executable, "-c", code, str(file)], stdout=subprocess.PIPE, text=True
    )
    try:
        assert child.stdout is not None
        assert child.stdout.readline().strip() == "kept"
        assert kept_of(file, tmp_path) == []
        mine = Hold(lock_beside(file))
        holder = mine.take()
        assert holder is not None
        assert holder.process == child.pid
        assert not mine.is_mine
    finally:
        child.kill()
        child.wait()
        assert child.stdout is not None
        child.stdout.close()
    (kept,) = kept_of(file, tmp_path)
    assert kept.changed == ("all of it",)
    assert not kept.closed
    assert mine.take() is None
    assert mine.is_mine
    mine.release()
    assert not lock_beside(file).exists()


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
    assert left(changed, None, tmp_path).kept.title == project.name


def test_boards_without_a_file_do_not_share_a_recovery(project: Project, tmp_path: Path) -> None:
    left(set_value(project, name="One"), None, tmp_path)
    left(set_value(project, name="Zwei, süd"), None, tmp_path)
    left(project, tmp_path / "saved.onda", tmp_path)
    boards = [k for k in kept_work(tmp_path) if k.file is None]
    assert {k.title for k in boards} == {"One", "Zwei, süd"}
    one = next(k for k in boards if k.title == "One")
    # Gone on with, it is its new owner's, in the same place.
    autosave = Autosave(None, tmp_path, going_on=one)
    assert one.path not in [k.path for k in kept_work(tmp_path)]
    autosave.write(set_value(project, name="One and more"))
    autosave.release()
    assert {k.title for k in kept_work(tmp_path) if k.file is None} == {
        "One and more", "Zwei, süd",
    }  # fmt: skip


@pytest.mark.parametrize(
    "content",
    [b"", b"[]", b'{"of": 3}', b"\xff\xfe", b'{"project": 1}', b'{"of": "a\\u0000", "title": "x"}'],
)
def test_a_broken_recovery_is_none(content: bytes, tmp_path: Path) -> None:
    (tmp_path / "x.autosave").write_bytes(content)
    assert kept_work(tmp_path) == []


def test_names_of_contents_cannot_leave_the_folder(project: Project, tmp_path: Path) -> None:
    kept = left(project, tmp_path / "a.onda", tmp_path).kept
    wrapped = json.loads(kept.path.read_text())
    wrapped["files"] = ["../../etc/passwd", 7]
    kept.path.write_text(json.dumps(wrapped))
    assert read_kept(kept) is not None
    assert "../../etc/passwd" not in files._places
