"""Log: what was done to every drum, and what it taught."""
