"""Listen: the record is brought, analysed and corrected."""
