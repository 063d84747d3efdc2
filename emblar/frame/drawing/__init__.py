"""Pure functions from the core's numbers to SVG markup."""
