"""Parts that paint themselves paint anew whenever something else is to be shown."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

APP = Path(__file__).parents[2] / "src" / "onda" / "app"


def _calls(function: ast.FunctionDef) -> set[str]:
    """Methods of its own that a function calls."""
    return {
        node.func.attr
        for node in ast.walk(function)
        if isinstance(node, ast.Call)
        and isinstance(node.func, ast.Attribute)
        and isinstance(node.func.value, ast.Name)
        and node.func.value.id == "self"
    }


def _keeps(function: ast.FunctionDef) -> set[str]:
    """What a function sets of what is kept."""
    targets = [
        target
        for node in ast.walk(function)
        if isinstance(node, ast.Assign | ast.AugAssign)
        for target in (node.targets if isinstance(node, ast.Assign) else [node.target])
    ]
    inner = [x for t in targets for x in (t.elts if isinstance(t, ast.Tuple) else [t])]
    return {
        x.attr
        for x in inner
        if isinstance(x, ast.Attribute) and isinstance(x.value, ast.Name) and x.value.id == "self"
    }


def _reads(function: ast.FunctionDef) -> set[str]:
    """What a function reads of what is kept."""
    return {
        x.attr
        for x in ast.walk(function)
        if isinstance(x, ast.Attribute) and isinstance(x.value, ast.Name) and x.value.id == "self"
        and isinstance(x.ctx, ast.Load)
    }  # fmt: skip


def _painted() -> list[tuple[str, ast.ClassDef]]:
    return [
        (f"{path.relative_to(APP)}:{node.name}", node)
        for path in sorted(APP.rglob("*.py"))
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(node, ast.ClassDef)
        and any(isinstance(x, ast.FunctionDef) and x.name == "paintEvent" for x in node.body)
    ]


PAINTED = _painted()
UNASKED = {"__init__", "resizeEvent"}
"""Behind these everything is painted anyway."""


def test_there_are_such_parts() -> None:
    assert len(PAINTED) > 25


@pytest.mark.parametrize(("where", "part"), PAINTED, ids=[where for where, _ in PAINTED])
def test_what_has_looks_is_painted_anew_with_others(where: str, part: ast.ClassDef) -> None:
    """By day, by night: who paints with looks hears of others."""
    source = ast.unparse(part)
    if "self._look" not in source or not any(
        isinstance(x, ast.FunctionDef) and x.name == "__init__" and "look: Look" in ast.unparse(x)
        for x in part.body
    ):
        return
    assert "look.changed" in source, where


@pytest.mark.parametrize(("where", "part"), PAINTED, ids=[where for where, _ in PAINTED])
def test_what_is_shown_anew_is_painted_anew(where: str, part: ast.ClassDef) -> None:
    """Whoever sets what painting reads asks for it, by itself or by another method."""
    methods = {x.name: x for x in part.body if isinstance(x, ast.FunctionDef)}
    asks = {"update", "repaint"}
    while more := {n for n, x in methods.items() if n not in asks and _calls(x) & asks}:
        asks |= more
    paints = {"paintEvent"}
    while more := {c for n in paints for c in _reads(methods[n]) & methods.keys()} - paints:
        paints |= more
    read = set().union(*(_reads(methods[n]) for n in paints))
    silent = {
        n: sorted(_keeps(x) & read)
        for n, x in methods.items()
        if n not in asks | paints | UNASKED and _keeps(x) & read
    }
    assert silent == {}, where
