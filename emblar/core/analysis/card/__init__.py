"""The sound card of one voice, measured from its clean strokes."""
