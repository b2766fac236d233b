"""Small faults put into the program one at a time: do the tests notice?

``python tools/mutants.py --seed 1 --count 40 --only engine`` draws faults of the kinds that real
bugs are (a sign, a factor, a dropped term or call, a limit, a wrong place, a turned condition, the
wrong one of two), each in a copy of the tree, and runs the tests that touch the line (``--touched
FOLDER``, after ``ONDA_TOUCHED=FOLDER python -m pytest -n 2 -p tests.touched``) or that stand
nearest to the module. What survives is listed with its line.
"""

from __future__ import annotations

import argparse
import ast
import json
import os
import random
import resource
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from mutant_tests import Touched, files_near

ROOT = Path(__file__).resolve().parent.parent
_SKIPPED = {"__init__.py", "__main__.py"}
_SECONDS = 400
"""Of processor time; what takes more never ends, and is noticed by whoever waits for it."""
_FILLS = "tests/studies/core/test_check.py::test_check_finds_the_seeded_faults_and_nothing_else"
"""A test that needs the results of the whole board."""
_UNITS = {1e-12, 1e-9, 1e-6, 1e-3, 1e3, 1e6, 1e9, 1e12, 100, 60}
"""Numbers that carry a value from one unit to another."""
_COMPARED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq, ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_COUNTED = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}
_PAIRS = (
    ("min", "max"), ("any", "all"), ("floor", "ceil"), ("argmin", "argmax"), ("minimum", "maximum"),
)  # fmt: skip
_CALLED = dict(_PAIRS) | {b: a for a, b in _PAIRS}


_DROPPED = {"emit", "connect", "append", "add", "clear", "extend", "update", "pop", "discard"}
"""Calls of others' methods without which something shown or kept is an old one."""


@dataclass(frozen=True)
class Fault:
    """A fault: file below the source, line, what was and what is, and the whole changed text."""

    module: str
    line: int
    was: str
    now: str
    text: str


def _is_words(node: ast.AST, parents: dict[ast.AST, ast.AST]) -> bool:
    """Whether a node only makes words, types or messages."""
    while node in parents:
        node = parents[node]
        if isinstance(node, ast.Raise | ast.JoinedStr | ast.AnnAssign | ast.arguments):
            return not (isinstance(node, ast.AnnAssign) and node.value is not None)
        if isinstance(node, ast.Assign) and any(
            isinstance(t, ast.Name) and t.id in ("__all__", "__slots__") for t in node.targets
        ):
            return True
        if isinstance(node, ast.FunctionDef | ast.ClassDef):
            return False
    return False


def _is_own(called: ast.expr) -> bool:
    """Whether a call does something that somebody would miss, not how something looks."""
    if not isinstance(called, ast.Attribute):
        return isinstance(called, ast.Name) and called.id.startswith("_")
    own = isinstance(called.value, ast.Name) and called.value.id == "self"
    return called.attr in _DROPPED or (own and not called.attr.startswith("set"))


def _alike(function: ast.FunctionDef) -> Iterator[tuple[ast.Attribute, ast.Attribute]]:
    """What a function reads of a thing, with something else that it reads of the same thing."""
    called = {id(n.func) for n in ast.walk(function) if isinstance(n, ast.Call)}
    read: dict[str, dict[str, ast.Attribute]] = {}
    for node in ast.walk(function):
        if not (isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name)):
            continue
        of, spoken = node.value.id, isinstance(node.ctx, ast.Load) and id(node) not in called
        if spoken and of[0].islower() and of not in ("self", "np", "math", "ast"):
            read.setdefault(of, {}).setdefault(node.attr, node)
    for nodes in read.values():
        several = list(nodes.values())
        for one, other in zip(several, several[1:] + several[:1], strict=True):
            if one is not other:
                yield one, other


