"""Study `fit`: the dimension, or the two, that give a line its target, or both of two."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from onda.engine.section import solve_section
from onda.engine.section.fit import fit_dimension, fit_two
from onda.engine.section.modes import pair_modes
from onda.engine.section.structures import Slab
from onda.errors import InputError, OutOfReach
from onda.studies.core.study import Control, Study
from onda.studies.lines.inputs import LineInputs
from onda.studies.lines.solved_line import quick_impedance, section_at_frequency

__all__ = ["FIT", "Bounds", "FitInputs", "FitResult", "fit_width", "with_dimension"]

UNITS = {"width": "µm", "gap": "µm", "height": "µm", "Dk": ""}


@dataclass(frozen=True, slots=True)
class Bounds:
    """What a dimension may be: metres, or plain for Dk."""

    name: str
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class FitInputs:
    """A line, what may change (one or two of width, gap, height, Dk), and as many targets.

    `targets`: (which impedance, ohm) with which one of "z" (single or differential), "common",
    "odd", "even".
    """

    line: LineInputs
    unknowns: tuple[Bounds, ...]
    targets: tuple[tuple[str, float], ...]


@dataclass(frozen=True, slots=True)
class FitResult:
    """Values of the unknowns, in their order, metres (Dk plain), and the impedances reached."""

    names: tuple[str, ...]
    values: tuple[float, ...]
    reached: tuple[float, ...]


def with_dimension(line: LineInputs, name: str, value: float) -> LineInputs:
    """The line with one dimension changed.

    height: of all that lies between trace and plane below; Dk: of the material next to the trace
    below, at the class's frequency, its table scaled alike.
    """
    if name in ("width", "gap"):
        return replace(line, trace=replace(line.trace, **{name: value}))  # type: ignore[arg-type]
    if name == "height":
        whole = sum(s.thickness for s in line.below)
        below = tuple(replace(s, thickness=s.thickness * value / whole) for s in line.below)
        return replace(line, below=below)
    if name == "Dk":
        _, _, er = section_at_frequency(line)
        changed = line.below[0].material
        k = value / er[changed]
        return replace(
            line,
            materials=tuple(m.scaled_dk(k) if m.id == changed else m for m in line.materials),
        )
    raise InputError(f"{name!r} cannot be fitted", remedy="Choose width, gap, height or Dk.")


def _present(line: LineInputs, name: str) -> float:
    if name == "width":
        return line.trace.width
    if name == "gap":
        return line.trace.gap or line.trace.width
    if name == "height":
        return sum(s.thickness for s in line.below)
    slab: Slab = line.below[0]
    _, _, er = section_at_frequency(line)
    return er[slab.material]


def _reader(line: LineInputs, which: str) -> Callable[[LineInputs], float]:
    if which == "z":
        return quick_impedance
    if not line.differential:
        raise InputError(f"a {line.kind} has no {which} impedance", remedy="Choose a pair.")

    def read(changed: LineInputs) -> float:
        section, _, _ = section_at_frequency(changed)
        pair = pair_modes(solve_section(section, per_piece=4, quick=True))
        return {"common": pair.z_common, "odd": pair.odd.z0, "even": pair.even.z0}[which]

    return read


def _pair_values(line: LineInputs, wanted: tuple[str, ...]) -> tuple[float, float]:
    section, _, _ = section_at_frequency(line)
    pair = pair_modes(solve_section(section, per_piece=4, quick=True))
    table = {
        "z": pair.z_diff,
        "common": pair.z_common,
        "odd": pair.odd.z0,
        "even": pair.even.z0,
    }
    return table[wanted[0]], table[wanted[1]]


def _run(inputs: FitInputs, control: Control) -> FitResult:
    if len(inputs.unknowns) != len(inputs.targets) or not 1 <= len(inputs.targets) <= 2:
        raise InputError(
            f"{len(inputs.targets)} targets and {len(inputs.unknowns)} dimensions",
            remedy="Give as many dimensions to change as targets, one or two.",
        )
    names = tuple(b.name for b in inputs.unknowns)
    if len(names) == 1:
        return _fit_one(inputs, inputs.unknowns[0], control)
    if not inputs.line.differential or names[0] == names[1]:
        raise InputError("two targets need a pair and two different dimensions")
    wanted = tuple(t[0] for t in inputs.targets)
    steps = 0

    def at(a: float, b: float) -> tuple[float, float]:
        nonlocal steps
        steps += 1
        control.progress(min(steps / 20.0, 0.95))
        return _pair_values(
            with_dimension(with_dimension(inputs.line, names[0], a), names[1], b), wanted
        )

    first, second = inputs.unknowns
    values = fit_two(
        at,
        (inputs.targets[0][1], inputs.targets[1][1]),
        low=(first.low, second.low),
        high=(first.high, second.high),
        start=(_present(inputs.line, names[0]), _present(inputs.line, names[1])),
        names=(names[0], names[1]),
    )
    return FitResult(names, values, at(*values))


def _fit_one(inputs: FitInputs, bounds: Bounds, control: Control) -> FitResult:
    which, target = inputs.targets[0]
    read = _reader(inputs.line, which)
    steps = 0

    def at(value: float) -> float:
        nonlocal steps
        steps += 1
        control.progress(min(steps / 12.0, 0.95))
        return read(with_dimension(inputs.line, bounds.name, value))

    try:
        found = fit_dimension(
            at,
            target,
            low=bounds.low,
            high=bounds.high,
            start=_present(inputs.line, bounds.name),
            name=bounds.name,
        )
    except OutOfReach as error:
        if bounds.name == "Dk":
            raise OutOfReach(
                f"Target {target:.4g} Ω cannot be met: the nearest is {error.nearest:.4g} Ω, at "
                f"the {error.limit} allowed, {error.at:.4g}",
                nearest=error.nearest,
                at=error.at,
                limit=error.limit,
            ) from error
        raise
    return FitResult((bounds.name,), (found,), (at(found),))


def fit_width(
    inputs: LineInputs, target: float, *, low: float = 50e-6, high: float = 2e-3
) -> float:
    """Width (m) that gives the target impedance, gap and build unchanged; from the present width.

    Raises
    ------
    OutOfReach : no width within low..high does; carries the nearest
    """
    low = max(low, 2.05 * inputs.trace.undercut)
    asked = FitInputs(inputs, (Bounds("width", low, high),), (("z", target),))
    return _run(asked, Control()).values[0]


FIT: Study[FitInputs, FitResult] = Study("fit", _run, FitResult, keep_on_disk=False, title="Fit")
