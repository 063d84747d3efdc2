"""What was deleted more than 30 days ago goes for good."""

from collections import Counter
from datetime import timedelta

from emblar.settings import now
from emblar.store.database import transaction
from emblar.store.purge import purge
from emblar.store.sessions import UNDO_DAYS


def purge_deleted() -> Counter[str]:
    """Delete for good, in every studio, what can no longer be brought back; return the counts."""
    with transaction() as db:
        return purge(db, now() - timedelta(days=UNDO_DAYS))
