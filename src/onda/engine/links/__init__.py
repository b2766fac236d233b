"""From a channel's step response to an eye.

`patterns` makes bits, `pulse` the response to one bit, `eye` lays a long pattern over itself and
measures it, `peak` finds the worst pattern.
"""
