"""Numerics only: arrays and frozen dataclasses in, arrays and frozen dataclasses out, SI units.

`materials`   dielectric and conductor models against frequency
`section`     2-D cross-sections: capacitance, inductance, impedance, field
`lines`       per-length R, L, G, C to propagation, ABCD and S
`circuits`    voltages along a linear net in time and frequency
`links`       patterns, pulse response, bit-by-bit eye, peak distortion

Nothing here knows a file, a project or an interface.
"""
