"""Brief: what the artist wants, and the limits."""
