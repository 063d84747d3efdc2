"""Drawings of this step."""