def faults_in(path: Path, top: Path) -> Iterator[Fault]:
    """Every fault of a module below `top`."""
    source = path.read_text(encoding="utf-8")
    tree = ast.parse(source)
    parents = {child: node for node in ast.walk(tree) for child in ast.iter_child_nodes(node)}
    lines = source.splitlines(keepends=True)
    starts = [0]
    for line in lines:
        starts.append(starts[-1] + len(line.encode()))
    data = source.encode()

    def place(node: ast.expr) -> tuple[int, int]:
        assert node.end_lineno is not None
        assert node.end_col_offset is not None
        return (
            starts[node.lineno - 1] + node.col_offset,
            starts[node.end_lineno - 1] + node.end_col_offset,
        )

    def fault(node: ast.expr, now: str) -> Fault:
        first, last = place(node)
        was = data[first:last].decode()
        text = data[:first].decode() + now + data[last:].decode()
        return Fault(str(path.relative_to(top)), node.lineno, was, now, text)

    for node in ast.walk(tree):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
            if _is_own(node.value.func):
                yield fault(node.value, "None")
            continue
        if isinstance(node, ast.FunctionDef):
            for one, other in _alike(node):
                if not _is_words(one, parents):
                    yield fault(one, ast.unparse(other))
            continue
        if not isinstance(node, ast.expr) or _is_words(node, parents):
            continue
        if isinstance(node, ast.Compare) and len(node.ops) == 1:
            turned = _COMPARED.get(type(node.ops[0]))
            if turned is not None:
                new = ast.Compare(node.left, [turned()], node.comparators)
                yield fault(node, f"({ast.unparse(new)})")
        elif isinstance(node, ast.BinOp) and type(node.op) in _COUNTED:
            if isinstance(node.left, ast.Constant) and isinstance(node.left.value, str):
                continue
            new = ast.BinOp(node.left, _COUNTED[type(node.op)](), node.right)
            yield fault(node, f"({ast.unparse(new)})")
            if isinstance(node.op, ast.Add | ast.Sub):
                yield fault(node, f"({ast.unparse(node.left)})")
        elif isinstance(node, ast.BoolOp):
            new_op = ast.And() if isinstance(node.op, ast.Or) else ast.Or()
            yield fault(node, f"({ast.unparse(ast.BoolOp(new_op, node.values))})")
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.Not):
            yield fault(node, f"({ast.unparse(node.operand)})")
        elif isinstance(node, ast.Constant) and type(node.value) in (int, float):
            parent = parents.get(node)
            if isinstance(parent, ast.Subscript) and node.value in (0, -1):
                yield fault(node, "-1" if node.value == 0 else "0")
            elif path.is_relative_to(top / "app") and abs(node.value) not in _UNITS:
                # How far something is drawn from something else is for eyes to judge.
                continue
            elif node.value not in (0, 0.0) and not isinstance(parent, ast.keyword):
                yield fault(node, f"({2 * node.value!r})")
        elif isinstance(node, ast.Call):
            name = node.func
            called = name.attr if isinstance(name, ast.Attribute) else getattr(name, "id", "")
            if called in _CALLED:
                text = ast.unparse(node)
                at = text.index(called)
                yield fault(node, text[:at] + _CALLED[called] + text[at + len(called) :])


def _noticed(
    fault: Fault, tree: Path, results: Path, touched: Touched | None
) -> tuple[bool, float]:
    """Whether a test fails with the fault in a copy of the tree, and the seconds it took."""
    target = tree / "src" / "onda" / fault.module
    before = target.read_text(encoding="utf-8")
    tests = (
        files_near(fault.module, tree)
        if touched is None
        else touched.tests_of(fault.module, fault.line, before, tree)
    )
    target.write_text(fault.text, encoding="utf-8")
    began = time.monotonic()
    try:
        return bool(tests) and _fails(tests, tree, results), time.monotonic() - began
    finally:
        target.write_text(before, encoding="utf-8")


