"""Commands for this step."""
