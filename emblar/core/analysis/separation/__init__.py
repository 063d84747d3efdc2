"""Drums out of a mix, and each drum out of the drums."""
