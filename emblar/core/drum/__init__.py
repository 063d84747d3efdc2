"""A drum's setup, and wishes about it."""

from emblar.core.drum.setup import AS_PLANNED, Port, Relation, Setup, Wish

__all__ = ["AS_PLANNED", "Port", "Relation", "Setup", "Wish"]
