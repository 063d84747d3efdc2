"""Evening: the jobs of one evening in their order."""
