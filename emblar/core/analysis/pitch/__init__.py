"""Partials of a drum: which is its fundamental, where it settles, how it bends, how it rings."""
