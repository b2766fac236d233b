"""n-port networks.

`algebra` joins, parts and judges scattering matrices, `mixed_mode` turns them into differential and
common waves, `vector_fit` makes a `rational` model of one, `channel_figures` has the figures of a
channel by public formulas.
"""
