"""A made-up year of log: forty sessions, twelve drums, three thousand readings.

Heads drop overnight and wear out by known numbers, so that what the log finds can be held against
what was put in.
"""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from emblar.core.planning.kit import OwnedDrum
from emblar.formats.setup import SetupFile, SideFile
from emblar.platform.studio import HERE, Studio
from emblar.platform.tables import (
    DrumRow,
    FittingRow,
    HeadRow,
    KitSlotRow,
    MeasurementRow,
    SessionRow,
    SetupRow,
)
from emblar.steps.kit.queries import drums as drum_store

SESSIONS = 40
DRUMS_A_SESSION = 4
SEED = 21
NIGHT_CENTS = -7.0
NIGHT_SD = 2.0
FRESH_CENTS = -28.0
FRESH_SD = 5.0
LIFE = {"snare": 4, "tom": 8, "kick": 10}
"""Sessions that a batter lasts, by kind."""
READ_CENTS = 3.0
NAME = "Reed Bank"
SIZES = {
    "kick": ((20, 16, 10), (22, 16, 10), (24, 14, 10)),
    "snare": ((13, 6, 8), (14, 5.5, 10), (14, 6.5, 10), (14, 8, 10)),
    "tom": ((10, 7, 6), (12, 8, 6), (13, 9, 6), (14, 14, 8), (16, 16, 8)),
}
HEADS = {
    "kick": ("kick-ring-clear", "front-opaque"),
    "snare": ("single-coated", "snare-side"),
    "tom": ("double-clear", "single-clear"),
}
PITCH = {"kick": 70.0, "snare": 280.0, "tom": 160.0}
FIRST = datetime(2025, 10, 6, 16, 0, tzinfo=UTC)


def ensure_year(say: Callable[[str], None], studio: Studio = HERE) -> None:
    """Put the year in unless it is there."""
    with studio.work() as db:
        named = select(SessionRow.id).where(
            SessionRow.studio_id == studio.studio_id, SessionRow.name == f"{NAME} 1"
        )
        if db.execute(named).first() is not None:
            return
        say("Making a year of log (once, a few seconds) …")
        MadeUpLog(db, studio.studio_id).make()


