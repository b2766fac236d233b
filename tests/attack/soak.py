"""Work in the real window for a long time: ``python -m tests.attack.soak --minutes 30``.

Random edits, undo, redo, other stages, objects and views, drags, cancels, sizes, saves, opens.
No exception, no warning of Qt, memory flat once it is warm, and nothing left when it closes.
"""

from __future__ import annotations

import argparse
import gc
import logging
import os
import random
import resource
import sys
import tempfile
import threading
import time
import traceback
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import (
    QCoreApplication,
    QEvent,
    QPoint,
    QSettings,
    Qt,
    QTimer,
    qInstallMessageHandler,
)
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QPushButton, QSlider

from onda.app.main import application
from onda.app.shell.window import MainWindow
from onda.demo import fulmar_project
from onda.project.store import save_project
from onda.studies.core.cache import ResultCache
from onda.studies.core.executors import threads
from onda.studies.core.held import Held

__all__ = ["Soak"]

_STAGES = ("stackup", "lines", "paths", "coupling", "networks", "eyes", "buses")
_CACHE = 2**24
"""Bytes of results in memory, so that it is full before the warm-up ends."""
_HELD = 2**21
"""The same of each function that holds what it made last."""
_TYPED = ("12", "50 ohm", "0.2 mm", "3 GHz", "banana", "", "-1", "1e9", "100 ps", "1 V", "none")
_PRESSED_NEVER = ("Report",)
_PAGE = resource.getpagesize()


def _rss() -> float:
    with open("/proc/self/statm", encoding="ascii") as about:
        return int(about.read().split()[1]) * _PAGE / 2**20


