"""The frame: course, list, inspector parts, margin strip, and the window that holds them."""
