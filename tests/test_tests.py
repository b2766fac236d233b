"""No test that cannot fail: what every test of this tree must have, looked at as a tree."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

HERE = Path(__file__).parent
CLAIMS = {"raises", "warns", "fail", "skip", "settle", "waitUntil", "waitSignal"}
"""Calls that fail by themselves."""


@cache
def _trees() -> tuple[tuple[Path, ast.Module], ...]:
    """Every file below, parsed once."""
    paths = sorted(HERE.rglob("*.py"))
    return tuple((path, ast.parse(path.read_text(encoding="utf-8"))) for path in paths)


@cache
def _tests() -> list[tuple[Path, ast.FunctionDef, ast.Module]]:
    out = []
    for path, tree in _trees():
        if not path.name.startswith("test_"):
            continue
        out += [
            (path, node, tree)
            for node in ast.walk(tree)
            if isinstance(node, ast.FunctionDef) and node.name.startswith("test")
        ]
    return out


def _called(node: ast.AST) -> Iterator[str]:
    for call in ast.walk(node):
        if isinstance(call, ast.Call):
            yield (
                call.func.attr
                if isinstance(call.func, ast.Attribute)
                else getattr(call.func, "id", "")
            )


def _claims(function: ast.FunctionDef, tree: ast.Module) -> bool:
    """Whether it asserts something, itself or by a helper of its file."""
    if any(isinstance(node, ast.Assert) for node in ast.walk(function)):
        return True
    if any("given" in ast.dump(decorator) for decorator in function.decorator_list):
        # Any input: whatever is raised but what it lets pass fails it.
        return True
    names = set(_called(function))
    if names & CLAIMS:
        return True
    helpers = [n for n in tree.body if isinstance(n, ast.FunctionDef) and n.name in names]
    return any(_claims(helper, tree) for helper in helpers if helper is not function)


def _is_true(node: ast.expr) -> bool:
    return isinstance(node, ast.Constant) and bool(node.value)


def _holds_always(test: ast.expr) -> str:
    """Why a claim cannot fail, empty where it can."""
    if isinstance(test, ast.Constant):
        return "a constant"
    if isinstance(test, ast.Tuple):
        return "a tuple, which is true"
    if isinstance(test, ast.IfExp) and (_is_true(test.body) or _is_true(test.orelse)):
        return "a branch that is true whatever comes"
    if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.Or):
        if any(_is_true(value) for value in test.values):
            return "or something true"
        shown = [ast.dump(value) for value in test.values]
        for value in test.values:
            turned = isinstance(value, ast.UnaryOp) and isinstance(value.op, ast.Not)
            if turned and ast.dump(value.operand) in shown:  # type: ignore[attr-defined]
                return "something or its opposite"
    if isinstance(test, ast.Compare) and len(test.ops) == 1:
        left, right = test.left, test.comparators[0]
        if ast.dump(left) == ast.dump(right):
            return "compared with itself"
        zero = isinstance(right, ast.Constant) and right.value == 0
        sized = isinstance(left, ast.Call) and getattr(left.func, "id", "") in ("len", "abs")
        if zero and sized and isinstance(test.ops[0], ast.GtE):
            return "a size of 0 or above"
    return ""


def test_every_test_claims_something() -> None:
    silent = [
        f"{path.relative_to(HERE)}: {function.name}"
        for path, function, tree in _tests()
        if not _claims(function, tree)
    ]
    assert silent == []


def test_no_claim_holds_whatever_comes() -> None:
    found = []
    for path, function, _ in _tests():
        for node in ast.walk(function):
            if isinstance(node, ast.Assert) and (why := _holds_always(node.test)):
                found.append(f"{path.relative_to(HERE)}:{node.lineno}: {why}")
    assert found == []


def test_no_picture_is_claimed_to_be_there_and_nothing_else() -> None:
    """That a picture is not null says nothing of what is on it."""
    found = []
    for path, function, _ in _tests():
        claims = [n.test for n in ast.walk(function) if isinstance(n, ast.Assert)]
        only = [c for c in claims if "isNull" in ast.dump(c)]
        if claims and len(only) == len(claims):
            found.append(f"{path.relative_to(HERE)}: {function.name}")
    assert found == []


@pytest.mark.parametrize(
    ("claim", "why"),
    [
        ("assert True", "constant"),
        ("assert x if c else True", "branch"),
        ("assert x.y == x.y", "itself"),
        ("assert a or True", "true"),
        ("assert a or not a", "opposite"),
        ("assert len(a) >= 0", "0 or above"),
        ("assert (a, 'words')", "tuple"),
        ("assert f(x) == f(x)", "itself"),
        ("assert a or b", ""),
        ("assert len(a) > 0", ""),
    ],
)
def test_what_is_looked_for_is_found(claim: str, why: str) -> None:
    node = ast.parse(claim).body[0]
    assert isinstance(node, ast.Assert)
    found = _holds_always(node.test)
    assert (why in found) if why else found == ""


def test_comparisons_of_arrays_say_their_room() -> None:
    """numpy's own 1e-8 is more than any picosecond or picofarad."""
    found = []
    for path, tree in _trees():
        for node in ast.walk(tree):
            if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Attribute):
                continue
            if node.func.attr in ("allclose", "isclose") and not any(
                k.arg in ("atol", "abs_tol", "rel_tol") for k in node.keywords
            ):
                found.append(f"{path.name}:{node.lineno}")
    assert found == []


@pytest.mark.parametrize("size", [1.0, 1e-9, 3e-12, 2e-15])
def test_nothing_is_approximately_a_picosecond_but_a_picosecond(size: float) -> None:
    assert size * (1.0 + 1e-7) == pytest.approx(size)
    assert size * (1.0 + 1e-4) != pytest.approx(size)
    assert [0.0, size] == pytest.approx([0.0, size])
    assert pytest.approx([0.0, size]) != [0.0, 0.0]
    assert pytest.approx({"x": size}) != {"x": 0.0}
    assert size * 1.009 == pytest.approx(size, rel=0.01)
    assert size * 1.011 != pytest.approx(size, rel=0.01)
    assert 2.0 * size == pytest.approx(size, abs=1.5 * size)
