"""Waveforms along a net, what its receivers measure, sweeps and reasons."""
