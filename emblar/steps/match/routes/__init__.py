"""HTTP of this step."""
