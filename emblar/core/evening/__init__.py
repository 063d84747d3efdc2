"""The evening's work backwards from the downbeat."""
