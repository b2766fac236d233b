"""Work that is at risk: edits without a pause, and a program that is ended from outside."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PyQt6.QtTest import QTest

from onda.app import document as module
from onda.app.document import Document
from onda.demo import fulmar_project
from onda.project.base import set_value
from onda.project.model import Project
from onda.project.recovery import kept_work, read_kept

_PROGRAM = """
import sys
from PyQt6.QtCore import QTimer
from onda.app.main import application
from onda.app.ending import Ending
from onda.app.shell.window import MainWindow
from onda.demo import fulmar_project
from onda.project.base import set_value
app = application()
window = MainWindow(fulmar_project())
ending = Ending(window.document.autosave_now, window.close)
ending.install()
window.show()
window.document.edit("rename", set_value(window.document.project, name="Kept by a signal"))
# In the middle of whatever the board asks for.
QTimer.singleShot(600, lambda: print("ready", flush=True))
code = app.exec() or ending.code
ending.uninstall()
sys.exit(code)
"""


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP, signal.SIGINT])
def test_a_signal_ends_the_program_and_keeps_the_work(tmp_path: Path, number: int) -> None:
    home = {f"XDG_{n}_HOME": str(tmp_path / n.lower()) for n in ("CACHE", "STATE", "CONFIG")}
    with subprocess.Popen(
        [sys.executable, "-c", _PROGRAM], stdout=subprocess.PIPE, text=True, env=os.environ | home
    ) as running:
        assert running.stdout is not None
        assert running.stdout.readline() == "ready\n"
        began = time.monotonic()
        running.send_signal(number)
        try:
            code = running.wait(30)
        finally:
            running.kill()
    # Two seconds are promised; the machine of this test may be a busy one.
    assert time.monotonic() - began < 10.0
    assert code == 128 + number
    kept = [p for p in tmp_path.rglob("*") if p.is_file() and b"Kept by a signal" in p.read_bytes()]
    assert kept


@pytest.fixture
def short(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(module, "_AUTOSAVE_AFTER_MS", 300)


def edited(document: Document, k: int) -> Project:
    return set_value(document.project, name=f"Edit {k}")


def test_edits_without_a_pause_do_not_put_autosave_off(qtbot, short) -> None:
    document = Document(fulmar_project())
    for k in range(12):
        document.edit("rename", edited(document, k))
        QTest.qWait(60)
    document.close()
    (entry,) = kept_work()
    kept = read_kept(entry)
    assert kept is not None
    # More than half of them came before the first autosave could have been put off by the rest.
    number = int(kept.project.name.split()[1])
    assert 2 <= number < 12


def test_turning_away_keeps_what_is_due_and_nothing_else(qtbot) -> None:
    document = Document(fulmar_project())
    document.autosave_if_due()
    assert not document._autosave.path.exists()
    document.edit("rename", edited(document, 1))
    document.autosave_if_due()
    assert not document._timer.isActive()
    document.close()
    (entry,) = kept_work()
    kept = read_kept(entry)
    assert kept is not None
    assert kept.project.name == "Edit 1"
