"""What was deleted more than 30 days ago goes for good."""

from collections import Counter
from datetime import timedelta

from emblar.platform.database import transaction
from emblar.platform.sessions import UNDO_DAYS
from emblar.platform.settings import current_time
from emblar.steps.sessions.queries.purge import purge


def purge_deleted() -> Counter[str]:
    """Delete for good, in every studio, what can no longer be brought back; return the counts."""
    with transaction() as db:
        return purge(db, current_time() - timedelta(days=UNDO_DAYS))
