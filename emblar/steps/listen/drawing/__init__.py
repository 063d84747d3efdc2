"""Drawings for this step."""
