"""Two-dimensional cross-sections: drawn shapes in, per-length matrices and fields out.

`geometry` (shapes) -> `arrangement` (pieces that carry charge) -> `panels` (mesh) -> `solve`
(C, L, error) -> `modes` (impedances and delays), `resistance` (DC and skin), `field` (potential for
drawing). `structures` draws the usual traces, `fit` solves for a dimension from a target.
"""

from onda.engine.section.geometry import Conductor, CrossSection, Layer, Region
from onda.engine.section.solve import SectionResult, solve_section

__all__ = ["Conductor", "CrossSection", "Layer", "Region", "SectionResult", "solve_section"]
