"""Memory buses: signals, devices, operations."""