def _told(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> str:
    last = traceback.extract_tb(trace)[-3:]
    at = " < ".join(f"{Path(f.filename).name}:{f.lineno}" for f in reversed(last))
    return f"{kind.__name__}: {error} at {at}"


class Soak:
    """A window that is worked in at random; `folder` holds its file."""

    def __init__(self, seed: int, folder: Path) -> None:
        self.rng, self.folder = random.Random(seed), folder
        self.wrong: list[str] = []
        self.done: Counter[str] = Counter()
        self.app = application()
        self._before = sys.excepthook
        sys.excepthook = lambda kind, error, trace: self.wrong.append(_told(kind, error, trace))
        threading.excepthook = lambda a: self.wrong.append(f"{a.exc_type.__name__}: {a.exc_value}")
        qInstallMessageHandler(lambda _, __, words: self._qt_says(words or ""))
        self.file = folder / "fulmar.onda"
        save_project(fulmar_project(), self.file)
        for ask in ("getOpenFileName", "getSaveFileName"):
            # Nobody is there to answer.
            setattr(QFileDialog, ask, staticmethod(lambda *_, **__: ("", "")))
        QFileDialog.getExistingDirectory = staticmethod(lambda *_, **__: "")  # type: ignore[method-assign]
        self.window = self._open()
        self.acts: list[tuple[int, Callable[[], None]]] = [
            (12, self.trim), (8, self.type), (8, self.undo), (4, self.redo), (8, self.turn_stage),
            (8, self.turn_object), (6, self.turn_view), (6, self.drag), (3, self.cancel),
            (2, self.resize), (2, self.keep), (1, self.save), (1, self.reopen), (2, self.night),
            (4, self.press),
        ]  # fmt: skip

    def _open(self) -> MainWindow:
        window = MainWindow(
            fulmar_project(), None, place=threads(2),
            cache=ResultCache(self.folder / "cache", memory_bytes=_CACHE),
        )  # fmt: skip
        window.show()
        return window

    def _qt_says(self, words: str) -> None:
        # Without a screen there is no window to raise; with one there is no such sentence.
        if not words.startswith("This plugin does not support"):
            self.wrong.append(f"Qt: {words}")

    # ---- what is done

    def _visible(self, kind: type) -> list:  # type: ignore[type-arg]
        stage = self.window._shown_stage
        place = stage.inspector if stage is not None and stage.inspector is not None else None
        return [w for w in place.findChildren(kind) if w.isVisible()] if place is not None else []

    def trim(self) -> None:
        for slider in self._visible(QSlider)[:1]:
            span = slider.maximum() - slider.minimum()
            for _ in range(self.rng.randint(1, 4)):
                slider.setValue(slider.minimum() + round(self.rng.random() * span))
                self.app.processEvents()

    def type(self) -> None:
        fields = [f for f in self._visible(QLineEdit) if f.isEnabled()]
        if fields:
            field = self.rng.choice(fields)
            field.setText(self.rng.choice(_TYPED))
            field.editingFinished.emit()

    def undo(self) -> None:
        for _ in range(self.rng.randint(1, 5)):
            self.window.undo()

    def redo(self) -> None:
        self.window.redo()

    def turn_stage(self) -> None:
        self.window.selection.go(self.rng.choice(_STAGES))

    def turn_object(self) -> None:
        stage = self.window._shown_stage
        rows = stage.rows() if stage is not None else []
        if rows:
            self.window.selection.choose(self.rng.choice(list(rows)).id, stage.info.id)

    def turn_view(self) -> None:
        stage = self.window._shown_stage
        chips = getattr(stage, "chips", None)
        if chips is not None:
            shown = [b for b in chips.findChildren(QPushButton) if b.isVisible()]
            if shown:
                self.rng.choice(shown).click()

    def drag(self) -> None:
        widget = QApplication.widgetAt(self.window.mapToGlobal(self._point()))
        if widget is None or isinstance(widget, QPushButton | QLineEdit):
            return
        wide, high = max(widget.width(), 1), max(widget.height(), 1)
        start = QPoint(self.rng.randrange(wide), self.rng.randrange(high))
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
        for k in range(4):
            QTest.mouseMove(widget, start + QPoint(6 * k, 3 * k))
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=start + QPoint(18, 9))

    def _point(self) -> QPoint:
        return QPoint(self.rng.randrange(220, 1000), self.rng.randrange(110, 700))

    def cancel(self) -> None:
        self.window.desk.cancel_all()

    def resize(self) -> None:
        self.window.resize(self.rng.randint(1280, 1900), self.rng.randint(720, 1100))

    def keep(self) -> None:
        if len(self.window.document.project.kept) < 6:
            self.window.keep()

    def save(self) -> None:
        self.window.document.autosave_now()
        if self.window.document.path is not None:
            self.window.document.accept_outside()
            self.window.opening.save()

    def reopen(self) -> None:
        if self.rng.random() < 0.5:
            self.window.load(self.file)
        else:
            self.window.opening.open_demo()

    def night(self) -> None:
        self.window.look.set_night(not self.window.look.is_night)

    def press(self) -> None:
        buttons = [
            b for b in self._visible(QPushButton)
            if b.isEnabled() and not any(word in b.text() for word in _PRESSED_NEVER)
        ]  # fmt: skip
        if buttons:
            self.rng.choice(buttons).click()

    def warm(self) -> None:
        """Look at every view of every stage by day and by night, so that it is made and loaded."""
        for _ in range(2):
            for stage in _STAGES:
                self.window.selection.go(stage)
                self.rest(0.5)
                shown = self.window._shown_stage
                chips = getattr(shown, "chips", None)
                for chip in chips.findChildren(QPushButton) if chips is not None else ():
                    if chip.isVisible():
                        chip.click()
                        self.rest(1.0)
            self.night()

    # ---- the run

    def act(self) -> None:
        """Do one thing, and let what it began go on for a while."""
        weights, acts = zip(*self.acts, strict=True)
        act = self.rng.choices(acts, weights)[0]
        self.done[act.__name__] += 1
        before = len(self.wrong)
        try:
            act()
        except Exception as error:  # noqa: BLE001 - every kind is what is looked for
            self.wrong.append(_told(type(error), error, error.__traceback__))
        self.rest(self.rng.choice((0.0, 0.02, 0.3)))
        # Dialogs would wait for ever.
        for widget in QApplication.topLevelWidgets():
            if widget is not self.window and widget.isVisible() and widget.isModal():
                widget.close()
        for k in range(before, len(self.wrong)):
            self.wrong[k] = f"{sum(self.done.values())} {act.__name__}: {self.wrong[k]}"
            print(f"  {self.wrong[k]}", flush=True)

    def rest(self, seconds: float) -> None:
        """Let events go on."""
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            self.app.processEvents()
            time.sleep(0.002)
        # No event loop of Qt's own runs here, which would take away what is to be deleted.
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def left(self) -> tuple[int, int, int]:
        """Close the window; widgets, threads and open files that are still there."""
        self.window.close()
        active = [t for t in self.window.findChildren(QTimer) if t.isActive()]
        if active:
            self.wrong.append(f"{len(active)} timers go on")
        gone = self.window
        gone.deleteLater()
        del self.window
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        self.app.processEvents()
        gc.collect()
        if not sip.isdeleted(gone):
            self.wrong.append("the window is still there")
        files = len(os.listdir("/proc/self/fd"))
        return len(QApplication.allWidgets()), threading.active_count(), files

    def again(self) -> None:
        """Another window."""
        self.window = self._open()

    def end(self) -> None:
        """Everything as before."""
        qInstallMessageHandler(None)
        sys.excepthook = self._before


