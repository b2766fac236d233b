"""Shared examples and guards: nothing is written outside a temporary folder, no thread is left."""

from __future__ import annotations

import fcntl
import os
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# As the program sets it; here before anything else loads numpy.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OMP_NUM_THREADS", "1")

import numpy as np
from hypothesis import settings

from onda.demo import fulmar_project
from onda.project.model import Project
from onda.studies.core.cache import ResultCache
from onda.studies.core.check import check_project
from onda.studies.core.executors import here, threads
from onda.studies.core.keys import fingerprint
from onda.studies.core.runner import StudyRunner

_approx = pytest.approx


def approx(expected: Any, rel: float | None = None, abs: float | None = None, **more: Any) -> Any:  # noqa: A002
    """`pytest.approx` whose default room is a share of what is expected.

    Its own 1e-12 is more than many a picosecond or picofarad here: zero would pass for them.
    """
    if abs is None:
        numbers = list(expected.values()) if isinstance(expected, dict) else expected
        try:
            sizes = np.abs(np.asarray(list(np.atleast_1d(numbers)), dtype=complex))
        except (TypeError, ValueError):
            sizes = np.zeros(0)
        largest = float(sizes[np.isfinite(sizes)].max(initial=0.0))
        if largest > 0.0:
            # With room of its own alone, a share of the value would be none.
            rel = 1e-6 if rel is None else rel
            abs = min(1e-12, rel * largest)  # noqa: A001
    return _approx(expected, rel=rel, abs=abs, **more)


pytest.approx = approx

settings.register_profile("onda", deadline=None, max_examples=60)
settings.load_profile("onda")


_TESTS = Path(__file__).parent
_WHOLE_BOARD = "test_check_finds_the_seeded_faults_and_nothing_else"
"""Computes all that windows find: it comes first, and windows last, so that nobody waits for it."""


_FIRST = ("engine", "formats", "project")
_LATE = ("studies", "cli", "report")
"""Folders whose tests compute nothing of the board, and those that compute parts of it."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What fills the shared results before all, what needs them behind all else; in between what
    would compute the same once more in another worker comes late."""

    def place(item: pytest.Item) -> int:
        if item.name == _WHOLE_BOARD:
            return 0
        if "shared_cache" in getattr(item, "fixturenames", ()):
            return 4
        folder = item.path.relative_to(_TESTS).parts[0]
        return 1 if folder in _FIRST else 3 if folder in _LATE else 2

    items.sort(key=place)


@pytest.fixture(autouse=True)
def _own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Caches, logs and autosaves of a test stay in its own folder."""
    for name in ("CACHE", "STATE", "CONFIG", "DATA"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / name.lower()))


@pytest.fixture(autouse=True)
def _no_thread_left() -> Iterator[None]:
    """A test must end the threads that it starts."""
    before = set(threading.enumerate())
    yield
    left = [t for t in threading.enumerate() if t not in before and t.name.startswith("onda")]
    assert not left, f"threads left running: {left}"


@pytest.fixture(scope="session")
def project() -> Project:
    """Fulmar. Frozen, so one serves all tests."""
    return fulmar_project()


@pytest.fixture(scope="session")
def results_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where results are shared by the workers of a session.

    `ONDA_TEST_RESULTS` names a folder that sessions share; keys follow the sources that compute.
    """
    base = tmp_path_factory.getbasetemp()
    own = base.parent if os.environ.get("PYTEST_XDIST_WORKER") else base
    return Path(os.environ.get("ONDA_TEST_RESULTS", own))


@pytest.fixture(scope="session")
def result_store(results_folder: Path) -> ResultCache:
    """What any test has computed, each once."""
    return ResultCache(results_folder / "results")


@pytest.fixture(scope="session")
def shared_cache(results_folder: Path, result_store: ResultCache, project: Project) -> ResultCache:
    """The same with all that Fulmar's requirements need, for windows: one worker fills it."""
    done = results_folder / f"results-{fingerprint()}.done"
    with (results_folder / "results.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not done.exists():
            runner = StudyRunner(threads(), result_store)
            check_project(project, runner)
            runner.close()
            done.touch()
    return result_store


@pytest.fixture
def runner(result_store: ResultCache) -> StudyRunner:
    """Runs studies at once, in this thread."""
    return StudyRunner(here(), result_store)


@pytest.fixture
def results_at_hand(monkeypatch: pytest.MonkeyPatch, result_store: ResultCache) -> None:
    """Commands, and windows that they open, find what tests before have computed."""
    for module in ("onda.studies.core.cache", "onda.app.shell.window"):
        monkeypatch.setattr(f"{module}.ResultCache", lambda *a, **k: result_store)
