"""Put the analysis and the measuring of recordings on the queue."""

from sqlalchemy.orm import Session

from emblar.platform.jobs import defer
from emblar.steps.listen import queries as recordings

ANALYSE = "analyse_recording"
MEASURE = "measure_recording"
RENEW = "renew_recording"
MOST_BEHIND = 100


def defer_analysis(db: Session, recording_id: int) -> None:
    """Have a recording analysed once this transaction is committed.

    A studio has one analysis at a time, and the more of its recordings wait the later its next one
    comes: one that brings many does not keep the others waiting.
    """
    studio_id, waiting = recordings.waiting_beside(db, recording_id)
    priority = -min(waiting, MOST_BEHIND)
    defer(db, ANALYSE, priority=priority, lock=f"{ANALYSE}-{studio_id}", recording_id=recording_id)


def defer_measuring(db: Session, recording_id: int) -> None:
    """Have a recording's corrected drums measured once this transaction is committed."""
    # What is quick comes before every analysis.
    defer(db, MEASURE, priority=10, lock=f"{MEASURE}-{recording_id}", recording_id=recording_id)


def defer_renewal(db: Session, recording_id: int) -> None:
    """Have a recording analysed again by this Emblar, after everything that is more urgent."""
    studio_id, _ = recordings.waiting_beside(db, recording_id)
    defer(
        db,
        RENEW,
        priority=-2 * MOST_BEHIND,
        lock=f"{ANALYSE}-{studio_id}",
        recording_id=recording_id,
    )