def main() -> int:
    """0 where nothing went wrong."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--minutes", type=float, default=30.0)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    parser.add_argument("--acts", type=int, default=0, help="so many things instead of minutes")
    given = parser.parse_args()
    logging.disable(logging.CRITICAL)
    with tempfile.TemporaryDirectory() as place:
        for variable in ("XDG_CACHE_HOME", "XDG_STATE_HOME"):
            os.environ[variable] = str(Path(place) / variable)
        for form in (QSettings.Format.NativeFormat, QSettings.Format.IniFormat):
            QSettings.setPath(form, QSettings.Scope.UserScope, place)
        soak = Soak(given.seed, Path(place))
        print(f"seed {given.seed}", flush=True)
        for stage in _STAGES:
            soak.window.selection.go(stage)
            soak.rest(1.0)
        # What functions hold is full long before the measurement begins.
        for one in [x for x in gc.get_objects() if isinstance(x, Held)]:
            one._most = min(one._most, _HELD)
        first = soak.left()
        soak.again()
        if not given.acts:
            # Only what is measured needs to be warm.
            soak.warm()
        began, samples, told = time.monotonic(), [], 0.0
        while (
            sum(soak.done.values()) < given.acts
            if given.acts
            else time.monotonic() - began < 60.0 * given.minutes
        ):
            soak.act()
            minutes = (time.monotonic() - began) / 60.0
            if minutes - told >= 0.25:
                told = minutes
                samples.append((minutes, _rss()))
                told_of = f"{sum(soak.done.values())} acts, {len(soak.wrong)} wrong"
                print(f"{minutes:5.1f} min {samples[-1][1]:7.1f} MB {told_of}", flush=True)
        last = soak.left()
        soak.end()
        warm = [s for s in samples if s[0] > 0.35 * given.minutes]
        slope = float(np.polyfit(*zip(*warm, strict=True), 1)[0]) if len(warm) > 3 else 0.0
        print(f"acts: {dict(soak.done)}")
        print(f"memory {slope:+.2f} MB a minute once warm")
        print(
            f"widgets, threads, files left: {first} after the first window, {last} after the work"
        )
        for one in soak.wrong[:20]:
            print(f"  {one}")
        grown = any(b > a + extra for a, b, extra in zip(first, last, (0, 0, 2), strict=True))
        return 1 if soak.wrong or slope >= 1.0 or grown else 0


if __name__ == "__main__":
    sys.exit(main())
