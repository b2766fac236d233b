"""Parameters of an executable model: what they are, what they may be, what is sent to the library.

IBIS 7.2, section 10: usages Info, In, Out, InOut; types Float, UI, Integer, String, Boolean, Tap;
formats Value, Range, Corner, List, Increment, Steps, Table and the distributions, which inform.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from onda.errors import InputError
from onda.formats.ami.tree import Branch, parse_tree

__all__ = ["AmiFile", "Parameter", "read_ami"]

_CORNERS = {"typ": 0, "slow": 1, "fast": 2}
_USAGES = ("info", "in", "out", "inout")
_TYPES = ("float", "ui", "integer", "string", "boolean", "tap")
_FORMATS = ("value", "range", "corner", "list", "increment", "steps", "table", "gaussian",
            "dual-dirac", "djrj")  # fmt: skip
_ABOUT = {"description", "usage", "type", "default", "format", "list_tip", "labels"}
_SECTIONS = ("reserved_parameters", "model_specific")


@dataclass(frozen=True, slots=True)
class Parameter:
    """One parameter.

    Attributes
    ----------
    path : branches to it and its own name, below Reserved_Parameters or Model_Specific
    kind : of `_TYPES`; form : of `_FORMATS`; values : as written behind the format
    default : as written, None where there is none
    reserved : whether the standard says what it means
    """

    path: tuple[str, ...]
    usage: str
    kind: str
    form: str
    values: tuple[str, ...]
    default: str | None
    line: int
    reserved: bool
    description: str = ""

    @property
    def name(self) -> str:
        """Its path with points."""
        return ".".join(self.path)

    @property
    def is_sent(self) -> bool:
        """Whether the library is told."""
        return self.usage in ("in", "inout")

    def at(self, corner: str) -> str:
        """What it is at a corner where nobody sets it, as written."""
        if self.form == "corner" and len(self.values) == len(_CORNERS):
            return self.values[_CORNERS[corner]]
        if self.default is not None:
            return self.default
        return self.values[0] if self.values else ""

    def checked(self, typed: str) -> str:
        """A typed value as it is sent; raise `InputError` where it cannot be."""
        if self.kind == "boolean":
            if typed.lower() not in ("true", "false"):
                raise InputError(f"{self.name} is True or False, not {typed!r}")
            return typed.capitalize()
        if self.kind == "string":
            if self.form == "list" and typed not in self.values:
                raise InputError(f"{self.name}: {typed!r}", remedy=f"One of {self._listed}.")
            return typed
        number = _number(typed)
        if number is None:
            raise InputError(f"{self.name} is a number, not {typed!r}")
        if self.kind == "integer" and number != math.floor(number):
            raise InputError(f"{self.name} is a whole number, not {typed}")
        known = [x for x in map(_number, self.values) if x is not None]
        if self.form in ("range", "increment", "steps") and len(known) >= 3:
            low, high = known[1], known[2]
            if not low <= number <= high:
                raise InputError(f"{self.name} lies between {low:g} and {high:g}, not at {typed}")
        if self.form == "list" and known and number not in known:
            raise InputError(f"{self.name}: {typed}", remedy=f"One of {self._listed}.")
        return typed

    @property
    def _listed(self) -> str:
        return ", ".join(self.values[:12])

    def sent(self, value: str) -> str:
        """A value as the library reads it."""
        if self.kind == "string":
            return f'"{value}"'
        return value.capitalize() if self.kind == "boolean" else value


def _number(text: str) -> float | None:
    try:
        value = float(text)
    except ValueError:
        return None
    return value if math.isfinite(value) else None


@dataclass(frozen=True, slots=True)
class AmiFile:
    """A parameter file."""

    root: str
    parameters: tuple[Parameter, ...]
    name: str

    def find(self, name: str) -> Parameter:
        """A parameter by its path with points, or by its own name where only one has it.

        Raises
        ------
        InputError : there is none, or there are several
        """
        wanted = name.lower()
        exact = [p for p in self.parameters if p.name.lower() == wanted]
        found = exact or [p for p in self.parameters if p.path[-1].lower() == wanted]
        if len(found) == 1:
            return found[0]
        names = ", ".join(p.name for p in (found or self.parameters) if p.is_sent)
        what = (
            f"there is no parameter {name!r}" if not found else f"{name!r} is there several times"
        )
        raise InputError(what, file=self.name, remedy=f"One of {names or 'none'}.")

    def reserved(self, name: str, corner: str = "typ") -> str | None:
        """Value of a reserved parameter, None where the file does not have it."""
        wanted = name.lower()
        for p in self.parameters:
            if p.reserved and p.path[-1].lower() == wanted:
                return p.at(corner)
        return None

    def says(self, name: str) -> bool:
        """Whether a reserved Boolean is there and true."""
        return (self.reserved(name) or "").lower() == "true"

    def values(self, settings: Mapping[str, str], corner: str = "typ") -> dict[str, str]:
        """What is sent, by name.

        Raises
        ------
        InputError : a setting that there is not, that is not sent, or out of its range
        """
        if corner not in _CORNERS:
            raise InputError(f"{corner!r} is no corner", remedy="typ, slow or fast.")
        chosen = {}
        for name, typed in settings.items():
            parameter = self.find(name)
            if not parameter.is_sent:
                raise InputError(
                    f"{parameter.name} is for information: it cannot be set", file=self.name
                )
            chosen[parameter.name] = parameter.checked(typed)
        return {p.name: chosen.get(p.name, p.at(corner)) for p in self.parameters if p.is_sent}

    def sent(self, settings: Mapping[str, str], corner: str = "typ") -> str:
        """The string of parameters for the library."""
        tree: dict[str, object] = {}
        known = {p.name: p for p in self.parameters}
        for name, value in self.values(settings, corner).items():
            parameter = known[name]
            at: dict[str, object] = tree
            for branch in parameter.path[:-1]:
                at = at.setdefault(branch, {})  # type: ignore[assignment]
            at[parameter.path[-1]] = parameter.sent(value)
        return f"({self.root} {_written(tree)})" if tree else f"({self.root})"


def _written(tree: Mapping[str, object]) -> str:
    parts = (
        f"({name} {_written(value) if isinstance(value, dict) else value})"
        for name, value in tree.items()
    )
    return " ".join(parts)


def read_ami(data: bytes, name: str) -> AmiFile:
    """Read a parameter file.

    Raises
    ------
    InputError : it is none, with file, line and remedy
    """
    root = parse_tree(data, name)
    found: list[Parameter] = []
    for section in root.branches:
        if section.name.lower() not in _SECTIONS:
            continue
        reserved = section.name.lower() == _SECTIONS[0]
        for branch in section.branches:
            found += _parameters(branch, (), name, reserved)
    if not found and not any(b.name.lower() in _SECTIONS for b in root.branches):
        raise InputError(
            "has neither Reserved_Parameters nor Model_Specific",
            file=name,
            line=root.line,
            remedy="Give the .ami file of the model.",
        )
    seen: set[str] = set()
    for p in found:
        if p.name.lower() in seen:
            raise InputError(f"{p.name} is there twice", file=name, line=p.line)
        seen.add(p.name.lower())
    return AmiFile(root.name, tuple(found), name)


def _parameters(
    branch: Branch, path: tuple[str, ...], file: str, reserved: bool
) -> Iterator[Parameter]:
    usage = branch.find("usage")
    own = (*path, branch.name)
    if usage is None:
        for inner in branch.branches:
            if inner.name.lower() not in _ABOUT:
                yield from _parameters(inner, own, file, reserved)
        return
    yield _parameter(branch, own, file, reserved)


def _parameter(branch: Branch, path: tuple[str, ...], file: str, reserved: bool) -> Parameter:
    def word(name: str, among: tuple[str, ...], usual: str) -> str:
        found = branch.find(name)
        value = (found.words[0] if found is not None and found.words else usual).lower()
        if value not in among:
            raise InputError(
                f"{path[-1]}: {name} {value!r}",
                file=file,
                line=found.line if found is not None else branch.line,
                remedy=f"One of {', '.join(among)}.",
            )
        return value

    kind = word("type", _TYPES, "float")
    form = "value"
    values: tuple[str, ...] = ()
    given = branch.find("format")
    if given is not None and given.words:
        form, values = given.words[0].lower(), given.words[1:]
    else:
        for inner in branch.branches:
            if inner.name.lower() in _FORMATS:
                form, values = inner.name.lower(), inner.words
                break
    if form not in _FORMATS:
        raise InputError(
            f"{path[-1]}: there is no format {form!r}", file=file, line=branch.line,
            remedy=f"One of {', '.join(_FORMATS)}.",
        )  # fmt: skip
    if form in ("range", "corner") and len(values) != 3:
        raise InputError(
            f"{path[-1]}: {form} has {len(values)} values, 3 are needed",
            file=file,
            line=branch.line,
        )
    usual = branch.find("default")
    default = usual.words[0] if usual is not None and usual.words else None
    about = branch.find("description")
    made = Parameter(
        path,
        word("usage", _USAGES, "info"),
        kind,
        form,
        tuple(values),
        default,
        branch.line,
        reserved,
        " ".join(about.words) if about is not None else "",
    )
    if made.is_sent and form not in ("table",) and not made.at("typ"):
        raise InputError(f"{path[-1]} has neither value nor default", file=file, line=branch.line)
    if made.is_sent and kind not in ("string", "boolean") and form != "table":
        value = made.at("typ")
        if _number(value) is None:
            raise InputError(f"{path[-1]}: {value!r} is no number", file=file, line=branch.line)
    return made
