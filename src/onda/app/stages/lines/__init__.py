"""Lines: one cross-section at a time.

`section_view` draws the section to scale with live edges and dimensions; `stage` joins it and the
curves to the document and the studies.
"""

from onda.app.stages.lines.stage import LinesStage

__all__ = ["LinesStage"]
