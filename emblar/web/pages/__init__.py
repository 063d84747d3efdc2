"""Frozen view models: what templates show, ready to print."""
