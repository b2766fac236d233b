"""Eyes: the eye at the receiver, with its mask and margins.

`eye_view` draws the density with what was measured on it; `stage` joins it to the document and the
studies.
"""