def _fails(tests: list[str], tree: Path, results: Path) -> bool:
    homes = {f"XDG_{k}_HOME": str(tree / f"home-{k.lower()}") for k in ("CACHE", "STATE", "CONFIG")}
    environment = os.environ | homes | {
        "PYTHONPATH": str(tree / "src"), "QT_QPA_PLATFORM": "offscreen",
        "PYTHONDONTWRITEBYTECODE": "1", "ONDA_TEST_RESULTS": str(results),
    }  # fmt: skip
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests]
    done = subprocess.run(
        command, cwd=tree, env=environment, capture_output=True, check=False,
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_CPU, (_SECONDS, _SECONDS)),
    )  # fmt: skip
    return done.returncode != 0


def drawn(seed: int, count: int, only: str, tree: Path) -> list[Fault]:
    """A sample of faults, as many of each package as it has a share of, one a module first."""
    rng, top = random.Random(seed), tree / "src" / "onda"
    modules = [
        p
        for p in sorted(top.rglob("*.py"))
        if p.name not in _SKIPPED and str(p.relative_to(top)).startswith(only)
        and len(p.relative_to(top).parts) > 1
    ]  # fmt: skip
    rng.shuffle(modules)
    out: list[Fault] = []
    while len(out) < count and modules:
        for path in list(modules):
            every = list(faults_in(path, top))
            if not every:
                modules.remove(path)
                continue
            out.append(rng.choice(every))
            if len(out) == count:
                break
    return out


def main() -> None:
    """Draw, run, list."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--count", type=int, default=40)
    parser.add_argument("--only", default="", help="package or module below onda")
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument(
        "--touched", type=Path, default=None,
        help="folder that `pytest -p tests.touched` left: tests are chosen by line",
    )  # fmt: skip
    parser.add_argument("--out", type=Path, default=None, help="JSON of what survived")
    asked = parser.parse_args()
    touched = None if asked.touched is None else Touched.read(asked.touched)
    with tempfile.TemporaryDirectory() as folder:
        trees, results = [], Path(folder) / "results"
        # Results are shared by faults that change nothing of what computes them.
        results.mkdir()
        for k in range(asked.jobs):
            tree = Path(folder) / str(k)
            # What is committed: the tree that is worked in may be changed meanwhile.
            tree.mkdir()
            archive = subprocess.run(
                ["git", "archive", "HEAD"], cwd=ROOT, capture_output=True, check=True
            )
            subprocess.run(["tar", "-x"], cwd=tree, input=archive.stdout, check=True)
            trees.append(tree)
        faults = drawn(asked.seed, asked.count, asked.only, trees[0])
        assert not _fails([_FILLS], trees[0], results), "the tests fail as they are"

        def run(pair: tuple[int, Fault]) -> tuple[Fault, bool]:
            number, fault = pair
            tree = trees.pop()
            try:
                noticed, took = _noticed(fault, tree, results, touched)
            finally:
                trees.append(tree)
            mark = "noticed " if noticed else "SURVIVED"
            words = f"{fault.module}:{fault.line}: {fault.was[:60]!r} -> {fault.now[:60]!r}"
            print(f"{number + 1:3} {mark} {took:4.0f} s  {words}", flush=True)
            return fault, noticed

        with ThreadPoolExecutor(asked.jobs) as pool:
            found = list(pool.map(run, enumerate(faults)))
    of, caught = Counter[str](), Counter[str]()
    for fault, noticed in found:
        package = fault.module.split("/")[0]
        of[package] += 1
        caught[package] += noticed
    for package in sorted(of):
        print(f"{package:12} {caught[package]} of {of[package]}")
    print(f"{'all':12} {sum(caught.values())} of {sum(of.values())}")
    if asked.out is not None:
        left = [
            {"module": f.module, "line": f.line, "was": f.was, "now": f.now}
            for f, noticed in found
            if not noticed
        ]
        asked.out.write_text(json.dumps(left, indent=1), encoding="utf-8")


if __name__ == "__main__":
    main()
