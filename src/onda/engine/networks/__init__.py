"""n-port networks: rational models of them, mixed-mode waves."""
