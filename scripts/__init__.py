"""Tools for the maintainers: schemas and pictures."""
