"""Files by their content: found, checked, mapped, kept within a budget; never taken for others."""

from __future__ import annotations

import hashlib
import os
import time
from pathlib import Path

import pytest

from onda.errors import InputError
from onda.project import files
from onda.project.base import set_value
from onda.project.file_reference import DeviceFile
from onda.project.files import Content, content_of, keep, look_beside, missing_files, trim_store
from onda.project.model import Project
from onda.studies.core.keys import key_of


def store() -> Path:
    return Path(os.environ["XDG_CACHE_HOME"]) / "onda" / "contents"


def with_file(project: Project, data: bytes, path: str) -> Project:
    entry = DeviceFile(id="extra", path=path, sha256=hashlib.sha256(data).hexdigest())
    design = set_value(project.design, device_files=(*project.design.device_files, entry))
    return set_value(project, design=design)


def test_a_content_is_kept_once_under_its_hash() -> None:
    first, again = keep(b"abc"), keep(b"abc")
    assert first == again == hashlib.sha256(b"abc").hexdigest()
    assert [p.name for p in store().iterdir()] == [first]


def test_what_is_read_is_what_the_hash_says(tmp_path: Path) -> None:
    file = tmp_path / "a.s2p"
    file.write_bytes(b"old")
    content = Content("a.s2p", hashlib.sha256(b"old").hexdigest(), str(file))
    assert content.read() == b"old"
    assert content.mapped()[:] == b"old"
    file.write_bytes(b"other")
    with pytest.raises(InputError, match="not as it was"):
        content.read()
    with pytest.raises(InputError, match="Put the old file back"):
        content.mapped()
    # Once the content is elsewhere it is found there.
    keep(b"old")
    assert content.read() == b"old"


def test_where_a_file_lies_is_no_part_of_a_key() -> None:
    one, other = Content("a", "0" * 64, "/here/a"), Content("a", "0" * 64, "/there/a")
    assert key_of("study", one) == key_of("study", other)
    assert key_of("study", one) != key_of("study", Content("a", "1" * 64, "/here/a"))


def test_files_of_a_project_are_found_beside_it(project: Project, tmp_path: Path) -> None:
    extended = with_file(project, b"beside", "devices/beside.ibs")
    entry = extended.design.device_file("extra")
    with pytest.raises(InputError, match=r"devices/beside\.ibs"):
        content_of(entry)
    (tmp_path / "devices").mkdir()
    (tmp_path / "devices" / "beside.ibs").write_bytes(b"beside")
    look_beside(extended, tmp_path)
    assert content_of(entry).read() == b"beside"


def test_a_save_knows_what_is_missing_beside_it(project: Project, tmp_path: Path) -> None:
    keep(b"imported")
    extended = with_file(project, b"imported", "devices/imported.ibs")
    wanted = dict(missing_files(extended, tmp_path))
    assert wanted[tmp_path / "devices" / "imported.ibs"] == b"imported"
    for path, data in wanted.items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    assert dict(missing_files(extended, tmp_path)) == {}


def test_the_store_drops_what_was_used_longest_ago() -> None:
    hashes = [keep(bytes([k]) * 100) for k in range(4)]
    now = time.time()
    for age, name in zip((5, 4, 3, 0), hashes, strict=True):
        os.utime(store() / name, (now - age * 86_400.0,) * 2)
    # A use makes the oldest the youngest.
    keep(bytes([0]) * 100)
    trim_store(250)
    assert {p.name for p in store().iterdir()} == {hashes[0], hashes[3]}


def test_what_came_today_is_never_dropped() -> None:
    hashes = {keep(bytes([k]) * 100) for k in range(3)}
    trim_store(0)
    assert {p.name for p in store().iterdir()} == hashes


def test_a_full_disk_is_told(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    blocked = tmp_path / "file"
    blocked.write_text("no folder")
    monkeypatch.setattr(files, "_store", lambda: blocked)
    with pytest.raises(InputError, match="cannot be made"):
        keep(b"anything")


def test_links_out_of_the_folder_are_followed_neither_to_read_nor_to_write(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = b"[IBIS Ver] made up, somewhere else"
    digest = hashlib.sha256(data).hexdigest()
    outside, folder = tmp_path / "outside", tmp_path / "project"
    outside.mkdir()
    folder.mkdir()
    (outside / "mine.ibs").write_bytes(data)
    (folder / "devices").symlink_to(outside)
    file = DeviceFile(id="mine", path="devices/mine.ibs", sha256=digest)
    design = set_value(
        project.design, device_files=(file,), paths=(), buses=(), links=(), networks=(), groups=()
    )
    small = set_value(project, design=design, requirements=(), kept=())
    look_beside(small, folder)
    with pytest.raises(InputError, match="is not beside the project"):
        content_of(file)
    # Inside, a link is as good as a file.
    (folder / "devices").unlink()
    (folder / "real").mkdir()
    (folder / "real" / "mine.ibs").write_bytes(data)
    (folder / "devices").symlink_to("real")
    look_beside(small, folder)
    assert content_of(file).read() == data
    # Nor is anything written through such a link.
    (outside / "mine.ibs").unlink()
    (folder / "devices").unlink()
    (folder / "devices").symlink_to(outside)
    keep(data)
    with pytest.raises(InputError, match="outside the project's folder"):
        list(missing_files(small, folder))
    (folder / "devices").unlink()
    (folder / "devices").mkdir()
    (folder / "devices" / "mine.ibs").symlink_to(outside / "new.ibs")
    with pytest.raises(InputError, match="outside the project's folder"):
        list(missing_files(small, folder))
    assert list(outside.iterdir()) == []
