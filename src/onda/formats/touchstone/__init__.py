"""Touchstone 1 and 2: `reader`, `write`, and the parts of its head."""
