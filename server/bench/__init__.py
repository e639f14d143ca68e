"""Measurements of devices: a test signal through a stand-in, or a take of one's own."""
