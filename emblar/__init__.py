"""Emblar: measure a drum sound, plan it on the drums at hand, check it against the record."""

import os

__version__ = "0.2.0"

# The model solves many small problems, which several threads only get in each other's way at, most
# of all while an analysis runs beside. Must be said before numpy is loaded; who knows better may.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
