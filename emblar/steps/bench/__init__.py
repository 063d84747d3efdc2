"""Bench: tuning to the plan at the drum."""
