"""Listen: adding, analysing and correcting the record."""
