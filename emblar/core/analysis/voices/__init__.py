"""Which drum each stroke is on: toms parted and ordered, voices decided."""
