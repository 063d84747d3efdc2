"""View models of this step, ready to print."""
