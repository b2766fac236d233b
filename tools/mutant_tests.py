"""Which tests a fault meets: those that touch its line, as measured, or the nearest files."""

from __future__ import annotations

import ast
import difflib
import json
import re
from dataclasses import dataclass
from functools import cache
from pathlib import Path

__all__ = ["Touched", "files_near"]

_MOST_FILES = 6
"""Files of tests that are run for one fault, the nearest first, where nothing is measured."""
_BUDGET_S = 60.0
"""Processor time, as measured, of the tests that are run for one fault."""
_MOST_TESTS = 120


def _rank(test: str, text: str, module: str) -> int:
    """How near a file of tests stands to a module: it names it, or stands in the same folder."""
    name = "onda." + module.removesuffix(".py").replace("/", ".")
    package, stem = name.rpartition(".")[0], Path(module).stem
    floor, subject = module.split("/")[0], module.split("/")[1].removesuffix(".py")
    below = test.split("/")[1:]
    rank = 8 if name in text else 0
    rank += 3 if package in text else 0
    rank += 3 if below[0] == floor and subject in "/".join(below) else 0
    rank += 2 if stem in Path(test).stem else 0
    rank += 1 if below[0] == floor else 0
    rank += 2 if f".{subject}." in text else 0
    return rank


@cache
def _files(tree: Path) -> dict[str, str]:
    return {
        str(test.relative_to(tree)): test.read_text(encoding="utf-8")
        for test in sorted((tree / "tests").rglob("test_*.py"))
        if "attack" not in test.parts
    }


def files_near(module: str, tree: Path) -> list[str]:
    """Files of tests that look at a module, the nearest first."""
    ranked = [
        (-_rank(test, text, module), len(text), test)
        for test, text in _files(tree).items()
        if _rank(test, text, module) >= 2
    ]
    return [test for _, _, test in sorted(ranked)[:_MOST_FILES]]


def _statement(source: str, line: int) -> tuple[int, int, bool]:
    """First line of the statement that a line stands in, the line, whether a test can touch it."""
    first, inside, compiled = line, False, False
    for node in ast.walk(ast.parse(source)):
        if not isinstance(node, ast.stmt) or node.end_lineno is None:
            continue
        if not node.lineno <= line <= node.end_lineno:
            continue
        if isinstance(node, ast.FunctionDef):
            # Default arguments and decorators are worked out when the module is loaded.
            inside = inside or line >= node.body[0].lineno
            compiled = compiled or any("jit" in ast.unparse(d) for d in node.decorator_list)
        first = node.lineno
    return first, line, inside and not compiled


def _inside(source: str) -> set[int]:
    """Lines of the bodies of functions."""
    out: set[int] = set()
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.FunctionDef):
            out.update(range(node.body[0].lineno, (node.end_lineno or 0) + 1))
    return out


def _then(lines: range, source: str, before: str) -> list[int]:
    """Where lines stood when they were measured; for a new one, the line above it."""
    if source == before:
        return list(lines)
    matcher = difflib.SequenceMatcher(None, source.splitlines(), before.splitlines(), False)
    out = []
    for line in lines:
        above = [b for b in matcher.get_matching_blocks() if b.a < line]
        last = above[-1] if above else None
        out.append(last.b + min(line - last.a, max(last.size, 1)) if last else 1)
    return out


@dataclass(frozen=True)
class Touched:
    """Tests by the lines that they touch, what each takes, and modules as they were then."""

    seconds: dict[str, float]
    lines: dict[str, dict[int, set[str]]]
    sources: dict[str, str]

    @classmethod
    def read(cls, folder: Path) -> Touched:
        """What `tests.touched` left, of all workers."""
        seconds: dict[str, float] = {}
        lines: dict[str, dict[int, set[str]]] = {}
        sources: dict[str, str] = {}
        for path in sorted(folder.glob("*.json")):
            told = json.loads(path.read_text(encoding="utf-8"))
            names = told["tests"]
            seconds |= dict(zip(names, told["seconds"], strict=True))
            sources |= told["sources"]
            for module, by_line in told["lines"].items():
                into = lines.setdefault(module, {})
                for line, tests in by_line.items():
                    into.setdefault(int(line), set()).update(names[t] for t in tests)
        return cls(seconds, lines, sources)

    def tests_of(self, module: str, line: int, source: str, tree: Path) -> list[str]:
        """Tests that touch a line, the nearest and shortest first; none where no test does.

        What was written since the lines were measured comes before them, where it is near.
        """
        return [*self._unmeasured(module, tree), *self._measured(module, line, source, tree)]

    def _unmeasured(self, module: str, tree: Path) -> list[str]:
        """Tests in the nearest files that were not there when lines were measured."""
        known = {t.partition("[")[0] for t in self.seconds}
        return [
            test
            for file in files_near(module, tree)
            for name in re.findall(r"^def (test_\w+)", _files(tree)[file], re.MULTILINE)
            if (test := f"{file}::{name}") not in known
        ]

    def _measured(self, module: str, line: int, source: str, tree: Path) -> list[str]:
        first, last, touchable = _statement(source, line)
        before = self.sources.get(module, source)
        by_line = self.lines.get(module, {})
        then = _then(range(first, last + 1), source, before)
        found = set[str]().union(*(by_line.get(k, set()) for k in then))
        # What runs in a process of its own is touched by tests that are not seen to do so.
        seen = any(by_line.get(k) for k in _inside(before))
        if not found and touchable and before == source:
            return [] if seen else files_near(module, tree)
        # What is worked out when a module is loaded, or compiled, is touched by whoever uses it.
        found = found or set[str]().union(*by_line.values())
        if not found:
            return files_near(module, tree)
        texts = _files(tree)
        near = {
            t: _rank(t, texts[t], module) for t in {f.split("::")[0] for f in found} & set(texts)
        }
        there = [t for t in found if t.split("::")[0] in near]
        # Near files have most of the time, by halves; then whatever is short. Behind them those
        # beside them, which may look at what a fixture or an earlier test has worked out.
        beside = [t for t in self.seconds if t.split("::")[0] in near and t not in found]
        out: list[str] = []
        left = _BUDGET_S
        for some in (there, beside):
            some.sort(
                key=lambda t: (
                    self.seconds[t] > 0.3 * _BUDGET_S,
                    -near[t.split("::")[0]],
                    self.seconds[t],
                )
            )
            for test in some:
                if self.seconds[test] <= left and len(out) < _MOST_TESTS:
                    out.append(test)
                    left -= self.seconds[test]
        return out
