"""Coupling: groups of lanes that run side by side."""
