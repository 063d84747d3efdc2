"""From a recording to strokes, voices and the numbers that describe each drum."""
