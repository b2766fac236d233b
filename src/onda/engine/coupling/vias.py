"""Vias of several lanes side by side: barrels that disturb each other through their currents.

The barrels are parallel wires in return vias; planes shut each of them off in its own anti-pad, so
that they have capacitance to the planes but none among each other. Anti-pads that are cut into one,
and waves between the planes, are not part of it.

References
----------
Paul, Inductance: Loop and Partial (2010), section 4.5: loops of parallel wires.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from onda.engine.constants import EPS0_F_PER_M as EPS0
from onda.engine.constants import MU0_H_PER_M as MU0
from onda.engine.group_lines import GroupCapacitance, GroupLine
from onda.engine.vias import NO_RETURN, ViaGeometry, via_model
from onda.errors import NotPhysical

__all__ = ["ViaRow"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
_NEAREST = 2.0
"""Drills: wires that are nearer push each other's currents aside."""


@dataclass(frozen=True, slots=True)
class ViaRow:
    """Equal vias in a row, those of one lane after the other.

    Attributes
    ----------
    one : a barrel; its `returns` stand `return_distance` from the middle of each lane
    lanes : how many; barrels : of a lane, one or two; pitch : from lane to lane, m
    between : from one barrel of a pair to the other, m
    resistivity : of the barrels' copper, ohm m
    stub_first : what hangs on beyond the layers does so at the first end
    """

    one: ViaGeometry
    lanes: int
    barrels: int
    pitch: float
    between: float
    resistivity: float
    stub_first: bool = False

    @property
    def places(self) -> FloatArray:
        """(n,) m along the row, of the barrels."""
        middle = np.arange(self.lanes) * self.pitch
        if self.barrels == 1:
            return np.asarray(middle)
        return np.asarray((middle[:, None] + np.array([-0.5, 0.5]) * self.between).ravel())

    @property
    def _returns(self) -> FloatArray:
        """(m, 2) m, of the return vias: around the middle of each lane, from across the row on."""
        count = max(self.one.returns, 1)
        far = self.one.return_distance if self.one.returns else NO_RETURN
        angle = 0.5 * math.pi + 2.0 * math.pi * np.arange(count) / count
        middle = np.arange(self.lanes) * self.pitch
        x = middle[:, None] + far * np.cos(angle)
        y = np.broadcast_to(far * np.sin(angle), x.shape)
        return np.stack([x.ravel(), y.ravel()], axis=-1)

    def inductance(self) -> FloatArray:
        """(n, n) H/m of the barrels, the current of each closed through all return vias.

        Raises
        ------
        NotPhysical : vias nearer than two drills
        """
        x = self.places
        wires = np.concatenate([np.stack([x, np.zeros_like(x)], axis=-1), self._returns])
        apart = np.hypot(*(wires[:, None, :] - wires[None, :, :]).transpose(2, 0, 1))
        np.fill_diagonal(apart, np.inf)
        if apart.min() < _NEAREST * self.one.drill:
            raise NotPhysical(
                "vias of the lanes",
                f"{1e3 * apart.min():.3g} mm from one to another",
                f"beyond two drills, {2e3 * self.one.drill:.3g} mm",
            )
        np.fill_diagonal(apart, 0.5 * self.one.drill)
        partial = -MU0 / (2.0 * math.pi) * np.log(apart)
        # Voltages against the last return via, whose current is the rest of all.
        last = partial[-1]
        loops = partial - last[None, :] - last[:, None] + last[-1]
        loops = loops[:-1, :-1]
        # The other return vias are shorts: their voltages are 0, so that their rows of the inverse
        # are left out.
        n = len(x)
        return np.asarray(np.linalg.inv(np.linalg.inv(loops)[:n, :n]))

    def line(self) -> GroupLine:
        """The barrels between the two layers."""
        c, _, _ = self._capacitances()
        return self._line(c)

    def _capacitances(self) -> tuple[float, float, float]:
        """Of a barrel between the layers and of its stub, F/m, and of its pads, F."""
        model = via_model(self.one)
        through = model.delay / model.z0 / self.one.through
        stub = model.stub_delay / model.stub_z0 / self.one.stub if self.one.stub > 0.0 else 0.0
        return through, stub, model.pad

    def _line(self, c: float) -> GroupLine:
        inductance = self.inductance()
        n = len(inductance)
        # Nothing travels faster than light in the dielectric.
        values, vectors = np.linalg.eigh(0.5 * (inductance + inductance.T))
        values = np.maximum(values, MU0 * EPS0 * self.one.er / c)
        skin = math.sqrt(math.pi * MU0 * self.resistivity) / (math.pi * self.one.drill)
        return GroupLine(
            (vectors * values) @ vectors.T,
            (GroupCapacitance(c * np.eye(n)),),
            np.zeros((n, n)),
            skin * np.eye(n),
        )

    @property
    def turned(self) -> ViaRow:
        """As seen from the other end."""
        return replace(self, stub_first=not self.stub_first)

    @property
    def delay(self) -> float:
        """Of a barrel by itself, s."""
        return via_model(self.one).delay

    def network(self, s: ComplexArray) -> ComplexArray:
        """Admittance (f, 2n, 2n) S at s (f,) rad/s: all first ends, then all other ones."""
        c, c_stub, pad = self._capacitances()
        own, mutual = self._line(c).admittance(s, self.one.through)
        n = own.shape[-1]
        pads = (0.5 * pad * s)[:, None, None] * np.eye(n)
        ends = [own + pads, own + pads]
        if self.one.stub > 0.0:
            stub = self._line(c_stub).open_end(s, self.one.stub)
            at = 0 if self.stub_first else 1
            ends[at] = ends[at] + stub
        return np.concatenate(
            [np.concatenate([ends[0], -mutual], -1), np.concatenate([-mutual, ends[1]], -1)],
            axis=-2,
        )

    @property
    def ends(self) -> tuple[float, float]:
        """Capacitance of pads and stub at the first end and at the other one, of a barrel, F."""
        _, c_stub, pad = self._capacitances()
        stub = c_stub * self.one.stub
        return (0.5 * pad + stub, 0.5 * pad) if self.stub_first else (0.5 * pad, 0.5 * pad + stub)
