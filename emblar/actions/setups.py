"""Setups and measurements: what a drum is like now, what was read on it, and the way back."""

from dataclasses import dataclass
from typing import Literal

from emblar.actions.scope import Scope, in_session
from emblar.core.errors import InputError
from emblar.core.planning.kit import check_range
from emblar.formats.setup import Origin, SetupFile, SideFile
from emblar.formats.stored import lenient
from emblar.store import kit as kit_store
from emblar.store import setups as store
from emblar.store.kit import KitDrum
from emblar.store.setups import MeasurementInfo, SetupInfo

HOW = ("microphone", "clip", "typed", "practice")
LEAST_SD_HZ = 0.1
Side = Literal["batter", "reso"]


@dataclass(frozen=True, slots=True)
class Setup:
    """A drum at one time, with what was read on it."""

    info: SetupInfo
    file: SetupFile
    measurements: tuple[MeasurementInfo, ...]


def setup_now(scope: Scope, session_id: int, slot_id: int) -> Setup:
    """Return what a drum of a kit is like now; as found, with no pitch known, the first time."""
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        info = store.latest(db, drum.drum_id)
        if info is None:
            document = _as_found(drum).model_dump(by_alias=True)
            info = store.add(db, drum.drum_id, document, origin="as found", session_id=session_id)
        rows = store.measurements(db, [info.id])
    return Setup(info, lenient(SetupFile, info.document, "This setup"), tuple(rows))


def keep_setup(
    scope: Scope, session_id: int, slot_id: int, file: SetupFile, *, origin: Origin, note: str = ""
) -> SetupInfo:
    """Keep what a drum is like now; the setup before is its parent.

    Raises
    ------
    InputError
        A side has more or fewer lug pitches than the drum has rods.
    """
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        for side in (file.batter, file.reso):
            if side is not None and len(side.lug_hz) != drum.owned.rods:
                raise InputError(
                    f"{drum.owned.name} has {drum.owned.rods} rods; {len(side.lug_hz)} lug pitches "
                    "were given."
                )
        before = store.latest(db, drum.drum_id)
        return store.add(
            db, drum.drum_id, file.model_dump(by_alias=True), origin=origin,
            session_id=session_id, parent_id=before.id if before else None, note=note,
        )  # fmt: skip


def journey(scope: Scope, session_id: int, slot_id: int) -> list[SetupInfo]:
    """Return every setup of a drum of a kit, in whichever session it was, the oldest first."""
    with in_session(scope, session_id) as db:
        return store.listing(db, kit_store.get(db, session_id, slot_id).drum_id)


def return_to(scope: Scope, session_id: int, slot_id: int, setup_id: int) -> SetupInfo:
    """Go back to a setup of a drum: it becomes the newest one, with the one left as its parent."""
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        wanted = store.get(db, scope.studio_id, setup_id)
        if wanted.drum_id != drum.drum_id:
            raise InputError(f"That setup is not one of {drum.owned.name}.")
        before = store.latest(db, drum.drum_id)
        return store.add(
            db, drum.drum_id, wanted.document, origin="return", session_id=session_id,
            parent_id=before.id if before else None, note=wanted.note,
        )  # fmt: skip


def measure_lug(
    scope: Scope,
    session_id: int,
    slot_id: int,
    *,
    side: Side,
    rod: int,
    hz: float,
    sd_hz: float,
    how: str,
) -> MeasurementInfo:
    """Keep a lug pitch that was read at a rod, counted from 1.

    Raises
    ------
    InputError
        There is no such rod or head, or a number is outside its range.
    """
    if how not in HOW:
        raise InputError(f"“{how}” is none of {', '.join(HOW)}.", field="how")
    check_range("lug_hz", hz)
    now = setup_now(scope, session_id, slot_id)
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        if not 1 <= rod <= drum.owned.rods:
            raise InputError(
                f"{drum.owned.name} has rods 1 to {drum.owned.rods}; {rod} is none of them.",
                field="rod",
            )
        if side == "reso" and drum.owned.reso is None:
            raise InputError(f"{drum.owned.name} has no front head.", field="side")
        return store.measure(
            db, now.info.id, what="lug", side=side, rod=rod, hz=hz, sd_hz=max(sd_hz, LEAST_SD_HZ),
            how=how,
        )  # fmt: skip


def take_reading_back(scope: Scope, session_id: int, slot_id: int, measurement_id: int) -> None:
    """Take a reading of the drum as it is now back."""
    now = setup_now(scope, session_id, slot_id)
    with in_session(scope, session_id) as db:
        store.delete_measurement(db, now.info.id, measurement_id)


def _as_found(drum: KitDrum) -> SetupFile:
    owned = drum.owned
    unknown: list[float | None] = [None] * owned.rods
    return SetupFile(
        batter=SideFile(construction=owned.batter, lug_hz=unknown),
        reso=SideFile(construction=owned.reso, lug_hz=unknown) if owned.reso else None,
        port_in=owned.port_in,
    )
