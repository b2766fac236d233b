"""Coupling: a group's slice, its lines, what its lanes do to each other, and the search."""