class MadeUpLog:
    """Writes evenings of tuning, row by row, each with its own date."""

    def __init__(self, db: Session, studio_id: int) -> None:
        self.db, self.studio_id = db, studio_id
        self.rng = np.random.default_rng(SEED)
        self.owned: dict[int, OwnedDrum] = {}
        self.used: dict[int, int] = {}
        """Sessions that each drum's batter has been in."""

    def make(self) -> None:
        """Write it all."""
        for kind, sizes in SIZES.items():
            for size, depth, rods in sizes:
                name = f"{kind.capitalize()} {size:g}" + (
                    f" × {depth:g}" if kind == "snare" else ""
                )
                batter, reso = HEADS[kind]
                drum = OwnedDrum(
                    name,
                    kind,  # type: ignore[arg-type]
                    size,
                    depth,
                    rods,
                    "flanged",
                    "maple-lacquer",
                    batter,
                    reso,
                )
                self._drum(drum)
        by_kind = {k: [i for i, d in self.owned.items() if d.kind == k] for k in SIZES}
        for number in range(SESSIONS):
            time = FIRST + timedelta(days=9 * number)
            chosen = [int(self.rng.choice(by_kind[k])) for k in ("kick", "snare")]
            chosen += [int(i) for i in self.rng.choice(by_kind["tom"], DRUMS_A_SESSION - 2, False)]
            self._session(number + 1, time, chosen)

    def _drum(self, drum: OwnedDrum) -> None:
        drum_id = drum_store.add(self.db, self.studio_id, drum)
        self.owned[drum_id], self.used[drum_id] = drum, 0
        for row in self.db.execute(
            select(FittingRow).where(FittingRow.drum_id == drum_id)
        ).scalars():
            row.fitted_at = FIRST - timedelta(days=20)

    def _session(self, number: int, time: datetime, drum_ids: list[int]) -> None:
        session = SessionRow(
            studio_id=self.studio_id,
            name=f"{NAME} {number}",
            artist="The Tin Orchard",
            created_at=time,
        )
        self.db.add(session)
        self.db.flush()
        for place, drum_id in enumerate(drum_ids):
            slot = {"session_id": session.id, "drum_id": drum_id, "position": place}
            self.db.execute(insert(KitSlotRow).values(**slot))
            fresh = self.used[drum_id] >= self._life(drum_id)
            if fresh:
                self._new_batter(drum_id, time)
            self.used[drum_id] += 1
            self.tune(session.id, drum_id, time, fresh=fresh)

    def _life(self, drum_id: int) -> int:
        return LIFE[self.owned[drum_id].kind]

    def _new_batter(self, drum_id: int, time: datetime) -> None:
        self.used[drum_id] = 0
        drum = self.db.get_one(DrumRow, drum_id)
        on_it = self.db.execute(
            select(FittingRow).where(
                FittingRow.drum_id == drum_id,
                FittingRow.side == "batter",
                FittingRow.removed_at.is_(None),
            )
        ).scalar_one()
        on_it.removed_at = time
        self.db.get_one(HeadRow, on_it.head_id).deleted_at = time
        head = HeadRow(
            studio_id=self.studio_id,
            construction=HEADS[drum.kind][0],
            diameter_in=drum.diameter_in,
            condition="used",
        )
        self.db.add(head)
        self.db.flush()
        self.db.add(FittingRow(head_id=head.id, drum_id=drum_id, side="batter", fitted_at=time))
        self.db.flush()

    def tune(
        self, session_id: int, drum_id: int, time: datetime, *, fresh: bool, lugs_only: bool = False
    ) -> None:
        """Tune a drum in the evening and read it again in the morning.

        ``lugs_only`` leaves the pitch of the whole drum out, from which plans would learn.
        """
        owned = self.owned[drum_id]
        goal = PITCH[owned.kind] * float(2.0 ** self.rng.uniform(-0.2, 0.2))
        setup_id = self._setup(session_id, drum_id, time)
        rows = []
        for side, hz in (("batter", goal), ("reso", 1.2 * goal)):
            new = fresh and side == "batter"
            by = self.rng.normal(*((FRESH_CENTS, FRESH_SD) if new else (NIGHT_CENTS, NIGHT_SD)))
            for when, cents in ((time + timedelta(hours=1), 0.0), (time + timedelta(hours=17), by)):
                for rod in range(owned.rods):
                    read_hz = hz * 2.0 ** ((cents + self.rng.normal(0.0, READ_CENTS)) / 1200.0)
                    rows.append(_reading(setup_id, when, read_hz, side=side, rod=rod + 1))
        if not lugs_only and (fresh or self.rng.random() < 0.9):
            rows.append(_reading(setup_id, time + timedelta(hours=2), 0.7 * goal))
        self.db.execute(insert(MeasurementRow), sorted(rows, key=lambda r: str(r["created_at"])))

    def _setup(self, session_id: int, drum_id: int, time: datetime) -> int:
        """Save the drum's setup for that evening and return its id."""
        owned = self.owned[drum_id]
        unknown: list[float | None] = [None] * owned.rods
        file = SetupFile(
            batter=SideFile(construction=owned.batter, lug_hz=unknown),
            reso=SideFile(construction=owned.reso or "", lug_hz=unknown),
        )
        setup = SetupRow(
            drum_id=drum_id,
            session_id=session_id,
            origin="bench",
            document=file.model_dump(by_alias=True),
            created_at=time,
        )
        self.db.add(setup)
        self.db.flush()
        return setup.id


def _reading(
    setup_id: int, time: datetime, hz: float, *, side: str | None = None, rod: int | None = None
) -> dict[str, Any]:
    """Return a reading: the lug pitch at a rod, or the drum's pitch if no rod is given."""
    return {
        "setup_id": setup_id,
        "what": "drum" if side is None else "lug",
        "side": side,
        "rod": rod,
        "hz": hz,
        "sd_hz": 0.4 if side is None else 0.3,
        "how": "microphone",
        "created_at": time,
    }
