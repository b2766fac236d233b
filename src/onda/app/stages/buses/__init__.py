"""Buses: every case on a map, what each device is in each operation, and why the worst is worst."""
