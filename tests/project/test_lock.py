"""Who has a file open: held as long as a process lives, and by one only."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from onda.project.lock import Hold, is_held, lock_beside


def test_one_holds_it_and_the_other_knows_who(tmp_path: Path) -> None:
    path = lock_beside(tmp_path / "a.onda")
    assert path == tmp_path / ".a.onda.open"
    one, other = Hold(path), Hold(path)
    assert one.take() is None
    assert one.take() is None
    assert one.is_mine
    found = other.take()
    assert found is not None
    assert found.process == os.getpid()
    assert found.user
    assert found.since > 1e9
    assert is_held(path)
    one.release()
    assert not path.exists()
    assert not is_held(path)
    assert other.take() is None
    other.release()
    other.release()


def test_links_lead_to_one_place(tmp_path: Path) -> None:
    (tmp_path / "real").mkdir()
    link = tmp_path / "link.onda"
    link.symlink_to(tmp_path / "real" / "a.onda")
    assert lock_beside(link) == tmp_path / "real" / ".a.onda.open"


@pytest.mark.parametrize(
    "content",
    [b"", b"[]", b"\xff", b'{"user": 1}', b'{"user": "x", "host": "y", "process": 1e999}'],
)
def test_a_holder_that_cannot_be_read_is_somebody(tmp_path: Path, content: bytes) -> None:
    path = tmp_path / "x"
    one, other = Hold(path), Hold(path)
    one.take()
    path.write_bytes(content)
    found = other.take()
    assert found is not None
    assert found.user == "somebody"
    one.release()


def test_where_nothing_can_be_written_nothing_is_held(tmp_path: Path) -> None:
    hold = Hold(tmp_path / "gone" / "x")
    assert hold.take() is None
    assert not hold.is_mine
    # A link in its place is not followed.
    (tmp_path / "target").write_text("mine")
    (tmp_path / "x").symlink_to(tmp_path / "target")
    hold = Hold(tmp_path / "x")
    assert hold.take() is None
    assert not hold.is_mine
    assert not is_held(tmp_path / "x")
    assert (tmp_path / "target").read_text() == "mine"
