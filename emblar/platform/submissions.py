"""What was sent by a form, so that the same sent twice makes one thing."""

from datetime import timedelta

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from emblar.platform.tables import SubmissionRow

KEPT = timedelta(days=1)


def claim(db: Session, key: str) -> str | None:
    """Return None if nobody sent this before, else the answer given then.

    Whoever sends the same at the same time waits until the first one's transaction has ended.
    """
    db.execute(delete(SubmissionRow).where(SubmissionRow.created_at < func.now() - KEPT))
    made = insert(SubmissionRow).values(key=key).on_conflict_do_nothing()
    if db.execute(made.returning(SubmissionRow.key)).scalar_one_or_none() is not None:
        return None
    return db.execute(select(SubmissionRow.answer).where(SubmissionRow.key == key)).scalar_one()


def answered(db: Session, key: str, answer: str) -> None:
    """Keep the answer that was given."""
    db.execute(update(SubmissionRow).where(SubmissionRow.key == key).values(answer=answer))
