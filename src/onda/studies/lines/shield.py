"""Studies of shielded sections: impedance and modes, and how large the shield may be."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import C0_M_PER_S
from onda.engine.materials import fit_dielectric
from onda.engine.section import Conductor, CrossSection, Layer, Region, solve_section
from onda.engine.section.guided import cut_offs, mode_fields, propagation
from onda.engine.section.modes import mode_of
from onda.engine.section.outlines import circle, rectangle
from onda.errors import NotPhysical
from onda.project.lines.objects import ShieldedSection
from onda.project.model import Design
from onda.studies.core.study import Control, Study
from onda.studies.lines.inputs import MaterialInputs, material_inputs

__all__ = [
    "MODE_CHECK",
    "SIZE_SWEEP",
    "BodyInputs",
    "GuidedMode",
    "ModeCheckResult",
    "ShieldInputs",
    "SizeSweepInputs",
    "SizeSweepResult",
    "mode_sentence",
    "shield_inputs",
    "shield_section",
]

FloatArray = NDArray[np.float64]
_BEYOND = 2.0
"""Modes are looked for up to this many times the highest frequency of interest."""
_MOST = 8
_FREQUENCIES = 9
_ENOUGH = 5.0
"""Half-wave frequencies of the wall up to which modes are looked for at most: a dozen or so."""
_OPEN = 12.0
"""A wall this many times as far away as the conductor is large counts as no wall."""


@dataclass(frozen=True, slots=True)
class BodyInputs:
    """An outline; `material` is empty for metal."""

    name: str
    role: str
    material: str
    corners: tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class ShieldInputs:
    """A shielded section and its materials; lengths in metres, `up_to` in Hz."""

    shape: str
    material: str
    width: float
    height: float
    conductor: float
    conductor_height: float
    floor: float
    up_to: float
    bodies: tuple[BodyInputs, ...]
    materials: tuple[MaterialInputs, ...]


@dataclass(frozen=True, slots=True)
class GuidedMode:
    """A mode: cut-off (Hz), what kind, beta (f,) rad/m with NaN below cut-off, its picture."""

    cut_off: float
    kind: str
    beta: FloatArray
    points: FloatArray
    electric: FloatArray
    magnetic: FloatArray
    along: FloatArray
    along_is: str


@dataclass(frozen=True, slots=True)
class ModeCheckResult:
    """What travels in a shielded section.

    Attributes
    ----------
    z0 : ohm (NaN without a conductor, or with more than one); eeff; error : of C and L
    frequency : (f,) Hz at which beta is known
    modes : from the lowest cut-off up
    single_up_to : Hz below which only the intended mode travels (infinite where no other was found)
    looked_up_to : Hz
    """

    z0: float
    eeff: float
    error: float
    frequency: FloatArray
    modes: tuple[GuidedMode, ...]
    single_up_to: float
    looked_up_to: float


def shield_inputs(design: Design, section: ShieldedSection) -> ShieldInputs:
    """Slice for a shielded section."""
    used = {section.material} | {b.material for b in section.bodies if b.material}
    temperature = design.stackup.temperature.si
    return ShieldInputs(
        shape=section.shape,
        material=section.material,
        width=section.width.si,
        height=section.height.si,
        conductor=section.conductor.si,
        conductor_height=section.conductor_height.si,
        floor=section.floor.si,
        up_to=section.up_to.si,
        bodies=tuple(
            BodyInputs(b.name, b.role, b.material or "", b.corners) for b in section.bodies
        ),
        materials=tuple(material_inputs(m, temperature) for m in design.materials if m.id in used),
    )


def shield_section(inputs: ShieldInputs) -> CrossSection:
    """Draw the section, each Dk at the highest frequency of interest.

    Raises
    ------
    NotPhysical : the parts do not fit into each other
    """
    s = np.array([2j * np.pi * inputs.up_to])
    er = {
        m.id: float(fit_dielectric(m.points).model.permittivity(s)[0].real)
        for m in inputs.materials
    }
    w, h = inputs.width, inputs.height
    filling = er[inputs.material]
    if inputs.shape == "round":
        section = CrossSection(
            (Layer(-w, w, filling, inputs.material),),
            (
                Conductor("S", circle(0.0, 0.0, 0.5 * inputs.conductor)),
                Conductor("shield", circle(0.0, 0.0, 0.5 * w), "shield"),
            ),
        )
    elif inputs.shape == "box":
        floor = inputs.floor
        layers = (Layer(0.0, floor, filling, inputs.material),) if floor > 0 else ()
        bottom = floor if floor > 0 else 0.5 * (h - inputs.conductor_height)
        trace = rectangle(
            -0.5 * inputs.conductor, bottom, inputs.conductor, inputs.conductor_height
        )
        section = CrossSection(
            layers,
            (Conductor("S", trace), Conductor("shield", rectangle(-0.5 * w, 0.0, w, h), "shield")),
        )
    else:
        section = CrossSection(
            (),
            tuple(
                Conductor(b.name, b.corners, b.role)  # type: ignore[arg-type]
                for b in inputs.bodies
                if not b.material
            ),
            (),
            tuple(
                Region(b.corners, er[b.material], b.material) for b in inputs.bodies if b.material
            ),
        )
    section.check()
    return section


def _impedance(section: CrossSection) -> tuple[float, float, float]:
    """Impedance, effective permittivity and estimated error; NaN unless there is one signal."""
    if len(section.signals) != 1:
        return math.nan, math.nan, math.nan
    result = solve_section(section)
    mode = mode_of(float(result.c[0, 0]), float(result.c0[0, 0]), float(result.l_ext[0, 0]))
    return mode.z0, mode.eeff, result.error


def _half_wave(inputs: ShieldInputs) -> float:
    """Frequency (Hz) at which half a wave in air fits across the wall."""
    return C0_M_PER_S / (2.0 * _wall_width(inputs))


def _run_modes(inputs: ShieldInputs, control: Control) -> ModeCheckResult:
    section = shield_section(inputs)
    z0, eeff, error = _impedance(section)
    control.progress(0.1)
    top = min(_BEYOND * inputs.up_to, _ENOUGH * _half_wave(inputs))
    mesh, found = cut_offs(section, top)
    found = found[:_MOST]
    control.progress(0.4)
    frequency = np.linspace(top / _FREQUENCIES, top, _FREQUENCIES)
    betas = []
    limits = tuple(m.frequency for m in found)
    for k, f in enumerate(frequency):
        betas.append(propagation(section, np.array([f]), limits)[0])
        control.progress(0.4 + 0.55 * (k + 1) / len(frequency))
    table = np.array(betas).reshape(len(frequency), len(found))
    modes = []
    for k, m in enumerate(found):
        p = mode_fields(mesh, m)
        modes.append(
            GuidedMode(
                m.frequency,
                m.kind,
                table[:, k],
                p.points,
                p.electric,
                p.magnetic,
                p.along,
                p.along_is,
            )
        )
    intended = max(len(section.signals), 1)
    others = [m.cut_off for m in modes[intended:]]
    return ModeCheckResult(
        z0=z0,
        eeff=eeff,
        error=error,
        frequency=frequency,
        modes=tuple(modes),
        single_up_to=min(others, default=math.inf),
        looked_up_to=top,
    )


def mode_sentence(result: ModeCheckResult, up_to: float) -> str:
    """What the check found, in one sentence."""
    if not result.modes:
        return f"Nothing travels below {result.looked_up_to / 1e9:.1f} GHz."
    if result.modes[0].cut_off > up_to:
        return f"Nothing travels below {result.modes[0].cut_off / 1e9:.1f} GHz."
    if math.isinf(result.single_up_to):
        return f"Only the intended mode travels below {result.looked_up_to / 1e9:.1f} GHz."
    ghz = result.single_up_to / 1e9
    if result.single_up_to < up_to:
        return (
            f"Only the intended mode travels below {ghz:.1f} GHz; up to {up_to / 1e9:.1f} GHz "
            "is wanted: make the shield smaller."
        )
    return f"Only the intended mode travels below {ghz:.1f} GHz."


@dataclass(frozen=True, slots=True)
class SizeSweepInputs:
    """A section, the factors by which its wall is moved, and the `allowed` error of impedance."""

    shield: ShieldInputs
    factors: tuple[float, ...]
    allowed: float = 0.02


@dataclass(frozen=True, slots=True)
class SizeSweepResult:
    """Shield sizes against what they cost.

    Attributes
    ----------
    size : (n,) m, the wall's width; z0 : (n,) ohm, NaN where the wall cannot be there
    cut_off : (n,) Hz of the first other mode, infinite where none was found
    z_open : ohm with the walls so far away that they do not matter; NaN for a round shield,
        whose wall is the line's return
    smallest, largest : m, the usable window: impedance within the allowed share, cut-off high
        enough; NaN where there is no such end
    """

    size: FloatArray
    z0: FloatArray
    cut_off: FloatArray
    z_open: float
    smallest: float
    largest: float


def _resized(inputs: ShieldInputs, factor: float) -> ShieldInputs:
    if inputs.shape == "round":
        # A round line keeps its impedance when both diameters grow together.
        return replace(inputs, width=inputs.width * factor, conductor=inputs.conductor * factor)
    if inputs.shape == "box":
        above = inputs.height - inputs.floor
        return replace(inputs, width=inputs.width * factor, height=inputs.floor + above * factor)
    wall = next(b for b in inputs.bodies if b.role == "shield")
    xs, ys = [x for x, _ in wall.corners], [y for _, y in wall.corners]
    x0, y0 = 0.5 * (min(xs) + max(xs)), min(ys)
    moved = tuple((x0 + (x - x0) * factor, y0 + (y - y0) * factor) for x, y in wall.corners)
    bodies = tuple(replace(b, corners=moved) if b is wall else b for b in inputs.bodies)
    return replace(inputs, bodies=bodies)


def _wall_width(inputs: ShieldInputs) -> float:
    if inputs.shape != "drawn":
        return inputs.width
    wall = next(b for b in inputs.bodies if b.role == "shield")
    xs = [x for x, _ in wall.corners]
    return max(xs) - min(xs)


def _run_sizes(inputs: SizeSweepInputs, control: Control) -> SizeSweepResult:
    size, z0, cut_off = [], [], []
    shield = inputs.shield
    for k, factor in enumerate(inputs.factors):
        changed = _resized(shield, factor)
        size.append(_wall_width(changed))
        try:
            section = shield_section(changed)
            z0.append(_impedance(section)[0])
            # The first other mode lies near where half a wave fits across; no finer mesh is needed.
            top = min(3.0 * shield.up_to, 2.5 * _half_wave(changed))
            _, found = cut_offs(section, top, most=6)
            others = [m.frequency for m in found[max(len(section.signals), 1) :]]
            cut_off.append(min(others, default=math.inf))
        except NotPhysical:
            z0.append(math.nan)
            cut_off.append(math.nan)
        control.progress((k + 1) / (len(inputs.factors) + 1))
    z_open = math.nan
    if shield.shape == "box":
        far = max(_OPEN * (shield.conductor + shield.floor) / shield.width, 1.0)
        z_open = _impedance(shield_section(_resized(shield, far)))[0]
    sizes, zs, tops = np.array(size), np.array(z0), np.array(cut_off)
    smallest, largest = _window(sizes, zs, tops, z_open, inputs)
    return SizeSweepResult(sizes, zs, tops, z_open, smallest, largest)


def _window(
    size: FloatArray, z0: FloatArray, cut_off: FloatArray, z_open: float, inputs: SizeSweepInputs
) -> tuple[float, float]:
    smallest = float(size[0])
    if not math.isnan(z_open):
        off = np.abs(z0 / z_open - 1.0)
        smallest = _crossing(size, off, inputs.allowed)
    largest = _crossing(size, np.where(np.isinf(cut_off), 1e15, cut_off), inputs.shield.up_to)
    return smallest, largest


def _crossing(x: FloatArray, y: FloatArray, level: float) -> float:
    """Where a falling curve passes a level, by logarithms; NaN where it never does."""
    good = np.isfinite(y) & (y > 0)
    x, y = x[good], y[good]
    for k in range(len(x) - 1):
        if y[k] >= level > y[k + 1]:
            t = math.log(y[k] / level) / math.log(y[k] / y[k + 1])
            return float(x[k] * (x[k + 1] / x[k]) ** t)
    return math.nan


MODE_CHECK: Study[ShieldInputs, ModeCheckResult] = Study(
    "mode_check", _run_modes, ModeCheckResult, title="Modes"
)
SIZE_SWEEP: Study[SizeSweepInputs, SizeSweepResult] = Study(
    "size_sweep", _run_sizes, SizeSweepResult, title="Sizes"
)
