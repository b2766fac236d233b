"""Lines: one cross-section at a time.

`section_view` draws the section to scale with live edges and dimensions; `stage` joins it and the
curves to the document and the studies.
"""
