"""SQL of this step."""
