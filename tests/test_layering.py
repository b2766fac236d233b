"""What may import what, and what every module offers."""

from __future__ import annotations

import ast
import importlib
import pkgutil
import subprocess
import sys
from pathlib import Path

import grimp
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


LAYERS = (
    "errors", "engine", "formats", "verification", "project", "studies", "report", "demo", "app",
    "cli",
)  # fmt: skip
"""Packages of `onda`, from the lowest; each imports only what stands before it."""


@pytest.fixture(scope="module")
def graph() -> grimp.ImportGraph:
    """Imports of every module, those for types alone too."""
    return grimp.build_graph("onda", exclude_type_checking_imports=False)


def test_every_module_stands_in_a_layer() -> None:
    tops = {name.split(".")[1] for name in MODULES}
    assert tops - {"data"} == set(LAYERS)


def test_imports_go_one_way(graph: grimp.ImportGraph) -> None:
    rank = {name: k for k, name in enumerate(LAYERS)}
    wrong = []
    for name in sorted(graph.modules):
        own = rank.get([*name.split("."), ""][1])
        for other in graph.find_modules_directly_imported_by(name):
            theirs = rank.get([*other.split("."), ""][1])
            if own is not None and theirs is not None and theirs > own:
                wrong.append(f"{name} -> {other}")
    assert not wrong


def test_no_ring_of_imports_not_even_for_types(graph: grimp.ImportGraph) -> None:
    """Modules are taken away as long as one imports nothing that is left; none may stay."""
    left = {m: set(graph.find_modules_directly_imported_by(m)) for m in graph.modules}
    while True:
        done = {m for m, imports in left.items() if not imports & left.keys()}
        if not done:
            break
        left = {m: imports for m, imports in left.items() if m not in done}
    assert not left, f"in a ring, or above one: {sorted(left)}"


def test_the_application_sees_no_insides(graph: grimp.ImportGraph) -> None:
    wrong = [
        f"{name} -> {other}"
        for name in graph.modules
        if name.startswith("onda.app")
        for other in graph.find_modules_directly_imported_by(name)
        if other.startswith(("onda.engine", "onda.formats"))
    ]
    assert not wrong


def test_tests_mirror_the_packages() -> None:
    """A folder of tests for every package, and none for what is not there."""
    here = Path(__file__).parent
    source = Path(onda.__file__).parent
    for folder in sorted(p for p in here.rglob("*") if p.is_dir()):
        relative = folder.relative_to(here)
        if relative.parts[0] in ("walk", "attack", "__pycache__") or relative.parts[-1] in (
            "__pycache__",
            "data",
        ):
            continue
        assert (source / relative).is_dir(), f"tests/{relative} mirrors nothing"
    for package in LAYERS:
        if (source / package).is_dir():
            assert list((here / package).rglob("test_*.py")), f"nothing tests onda.{package}"


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
