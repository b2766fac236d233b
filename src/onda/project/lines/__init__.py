"""Line classes, shielded sections and lines from data sheets."""
