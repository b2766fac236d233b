"""The arrays that a march works on, by what they belong to; plain, so that kernels take them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

__all__ = ["Ends", "Memory", "Nodes", "Ports", "Terms"]

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
    """Ends of lines: their nodes and shares, the other end and its delay in whole steps and a part,
    admittance and transfer at once, and the recursions of their poles."""

    p_start: IntArray
    p_node: IntArray
    p_val: FloatArray
    other: IntArray
    delay_whole: IntArray
    delay_part: FloatArray
    y_now: FloatArray
    y_const: FloatArray
    h_now: FloatArray
    pole_start: IntArray
    pole_e: FloatArray
    pole_a: FloatArray
    pole_b: FloatArray
    y_res: FloatArray
    h_res: FloatArray


class Memory(NamedTuple):
    """What the ends remember from one step to the next; `wave` (steps, ends) is all that left."""

    wave: FloatArray
    z_state: FloatArray
    q_state: FloatArray
    end_v: FloatArray
    end_u: FloatArray
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
