"""The build of a board: layers, materials, zones, via spans, and the files that it comes in."""
