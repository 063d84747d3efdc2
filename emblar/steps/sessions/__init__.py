"""The list of sessions; export and import of a whole studio."""
