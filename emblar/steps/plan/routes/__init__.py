"""HTTP routes for this step."""
