"""Crosstalk: n lines or pairs side by side, who disturbs whom, and how much of it is allowed.

`group` joins coupled pieces to one network; `crosstalk` says what each transmitter does to each
receiver, in frequency; `pulses` the same for an edge, and how neighbours move its arrival.
"""
