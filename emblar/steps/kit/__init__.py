"""Kit: the drums of a session, and kits saved by name."""
