"""A studio's catalogue: shipped parts, its own parts, and damper strengths learned from strokes."""

import contextlib
import logging
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from emblar.core.catalogue import Catalogue, numbers
from emblar.core.errors import DocumentError
from emblar.core.tuning.muffling import Layer, LearnedDamper, Response, learned, responses
from emblar.formats.own_part import part_row
from emblar.formats.stored import lenient
from emblar.platform.database import read_once
from emblar.platform.tables import BenchRow, OwnPartRow, SessionRow

log = logging.getLogger("emblar.platform")
LEAST_STROKES = 2
"""Plans use a learned damper strength from this many pairs of strokes on."""


@dataclass(frozen=True, slots=True)
class OwnPart:
    """A user's own part: its table in the catalogue, and its row."""

    id: int
    part: str
    row: dict[str, Any]


@read_once
def catalogue_of(db: Session, studio_id: int) -> Catalogue:
    """Return the shipped catalogue with the studio's own parts and learned damper strengths."""
    parts = ((part.part, row) for part, row in readable_parts(db, studio_id))
    values = learned_dampers(db, studio_id)
    return Catalogue(
        tuple(parts),
        tuple((name, row.times) for name, row in values.items() if row.strokes >= LEAST_STROKES),
    )


@read_once
def readable_parts(db: Session, studio_id: int) -> list[tuple[OwnPart, Any]]:
    """Return the studio's own parts with their catalogue rows, in the order they were added.

    Parts that cannot be read are left out.
    """
    query = select(OwnPartRow).where(
        OwnPartRow.studio_id == studio_id, OwnPartRow.deleted_at.is_(None)
    )
    result = []
    for row in db.execute(query.order_by(OwnPartRow.id)).scalars():
        try:
            part = OwnPart(row.id, row.part, dict(row.row))
            result.append((part, part_row(part.part, part.row)))
        except DocumentError:
            log.warning("own part %s cannot be read", row.id)
    return result


@read_once
def learned_dampers(db: Session, studio_id: int) -> dict[str, LearnedDamper]:
    """Return damper strengths, by id, learned from strokes with dampers added one at a time."""
    rows: list[Response] = []
    for layers in _muffled(db, studio_id):
        # Skip drums whose strokes cannot be read.
        with contextlib.suppress(DocumentError):
            rows += responses([lenient(Layer, row, "A stroke") for row in layers])
    return learned(rows, numbers("damper")["resistance"].sd_share) if rows else {}


def _muffled(db: Session, studio_id: int) -> Sequence[Sequence[dict[str, Any]]]:
    """Return the strokes of each drum that was muffled one damper at a time, in order."""
    layers = BenchRow.document["layers"]
    query = (
        select(layers)
        .join(SessionRow, SessionRow.id == BenchRow.session_id)
        .where(SessionRow.studio_id == studio_id, func.jsonb_typeof(layers) == "array")
        .order_by(BenchRow.session_id, BenchRow.drum_id)
    )
    return [list(row) for row in db.execute(query).scalars() if len(row) > 1]
