"""Timing of data against a strobe: crossings, set-up and hold with derating, centring."""
