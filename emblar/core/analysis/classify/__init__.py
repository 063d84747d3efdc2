"""Which kinds of drum sound at a candidate: networks, and what the recording itself says."""
