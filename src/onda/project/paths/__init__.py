"""Paths: nets from driver to receivers, and their edits."""
