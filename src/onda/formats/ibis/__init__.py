"""Device files (IBIS): `reader` reads one into `model`, `buffers` makes engine devices of it."""
