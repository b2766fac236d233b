"""Links: serial data over a path."""
