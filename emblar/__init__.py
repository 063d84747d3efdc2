"""Emblar: measure a drum sound, plan it on the drums at hand, check it against the record."""

__version__ = "0.1.0"
