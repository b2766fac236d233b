"""Writing files: links, rights, leftovers of killed processes, and what is said."""

from __future__ import annotations

import errno
import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from onda.errors import InputError
from onda.project.disk_state import DiskState
from onda.project.writing import remove_leftovers, write_atomically


def test_a_link_is_written_through(tmp_path: Path) -> None:
    (tmp_path / "far").mkdir()
    real, middle, link = (tmp_path / n for n in ("far/real.onda", "middle", "link.onda"))
    real.write_bytes(b"old")
    middle.symlink_to("far/real.onda")
    link.symlink_to("middle")
    write_atomically(link, b"new")
    assert real.read_bytes() == b"new"
    assert link.is_symlink()
    assert middle.is_symlink()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["far", "link.onda", "middle"]
    # One that leads to what is not there yet makes it.
    real.unlink()
    write_atomically(link, b"again")
    assert real.read_bytes() == b"again"


def test_a_link_to_itself_is_refused(tmp_path: Path) -> None:
    link = tmp_path / "a"
    link.symlink_to("a")
    with pytest.raises(InputError, match="back to itself"):
        write_atomically(link, b"x")


@pytest.mark.parametrize(("mask", "mode"), [(0o022, 0o644), (0o077, 0o600), (0o002, 0o664)])
def test_new_files_follow_the_mask(tmp_path: Path, mask: int, mode: int) -> None:
    before = os.umask(mask)
    try:
        write_atomically(tmp_path / "x", b"1")
    finally:
        os.umask(before)
    assert (tmp_path / "x").stat().st_mode & 0o777 == mode


def test_old_files_keep_their_mode_and_owner(tmp_path: Path) -> None:
    file = tmp_path / "x"
    file.write_bytes(b"1")
    file.chmod(0o640)
    owner = (os.geteuid(), os.getegid())
    if os.geteuid() == 0:
        owner = (1234, 1235)
        os.chown(file, *owner)
    write_atomically(file, b"2")
    about = file.stat()
    assert about.st_mode & 0o777 == 0o640
    assert (about.st_uid, about.st_gid) == owner


def test_what_is_set_read_only_stays(tmp_path: Path) -> None:
    file = tmp_path / "x"
    file.write_bytes(b"1")
    file.chmod(0o444)
    with pytest.raises(InputError, match=r"read only.*as it was"):
        write_atomically(file, b"2")
    assert file.read_bytes() == b"1"
    assert [p.name for p in tmp_path.iterdir()] == ["x"]


def test_a_folder_in_the_way_and_one_that_is_gone(tmp_path: Path) -> None:
    with pytest.raises(InputError, match="A folder has that name"):
        write_atomically(tmp_path, b"x")
    with pytest.raises(InputError, match="not there any more") as found:
        write_atomically(tmp_path / "gone" / "x", b"x")
    assert "space" not in str(found.value)
    with pytest.raises(InputError, match="shorter name"):
        write_atomically(tmp_path / ("x" * 300), b"x")


def test_a_full_disk_is_said_to_be_full(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(_: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(InputError, match="Free some space"):
        write_atomically(tmp_path / "x", b"x")
    assert list(tmp_path.iterdir()) == []


def test_leftovers_go_when_their_process_is_gone(tmp_path: Path) -> None:
    ended = subprocess.Popen([sys.executable, "-c", ""])
    ended.wait()
    left = tmp_path / f".x.onda.{ended.pid}-0123abcd.part"
    own = tmp_path / f".x.onda.{os.getpid()}-0123abcd.part"
    others = [tmp_path / n for n in (".x.onda.swp", "x.part", ".hidden")]
    for file in (left, own, *others):
        file.write_bytes(b"half")
    remove_leftovers(tmp_path)
    assert not left.exists()
    assert all(f.exists() for f in (own, *others))
    remove_leftovers(tmp_path / "gone")


_WRITER = """
import sys
from pathlib import Path
from onda.project.writing import write_atomically
file = Path(sys.argv[1])
print("go", flush=True)
k = 0
while True:
    k += 1
    write_atomically(file, bytes([k % 251]) * 300_000)
"""


def test_kills_while_writing_leave_a_whole_file_and_nothing_else(tmp_path: Path) -> None:
    file = tmp_path / "x.onda"
    dice = random.Random(7)
    for _ in range(12):
        writer = subprocess.Popen(
            [sys.executable, "-c", _WRITER, str(file)], stdout=subprocess.PIPE
        )
        assert writer.stdout is not None
        assert writer.stdout.readline() == b"go\n"
        time.sleep(dice.uniform(0.005, 0.08))
        writer.send_signal(signal.SIGKILL)
        writer.wait()
        writer.stdout.close()
        if file.exists():
            data = file.read_bytes()
            assert len(data) == 300_000
            assert len(set(data)) == 1
        remove_leftovers(tmp_path)
        assert [p.name for p in tmp_path.iterdir()] in ([], ["x.onda"])
    assert file.exists()


def test_a_file_is_another_when_its_content_is(tmp_path: Path) -> None:
    file = tmp_path / "x"
    assert DiskState.of(file) is None
    file.write_bytes(b"one")
    seen = DiskState.of(file)
    assert seen is not None
    assert seen.is_of(file)
    # Touched, but the same: not changed.
    os.utime(file, (1.0, 1.0))
    assert seen.is_of(file)
    file.write_bytes(b"two")
    assert not seen.is_of(file)
    file.unlink()
    assert seen.is_of(file)
