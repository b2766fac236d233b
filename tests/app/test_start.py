"""What a start costs: the first look loads what it shows, and nothing that it does not."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from onda.studies.core.cache import ResultCache

_FIRST_LOOK = """
import json, os, sys
from onda.app.main import application
from onda.app.shell.window import MainWindow
from onda.demo import fulmar_project
app = application()
window = MainWindow(fulmar_project())
window.show()
while window.stages["paths"].result is None:
    app.processEvents()
window.grab()
if len(sys.argv) > 1:
    window.settle()
print(json.dumps(sorted(sys.modules)))
sys.stdout.flush()
window.close()
# The order in which a bare interpreter takes Qt apart is not what is looked at here.
os._exit(0)
"""
_NOT_YET = (
    "matplotlib", "lxml", "h5py", "skfem", "shapely", "scipy", "numba", "pint", "jinja2", "rich",
    "typer", "distributed", "dask", "yaml", "onda.report", "onda.cli", "onda.verification",
    "onda.app.stages.stackup", "onda.app.stages.lines", "onda.app.stages.networks",
    "onda.app.stages.eyes",
)  # fmt: skip
_MAY = {
    "PyQt6", "_cffi_backend", "annotated_types", "colorama", "numpy", "onda", "platformdirs",
    "pydantic", "pydantic_core", "pyqtgraph", "sip", "typing_extensions", "typing_inspection",
}  # fmt: skip


@pytest.fixture(scope="module")
def loaded(shared_cache: ResultCache, tmp_path_factory: pytest.TempPathFactory) -> set[str]:
    """Modules of a process that shows the demo with all results known."""
    home = tmp_path_factory.mktemp("start")
    (home / "onda").mkdir()
    (home / "onda" / "results").symlink_to(shared_cache.folder)
    here = os.environ | {"XDG_CACHE_HOME": str(home), "QT_QPA_PLATFORM": "offscreen"}
    for more in (["until all is known"], []):
        done = subprocess.run(
            [sys.executable, "-c", _FIRST_LOOK, *more],
            env=here, check=True, capture_output=True, text=True, timeout=120,
        )  # fmt: skip
    return set(json.loads(done.stdout.splitlines()[-1]))


def test_what_the_first_look_does_not_show_is_not_loaded(loaded: set[str]) -> None:
    assert sorted(loaded.intersection(_NOT_YET)) == []


def test_only_these_packages_are_loaded(loaded: set[str]) -> None:
    """A new package at the start is a decision, not an accident."""
    outside = Path(pytest.__file__).parent.parent
    tops = {name.split(".")[0] for name in loaded}
    installed = {p.name.split(".")[0] for p in outside.iterdir()} - {"_distutils_hack"}
    assert sorted((tops & installed) - _MAY) == []
