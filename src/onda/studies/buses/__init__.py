"""Studies of buses."""
