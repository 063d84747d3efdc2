"""Sound from the same modes and dampings that the prediction uses: no samples anywhere."""
