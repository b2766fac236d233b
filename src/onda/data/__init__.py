"""Data that ships with Onda."""
