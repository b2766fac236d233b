"""A slice of the project -> engine -> result and margins.

`resolve` takes frozen slices out of a design; `impedance`, `path`, `path_sweep` and `eye` are the
studies; `study` defines what one is and its key; `cache` keeps results on disk; `runner` runs them
in the background; `margins` holds results against requirements; `check` does it for a whole board.
"""
