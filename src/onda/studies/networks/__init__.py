"""Networks made, judged, and looked at in frequency and in time."""
