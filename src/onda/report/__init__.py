"""The release record: what was checked, by how much it holds, with pictures, as plain HTML.

`html` writes the page, `figures` its pictures, `build_drawing` the fabricator's drawing. Import the
module that is wanted: the plotting library behind them takes longer to load than a window to open.
"""
