"""A class on a layer: impedance, loss, fields, fits and spreads."""
