"""Commands of this step."""
