"""SQL queries for this step."""
