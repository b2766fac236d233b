"""Paths: a net from driver to receiver, seen anywhere along it.

`ribbon`, `profile` and `wave_map` share one delay scale (`scale`) and one set of sliding probes;
`inspector` holds the chosen element; `stage` joins them to the document and the studies.
"""
