"""Brief: what is wanted of the kit."""
