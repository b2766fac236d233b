"""What may import what, and what every module offers."""

from __future__ import annotations

import ast
import importlib
import pkgutil
import subprocess
import sys

import pytest

import onda

MODULES = sorted(
    m.name for m in pkgutil.walk_packages(onda.__path__, "onda.") if not m.name.endswith("__main__")
)


@pytest.mark.parametrize(
    "package", ["onda.engine", "onda.project.store", "onda.studies.core.check"]
)
def test_lower_packages_load_without_qt(package: str) -> None:
    """Proved in a process of its own: no Qt and no plotting comes in."""
    code = (
        f"import importlib, sys; importlib.import_module({package!r}); "
        "top = {m.split('.')[0] for m in sys.modules}; "
        "bad = top & {'PyQt6', 'pyqtgraph', 'matplotlib'}; "
        "sys.exit(str(bad) if bad else 0)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


@pytest.mark.parametrize("name", MODULES)
def test_modules_say_what_they_are_for_and_sort_what_they_offer(name: str) -> None:
    module = importlib.import_module(name)
    assert module.__doc__
    offered = getattr(module, "__all__", None)
    if offered is not None:
        assert len(set(offered)) == len(offered)
        for item in offered:
            assert hasattr(module, item), f"{name}.__all__ names {item}, which is not there"


def test_no_bare_except_and_no_pickle() -> None:
    """Nothing is swallowed whole and nothing of a project is ever executed."""
    for name in MODULES:
        file = importlib.import_module(name).__file__
        assert file is not None
        with open(file, encoding="utf-8") as stream:
            tree = ast.parse(stream.read())
        for node in ast.walk(tree):
            assert not (isinstance(node, ast.ExceptHandler) and node.type is None), name
            if isinstance(node, ast.Import):
                assert not {a.name for a in node.names} & {"pickle", "marshal", "shelve"}, name
