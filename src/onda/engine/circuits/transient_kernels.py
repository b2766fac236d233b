"""The time stepping of a net, for numba: arrays and scalars only."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from onda.engine.circuits.transient_arrays import (
    Echoes,
    Ends,
    Holds,
    Memory,
    Nodes,
    Ports,
    Reaches,
    Rings,
    Terms,
)

__all__ = ["march", "table_at"]

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]


@njit(cache=True, nogil=True)
def table_at(v: FloatArray, i: FloatArray, first: int, last: int, x: float) -> Any:
    """Current and slope at x of the table in v[first:last]; the end slopes go on."""
    low, high = first, last - 1
    while high - low > 1:
        middle = (low + high) // 2
        if v[middle] <= x:
            low = middle
        else:
            high = middle
    slope = (i[low + 1] - i[low]) / (v[low + 1] - v[low])
    return i[low] + slope * (x - v[low]), slope


@njit(cache=True, nogil=True)
def _solve_small(a: FloatArray, b: FloatArray, n: int) -> bool:
    """Solve a x = b in place by elimination with pivots; b becomes x."""
    for k in range(n):
        p = k
        for r in range(k + 1, n):
            if abs(a[r, k]) > abs(a[p, k]):
                p = r
        if a[p, k] == 0.0:
            return False
        if p != k:
            for c in range(k, n):
                a[k, c], a[p, c] = a[p, c], a[k, c]
            b[k], b[p] = b[p], b[k]
        for r in range(k + 1, n):
            f = a[r, k] / a[k, k]
            if f != 0.0:
                for c in range(k, n):
                    a[r, c] -= f * a[k, c]
                b[r] -= f * b[k]
    for k in range(n - 1, -1, -1):
        t = b[k]
        for c in range(k + 1, n):
            t -= a[k, c] * b[c]
        b[k] = t / a[k, k]
    return True


@njit(cache=True, nogil=True)
def _earlier(wave: FloatArray, k: int, e: int, x: float, now: bool) -> float:
    """Wave of end e a share x of a step before step k, by the cubic through four samples.

    Of the cubics it is the one that never makes a wave larger (Laakso and others, "Splitting the
    unit delay", IEEE Signal Processing Magazine 13 (1996) 30). Where k is the step at work, whose
    wave is not known yet and stands as 0, it is the parabola through it and two before.
    """
    u = 0.0
    if now:
        if k >= 1:
            u -= wave[k - 1, e] * x * (x - 2.0)
        if k >= 2:
            u += wave[k - 2, e] * 0.5 * x * (x - 1.0)
        return u
    if k + 1 >= 0:
        u -= wave[k + 1, e] * x * (x - 1.0) * (x - 2.0) / 6.0
    if k >= 0:
        u += wave[k, e] * (x + 1.0) * (x - 1.0) * (x - 2.0) / 2.0
    if k >= 1:
        u -= wave[k - 1, e] * (x + 1.0) * x * (x - 2.0) / 2.0
    if k >= 2:
        u += wave[k - 2, e] * (x + 1.0) * x * (x - 1.0) / 6.0
    return u


@njit(cache=True, nogil=True)
def _arrive(
    to: int,
    known: FloatArray,
    ends: Ends,
    holds: Holds,
    reaches: Reaches,
    rings: Rings,
    echoes: Echoes,
    memory: Memory,
) -> None:
    """What reaches each end by step `to` less what its admittance remembers, into `known`."""
    wave, z_state, q_state, reach_u, r_state, before, end_v, _ = memory
    r_to, r_source, r_whole, r_part = reaches.to, reaches.source, reaches.whole, reaches.part
    r_constant, r_start, r_res = reaches.constant, reaches.start, reaches.res
    r_e, r_a, r_b = reaches.e, reaches.a, reaches.b
    known[:] = 0.0
    for r in range(len(r_to)):
        whole = r_whole[r]
        u = _earlier(wave, to - whole, r_source[r], r_part[r], whole == 0)
        j = r_constant[r] * u
        last_u = reach_u[r]
        for p in range(r_start[r], r_start[r + 1]):
            q = r_e[p] * q_state[p] + r_a[p] * u + r_b[p] * last_u
            q_state[p] = q
            j += r_res[p] * q
        reach_u[r] = u
        known[r_to[r]] += j
    for r in range(len(rings.to)):
        u = before[rings.source[r]]
        j = 0.0
        for p in range(rings.start[r], rings.start[r + 1]):
            r_state[p] = rings.e[p] * r_state[p] + rings.b[p] * u
            j += 2.0 * (rings.res[p] * r_state[p]).real
        known[rings.to[r]] += j
    for t in range(len(echoes.to)):
        first, stride, source = echoes.start[t], echoes.stride[t], echoes.source[t]
        last = min(echoes.start[t + 1], first + (to - 1) // stride + 1)
        j = 0.0
        for m in range(first + 1, last):
            j += echoes.taps[m] * wave[to - (m - first) * stride, source]
        known[echoes.to[t]] += j
    h_row, h_column, h_start, h_res = holds.row, holds.column, holds.start, holds.res
    h_e, h_b = holds.e, holds.b
    for k in range(len(h_row)):
        remembered = 0.0
        v = end_v[h_column[k]]
        for p in range(h_start[k], h_start[k + 1]):
            remembered += h_res[p] * (h_e[p] * z_state[p] + h_b[p] * v)
        known[h_row[k]] -= remembered
    mixed = ends.mixed
    if len(mixed) > 0:
        shared = np.zeros(len(mixed))
        for r in range(len(mixed)):
            for c in range(len(mixed)):
                shared[r] += ends.mix[r, c] * known[mixed[c]]
        for r in range(len(mixed)):
            known[mixed[r]] = shared[r]


@njit(cache=True, nogil=True)
def _leave(
    to: int,
    x: FloatArray,
    known: FloatArray,
    ends: Ends,
    holds: Holds,
    reaches: Reaches,
    rings: Rings,
    memory: Memory,
) -> None:
    """What leaves each end in step `to`, now that the voltages x are known."""
    wave, z_state, q_state, reach_u, r_state, before, end_v, end_i = memory
    count = len(known)
    now = np.zeros(count)
    for e in range(count):
        for c in range(ends.p_start[e], ends.p_start[e + 1]):
            now[e] += ends.p_val[c] * x[ends.p_node[c]]
        end_i[e] = -known[e]
    for k in range(len(ends.now_row)):
        end_i[ends.now_row[k]] += ends.now_val[k] * now[ends.now_column[k]]
    for e in range(count):
        wave[to, e] = end_i[e]
    h_row, h_column, h_start, h_res = holds.row, holds.column, holds.start, holds.res
    h_e, h_a, h_b, h_constant = holds.e, holds.a, holds.b, holds.constant
    for k in range(len(h_row)):
        v, last = now[h_column[k]], end_v[h_column[k]]
        through = h_constant[k] * v
        for p in range(h_start[k], h_start[k + 1]):
            z = h_e[p] * z_state[p] + h_a[p] * v + h_b[p] * last
            z_state[p] = z
            through += h_res[p] * z
        wave[to, h_row[k]] += through
    for e in range(count):
        end_v[e] = now[e]
    for r in range(len(reaches.to)):
        if reaches.lead[r] != 0.0:
            u = reaches.lead[r] * wave[to, reaches.source[r]]
            reach_u[r] += u
            for p in range(reaches.start[r], reaches.start[r + 1]):
                q_state[p] += reaches.a[p] * u
    for r in range(len(rings.to)):
        u = wave[to, rings.source[r]]
        for p in range(rings.start[r], rings.start[r + 1]):
            r_state[p] += rings.a[p] * u
    for e in range(count):
        before[e] = wave[to, e]


@njit(cache=True, nogil=True)
def _currents(
    v: FloatArray, step: int, terms: Terms, current: FloatArray, slope: FloatArray
) -> None:
    """Current into each port and its slope at the port voltages v."""
    port_start, term_table, term_number, term_weight, weights, tab_start, tab_v, tab_i = terms
    for p in range(len(v)):
        current[p] = 0.0
        slope[p] = 0.0
        for k in range(port_start[p], port_start[p + 1]):
            scale, sign, offset = term_number[k, 0], term_number[k, 1], term_number[k, 2]
            w = scale
            if term_weight[k] >= 0:
                w *= weights[term_weight[k], step]
            table = term_table[k]
            i, g = table_at(
                tab_v, tab_i, tab_start[table], tab_start[table + 1], sign * v[p] + offset
            )
            current[p] += w * i
            slope[p] += w * sign * g


@njit(cache=True, nogil=True)
def march(
    x: FloatArray,
    first: int,
    last: int,
    nodes: Nodes,
    ends: Ends,
    holds: Holds,
    reaches: Reaches,
    rings: Rings,
    echoes: Echoes,
    memory: Memory,
    device_ports: Ports,
    terms: Terms,
) -> int:
    """Steps first..last-1; row n + 1 of x follows from row n.

    Returns -1, or the step at which Newton found no answer, times the number of ports, plus the
    port that moved most.
    """
    inverse, m_start, m_col, m_val, drive, source, theta = nodes
    p_start, p_node, p_val = ends.p_start, ends.p_node, ends.p_val
    port_a, port_b, port_dc, port_i_dc, z_port, spread, port_current = device_ports
    n = x.shape[1]
    ports = len(port_a)
    rhs = np.zeros(n)
    known = np.zeros(len(p_start) - 1)
    v_lin = np.zeros(ports)
    v_port = np.zeros(ports)
    current = np.zeros(ports)
    slope = np.zeros(ports)
    jacobian = np.zeros((ports, ports))
    rest = np.zeros(ports)
    for step in range(first, last):
        to = step + 1
        _arrive(to, known, ends, holds, reaches, rings, echoes, memory)
        for r in range(n):
            t = 0.0
            for d in range(drive.shape[1]):
                if drive[r, d] != 0.0:
                    mean = source[d, to] * theta[r] + source[d, step] * (1.0 - theta[r])
                    t += drive[r, d] * mean
            for c in range(m_start[r], m_start[r + 1]):
                t += m_val[c] * x[step, m_col[c]]
            rhs[r] = t
        for e in range(len(known)):
            for c in range(p_start[e], p_start[e + 1]):
                r = p_node[c]
                rhs[r] += p_val[c] * (theta[r] * known[e] - (1.0 - theta[r]) * memory.end_i[e])
        for p in range(ports):
            a, b = port_a[p], port_b[p]
            rhs[a] += (1.0 - theta[a]) * port_current[step, p]
            if b >= 0:
                rhs[b] -= (1.0 - theta[b]) * port_current[step, p]
        for r in range(n):
            t = 0.0
            for c in range(n):
                t += inverse[r, c] * rhs[c]
            x[to, r] = t
        if ports > 0:
            for p in range(ports):
                v_lin[p] = port_dc[p] + x[to, port_a[p]]
                v_port[p] = port_dc[p] + x[step, port_a[p]]
                if port_b[p] >= 0:
                    v_lin[p] -= x[to, port_b[p]]
                    v_port[p] -= x[step, port_b[p]]
            worst = 0
            found = False
            for turn in range(80):
                _currents(v_port, to, terms, current, slope)
                for r in range(ports):
                    t = v_lin[r] - v_port[r]
                    for c in range(ports):
                        t += z_port[r, c] * (current[c] - port_i_dc[c])
                        jacobian[r, c] = -z_port[r, c] * slope[c]
                    jacobian[r, r] += 1.0
                    rest[r] = t
                if not _solve_small(jacobian, rest, ports):
                    break
                largest = 0.0
                for p in range(ports):
                    if not abs(rest[p]) <= largest:
                        largest = abs(rest[p])
                        worst = p
                if not largest < 1e30:
                    break
                # Shorter strides once it goes round in circles between kinks.
                stride = 1.0 if turn < 12 else 0.5
                if largest * stride > 2.0:
                    stride = 2.0 / largest
                for p in range(ports):
                    v_port[p] += stride * rest[p]
                if largest < 1e-7:
                    found = True
                    break
            if not found:
                return step * ports + worst
            _currents(v_port, to, terms, current, slope)
            for p in range(ports):
                port_current[to, p] = current[p] - port_i_dc[p]
                for r in range(n):
                    x[to, r] += spread[r, p] * port_current[to, p]
        _leave(to, x[to], known, ends, holds, reaches, rings, memory)
    return -1
