"""Which heads, pitches, port and dampers, with reasons computed from the numbers."""
