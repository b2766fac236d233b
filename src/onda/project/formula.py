"""Limits as formulas of the frequency: ``-(1.2 + 0.6*sqrt(f) + 0.9*f)``, f in GHz, result in dB.

A formula is parsed to a tree of a few known steps and evaluated by walking it; nothing is executed.
"""

from __future__ import annotations

import ast
import operator
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError

__all__ = ["evaluate", "read_formula"]

FloatArray = NDArray[np.float64]
_REMEDY = "Use numbers, f (GHz), + - * / **, sqrt, log10, log2, ln, exp, abs, min and max."
_OPERATORS: dict[type, Callable[[Any, Any], Any]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.Pow: operator.pow,
}
_FUNCTIONS: dict[str, tuple[Callable[..., Any], int]] = {
    "sqrt": (np.sqrt, 1),
    "log10": (np.log10, 1),
    "log2": (np.log2, 1),
    "ln": (np.log, 1),
    "exp": (np.exp, 1),
    "abs": (np.abs, 1),
    "min": (np.minimum, 2),
    "max": (np.maximum, 2),
}


@lru_cache(maxsize=512)
def read_formula(text: str) -> ast.expr:
    """Parse a formula; raise `InputError` where it is none."""
    if len(text) > 300:
        raise InputError("the formula is too long", remedy="At most 300 characters.")
    try:
        tree = ast.parse(text.strip().replace("^", "**").replace("−", "-"), mode="eval").body
        _check(tree, 0)
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        raise InputError(f"{text[:40]!r} is no formula", remedy=_REMEDY) from error
    return tree


def _check(node: ast.expr, depth: int) -> None:
    if depth > 40:
        raise InputError("the formula is nested too deeply")
    if isinstance(node, ast.Constant) and type(node.value) in (int, float):
        if abs(float(node.value)) > 1e12:  # type: ignore[arg-type]
            raise InputError("a number of the formula is too large")
        return
    if isinstance(node, ast.Name) and node.id == "f":
        return
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        _check(node.operand, depth + 1)
        return
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        _check(node.left, depth + 1)
        _check(node.right, depth + 1)
        return
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and not node.keywords:
        known = _FUNCTIONS.get(node.func.id)
        if known is not None and len(node.args) == known[1]:
            for argument in node.args:
                _check(argument, depth + 1)
            return
    raise InputError("the formula holds something unknown", remedy=_REMEDY)


def evaluate(text: str, frequency: FloatArray) -> FloatArray:
    """Value (f,) at frequencies (f,) in Hz.

    Raises
    ------
    InputError : not a formula, or not a finite number somewhere

    Examples
    --------
    >>> evaluate("-10 + 2*f", np.array([1e9])).tolist()
    [-8.0]
    """
    with np.errstate(all="ignore"):
        try:
            found = _value(read_formula(text), np.asarray(frequency, dtype=float) / 1e9)
            out = np.broadcast_to(np.asarray(found, dtype=float), np.shape(frequency)).copy()
        except (OverflowError, ZeroDivisionError, TypeError) as error:
            raise InputError(f"{text[:40]!r} cannot be evaluated ({error})") from error
    bad = ~np.isfinite(out)
    if bad.any():
        at = float(np.asarray(frequency)[bad][0]) / 1e9
        raise InputError(
            f"{text[:40]!r} has no value at {at:.4g} GHz", remedy="Let its range begin elsewhere."
        )
    return out


def _value(node: ast.expr, f: FloatArray) -> Any:
    if isinstance(node, ast.Constant):
        return float(node.value)  # type: ignore[arg-type]
    if isinstance(node, ast.Name):
        return f
    if isinstance(node, ast.UnaryOp):
        value = _value(node.operand, f)
        return -value if isinstance(node.op, ast.USub) else value
    if isinstance(node, ast.BinOp):
        return _OPERATORS[type(node.op)](
            np.float64(0) + _value(node.left, f), _value(node.right, f)
        )
    assert isinstance(node, ast.Call)
    assert isinstance(node.func, ast.Name)
    return _FUNCTIONS[node.func.id][0](*(_value(a, f) for a in node.args))
