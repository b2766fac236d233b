"""Stackup: the build to scale, and what every class makes of it.

`build_view` draws the layers and lets their values be typed on; `stage` joins it to the document.
"""
