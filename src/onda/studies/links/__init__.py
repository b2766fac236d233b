"""Eyes over a path."""
