"""What was open lately: the latest first, each once, and only what is still there."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSettings

from onda.app.recents import known_look, recent_files, remember_file, remember_look
from onda.project.shown_units import METRIC, ShownUnits, choose_units


def made(folder: Path, count: int) -> list[Path]:
    files = [folder / f"board {k}.onda" for k in range(count)]
    for file in files:
        file.write_text("x")
    return [f.resolve() for f in files]


def test_the_latest_comes_first_and_each_once(tmp_path: Path) -> None:
    assert recent_files() == []
    a, b, c = made(tmp_path, 3)
    for file in (a, b, c, a):
        remember_file(file)
    assert recent_files() == [a, c, b]
    # Another way of writing the same file is the same file.
    remember_file(tmp_path / "." / b.name)
    assert recent_files() == [b, a, c]


def test_eight_are_kept_and_what_is_gone_is_left_out(tmp_path: Path) -> None:
    files = made(tmp_path, 10)
    for file in files:
        remember_file(file)
    assert recent_files() == files[:1:-1]
    files[5].unlink()
    assert recent_files() == [f for f in files[:1:-1] if f != files[5]]


def test_settings_that_hold_one_name_alone_are_read(tmp_path: Path) -> None:
    (one,) = made(tmp_path, 1)
    QSettings("onda", "onda").setValue("recent", str(one))
    assert recent_files() == [one]


def test_the_look_is_remembered_with_its_units() -> None:
    assert known_look() == (False, METRIC)
    try:
        choose_units(ShownUnits("mil", "inch"))
        remember_look(night=True)
        assert known_look() == (True, ShownUnits("mil", "inch"))
        choose_units(METRIC)
        assert known_look() == (True, ShownUnits("mil", "inch"))
        remember_look(night=False)
        assert known_look() == (False, METRIC)
    finally:
        choose_units(METRIC)
    # What makes no sense is as usual.
    QSettings("onda", "onda").setValue("lengths", "cubits")
    QSettings("onda", "onda").setValue("losses", "furlong")
    assert known_look() == (False, METRIC)
