"""Drawing pieces that stages share: curves with limits and readouts, colour scales."""
