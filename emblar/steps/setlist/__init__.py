"""Setlist: which drums change between songs."""
