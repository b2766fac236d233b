"""Fulmar: the recorder card of a towed hydrophone array. All values are made up.

`fulmar.fulmar_project()` builds the project; `onda demo` opens it.
"""

from onda.demo.fulmar import fulmar_project

__all__ = ["fulmar_project"]
