"""Sheet: the plan on paper."""
