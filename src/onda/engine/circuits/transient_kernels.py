"""The time stepping of a net, for numba: arrays and scalars only."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from onda.engine.circuits.transient_arrays import Ends, Memory, Nodes, Ports, Terms

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
def _between(wave: FloatArray, k: int, e: int, x: float) -> float:
    """Wave of end e a share x of a step before step k, by the cubic through four samples.

    Of the cubics it is the one that never makes a wave larger (Laakso and others, "Splitting the
    unit delay", IEEE Signal Processing Magazine 13 (1996) 30).
    """
    u = 0.0
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
    line_ends: Ends,
    memory: Memory,
    device_ports: Ports,
    terms: Terms,
) -> int:
    """Steps first..last-1; row n + 1 of x follows from row n.

    Returns -1, or the step at which Newton found no answer, times the number of ports, plus the
    port that moved most.
    """
    inverse, m_start, m_col, m_val, drive, source, theta = nodes
    p_start, p_node, p_val = line_ends.p_start, line_ends.p_node, line_ends.p_val
    other, delay_whole, delay_part = line_ends.other, line_ends.delay_whole, line_ends.delay_part
    y_now, y_const, h_now = line_ends.y_now, line_ends.y_const, line_ends.h_now
    pole_start, pole_e = line_ends.pole_start, line_ends.pole_e
    pole_a, pole_b = line_ends.pole_a, line_ends.pole_b
    y_res, h_res = line_ends.y_res, line_ends.h_res
    wave, z_state, q_state, end_v, end_u, end_i = memory
    port_a, port_b, port_dc, port_i_dc, z_port, spread, port_current = device_ports
    n = x.shape[1]
    ends, ports = len(other), len(port_a)
    rhs = np.zeros(n)
    known = np.zeros(ends)
    v_lin = np.zeros(ports)
    v_port = np.zeros(ports)
    current = np.zeros(ports)
    slope = np.zeros(ports)
    jacobian = np.zeros((ports, ports))
    rest = np.zeros(ports)
    for step in range(first, last):
        to = step + 1
        # Lines: what arrives at each end now, and what its admittance remembers.
        for e in range(ends):
            u = _between(wave, to - delay_whole[e], other[e], delay_part[e])
            j = h_now[e] * u
            remembered = 0.0
            for p in range(pole_start[e], pole_start[e + 1]):
                q_state[p] = pole_e[p] * q_state[p] + pole_a[p] * u + pole_b[p] * end_u[e]
                j += h_res[p] * q_state[p]
                remembered += y_res[p] * (pole_e[p] * z_state[p] + pole_b[p] * end_v[e])
            end_u[e] = u
            known[e] = j - remembered
        for r in range(n):
            t = 0.0
            for d in range(drive.shape[1]):
                if drive[r, d] != 0.0:
                    mean = source[d, to] * theta[r] + source[d, step] * (1.0 - theta[r])
                    t += drive[r, d] * mean
            for c in range(m_start[r], m_start[r + 1]):
                t += m_val[c] * x[step, m_col[c]]
            rhs[r] = t
        for e in range(ends):
            for c in range(p_start[e], p_start[e + 1]):
                r = p_node[c]
                rhs[r] += p_val[c] * (theta[r] * known[e] - (1.0 - theta[r]) * end_i[e])
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
        for e in range(ends):
            v = 0.0
            for c in range(p_start[e], p_start[e + 1]):
                v += p_val[c] * x[to, p_node[c]]
            for p in range(pole_start[e], pole_start[e + 1]):
                z_state[p] = pole_e[p] * z_state[p] + pole_a[p] * v + pole_b[p] * end_v[e]
            through = y_const[e] * v
            for p in range(pole_start[e], pole_start[e + 1]):
                through += y_res[p] * z_state[p]
            end_i[e] = y_now[e] * v - known[e]
            wave[to, e] = through + end_i[e]
            end_v[e] = v
    return -1
