"""Where strokes may begin."""
