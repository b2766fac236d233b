"""The Coupling stage: lanes, their section, who disturbs whom, pulses, spectra, noise."""
