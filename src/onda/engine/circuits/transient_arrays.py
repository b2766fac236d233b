"""The arrays that a march works on, by what they belong to; plain, so that kernels take them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

__all__ = ["Echoes", "Ends", "Holds", "Memory", "Nodes", "Ports", "Reaches", "Rings", "Terms"]

ComplexArray = NDArray[np.complex128]
FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


class Nodes(NamedTuple):
    """n unknowns: the inverse of their matrix, the sparse one of the last step, what drives them.

    `theta` is the weight of the new time by row.
    """

    inverse: FloatArray
    m_start: IntArray
    m_col: IntArray
    m_val: FloatArray
    drive: FloatArray
    source: FloatArray
    theta: FloatArray


class Ends(NamedTuple):
    """Ends of lines and n-ports: nodes and shares, the admittance at once among them, and how what
    reaches the ends `mixed` at once is shared out among those (`mix`)."""

    p_start: IntArray
    p_node: IntArray
    p_val: FloatArray
    now_row: IntArray
    now_column: IntArray
    now_val: FloatArray
    mixed: IntArray
    mix: FloatArray


class Holds(NamedTuple):
    """Admittances from end to end: a constant and the recursions of their poles."""

    row: IntArray
    column: IntArray
    constant: FloatArray
    start: IntArray
    e: FloatArray
    a: FloatArray
    b: FloatArray
    res: FloatArray


class Reaches(NamedTuple):
    """Waves from end to end: the delay in whole steps and a part, the weight of the very step in
    reading it, a constant and the recursions of their poles."""

    to: IntArray
    source: IntArray
    whole: IntArray
    part: FloatArray
    lead: FloatArray
    constant: FloatArray
    start: IntArray
    e: FloatArray
    a: FloatArray
    b: FloatArray
    res: FloatArray


class Rings(NamedTuple):
    """Waves from end to end that ring: a constant and the recursions of complex poles."""

    to: IntArray
    source: IntArray
    constant: FloatArray
    start: IntArray
    e: ComplexArray
    a: ComplexArray
    b: ComplexArray
    res: ComplexArray


class Echoes(NamedTuple):
    """Finite responses from end to end: taps `stride` steps apart."""

    to: IntArray
    source: IntArray
    stride: IntArray
    start: IntArray
    taps: FloatArray


class Memory(NamedTuple):
    """What is remembered from one step to the next; `wave` (steps, ends) is all that left, `before`
    what left in the last step."""

    wave: FloatArray
    z_state: FloatArray
    q_state: FloatArray
    reach_u: FloatArray
    r_state: ComplexArray
    before: FloatArray
    end_v: FloatArray
    end_i: FloatArray


class Ports(NamedTuple):
    """Ports of devices: their nodes, the state at rest, the net's impedance between them and how
    their currents spread; `port_current` (steps, ports) is filled."""

    port_a: IntArray
    port_b: IntArray
    port_dc: FloatArray
    port_i_dc: FloatArray
    z_port: FloatArray
    spread: FloatArray
    port_current: FloatArray


class Terms(NamedTuple):
    """What flows into each port: terms by port, each a table scaled, turned, moved and weighted."""

    port_start: IntArray
    term_table: IntArray
    term_number: FloatArray
    term_weight: IntArray
    weights: FloatArray
    tab_start: IntArray
    tab_v: FloatArray
    tab_i: FloatArray
