"""Plan: a setup for every drum, its alternatives, and changes by hand."""
