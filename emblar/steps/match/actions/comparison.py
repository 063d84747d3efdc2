"""Match: takes of a drum, how far each is from the record, what to change next, the way back."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePath

from emblar.core.acoustics.drum import Side
from emblar.core.drum import Setup
from emblar.core.errors import InputError, NotFoundError
from emblar.core.matching.learned import learned_shares
from emblar.core.matching.moves import Move, next_moves
from emblar.core.planning.target import Target, moved
from emblar.formats.setup import SetupFile
from emblar.formats.stored import lenient
from emblar.platform import audio as audio_store
from emblar.platform.studio import Studio, in_session
from emblar.steps.bench.actions.state import Bench
from emblar.steps.bench.actions.tuning import bench, change_setup, setup_of, work_on
from emblar.steps.kit.queries import setups as setup_store
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.kit.queries.setups import SetupInfo
from emblar.steps.listen import queries as store
from emblar.steps.listen.actions.recordings import AnalysedRecord, analysed_record
from emblar.steps.listen.queries import RecordingInfo
from emblar.steps.listen.queue import defer_analysis
from emblar.steps.match.actions.takes import Take, kept_sound, measured_take, same_take, take_voice
from emblar.steps.match.actions.trials import trials
from emblar.steps.plan.actions.planning import target_of
from emblar.steps.sessions.actions.editing import brief_of, one_session
from emblar.steps.shelf.actions import loose_heads

MOST_MOVES = 5
FAR_STEPS = 12.0
MOST_MICROPHONES = 8


@dataclass(frozen=True, slots=True)
class Match:
    """A drum against the record: its takes, the one shown, and the next moves from it."""

    bench: Bench
    record: Target
    analysed: AnalysedRecord
    takes: tuple[Take, ...]
    shown: Take | None
    setup: Setup
    moves: tuple[Move, ...]
    gap_s: float | None
    """Time between the session's fastest notes on it, None where the brief does not say."""

    @property
    def measuring(self) -> bool:
        """Whether a take is still being measured."""
        return any(take.info.active for take in self.takes)


def bring_take(
    studio: Studio, session_id: int, slot_id: int, filename: str, data: bytes
) -> RecordingInfo:
    """Keep a take of a drum as it is set up now and have it measured: one stroke or several.

    Raises
    ------
    BadAudioError
        It cannot be read or holds nothing to measure; nothing was kept.
    """
    return bring_takes(studio, session_id, slot_id, [(filename, data)])[0]


def bring_takes(
    studio: Studio, session_id: int, slot_id: int, sounds: Sequence[tuple[str, bytes]]
) -> list[RecordingInfo]:
    """Keep takes of one setup, one a microphone, and have each measured.

    The same sound of the same setup is one take, however often it is sent.

    Parameters
    ----------
    sounds
        Each file's name and bytes.

    Raises
    ------
    BadAudioError
        One of them cannot be read or holds nothing to measure; none was kept.
    InputError
        There are too many.
    """
    if not 1 <= len(sounds) <= MOST_MICROPHONES:
        raise InputError(f"Upload 1 to {MOST_MICROPHONES} files together, one per microphone.")
    with in_session(studio, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
    kept = [
        (filename, *kept_sound(filename, data, alone=len(sounds) == 1)) for filename, data in sounds
    ]
    recordings = []
    with in_session(studio, session_id) as db:
        work_on(db, session_id, slot_id)
        setup = setup_of(db, session_id, drum)
        present = [t for t in store.takes(db, session_id, drum.drum_id) if t.setup_id == setup.id]
        for filename, form, media_type in kept:
            audio_id = audio_store.keep(db, form, media_type)
            recording = same_take(present, audio_id)
            if recording is not None:
                recordings.append(recording)
                continue
            recording = store.create(
                db,
                session_id=session_id,
                audio_id=audio_id,
                filename=PurePath(filename).name or "take",
                kind="drums",
                voice=take_voice(drum.owned.kind),
                take_of=(drum.drum_id, setup.id),
            )
            defer_analysis(db, recording.id)
            recordings.append(recording)
    return recordings


def match(studio: Studio, session_id: int, slot_id: int, take_id: int | None = None) -> Match:
    """Return a drum against the record.

    Parameters
    ----------
    take_id
        The take to show; the newest measured one if left out.

    Raises
    ------
    InputError
        The drum is not planned, or the record tells nothing of it.
    """
    catalogue = studio.catalogue()
    current, result = bench(studio, session_id, slot_id), analysed_record(studio, session_id)
    target = target_of(result, current.drum.voice)
    if result is None or target is None:
        raise InputError(
            f"{current.drum.owned.name} has no part of the record yet, so a take cannot be "
            "compared with it. Choose its part in Kit."
        )
    record = moved(target, dict(current.drum.wish.get("steps", {})))
    takes = _takes(studio, session_id, current, record)
    done = [take for take in takes if take.comparison is not None]
    if take_id is not None:
        done = [take for take in done if take.info.id == take_id] or done
    shown = done[-1] if done else None
    setup = setup_of_bench(current)
    moves: tuple[Move, ...] = ()
    if shown is not None and shown.comparison is not None and _in_tune(shown, takes):
        have = set(catalogue.dampers) | set(catalogue.strikers)
        have |= {h.owned.construction for h in loose_heads(studio)}
        owned = current.drum.owned
        done_before = trials(catalogue, owned, takes, _setups(studio, session_id, current), setup)
        shares = learned_shares(done_before)
        found_moves = next_moves(
            catalogue, owned, setup, shown.comparison, have=frozenset(have), learned=shares
        )
        moves = tuple(found_moves[:MOST_MOVES])
    gap_s = brief_of(one_session(studio, session_id)).brief().gap_s(current.drum.voice or "")
    return Match(current, record, result, takes, shown, setup, moves, gap_s)


def _setups(studio: Studio, session_id: int, state: Bench) -> list[SetupInfo]:
    with in_session(studio, session_id) as db:
        return setup_store.listing(db, state.drum.drum_id)


def _in_tune(shown: Take, takes: tuple[Take, ...]) -> bool:
    """Whether a take is the newest, and of the drum near its note: before that, Bench is next."""
    pitch = shown.comparison.differences.get("pitch") if shown.comparison is not None else None
    return shown is _newest(takes) and (pitch is None or abs(pitch.steps) <= FAR_STEPS)


def _newest(takes: tuple[Take, ...]) -> Take | None:
    done = [take for take in takes if take.comparison is not None]
    return done[-1] if done else None


def _takes(studio: Studio, session_id: int, state: Bench, record: Target) -> tuple[Take, ...]:
    voice = take_voice(state.drum.owned.kind)
    with in_session(studio, session_id) as db:
        rows = store.takes(db, session_id, state.drum.drum_id)
        numbers = store.take_numbers(db, session_id)
        setups = {s.id: s for s in setup_store.listing(db, state.drum.drum_id)}
        documents = {
            row.id: store.analysis_document(db, row.id) for row in rows if row.state == "done"
        }
    result = []
    for row in rows:
        info = setups.get(row.setup_id or 0)
        result.append(
            measured_take(
                numbers[row.id],
                row,
                documents.get(row.id),
                voice,
                record,
                setup=_as_made(info, state.plan.dampers) if info else None,
                picture=info is not None and info.picture_id is not None,
                note=info.note if info else "",
            )
        )
    return tuple(result)


def _as_made(info: SetupInfo, planned: Sequence[str]) -> SetupFile:
    """Return a setup; before anything was worked on the drum, the plan's dampers lay on it."""
    file = lenient(SetupFile, info.document, "This setup")
    return file.model_copy(update={"dampers": list(planned)}) if info.origin == "as found" else file


def setup_of_bench(state: Bench) -> Setup:
    """Return how the drum is set up: as read at the bench, as planned where nothing was read."""
    file = lenient(SetupFile, state.setup.document, "This setup")
    worked = bool(state.done) or state.setup.origin != "as found"
    heads = state.heads
    reso = heads.get("reso")
    batter = heads["batter"]
    return Setup(
        batter=batter.made if worked else batter.planned,
        reso=None if reso is None else reso.made if worked else reso.planned,
        batter_hz=batter.hz or batter.goal_hz,
        reso_hz=None if reso is None else reso.hz or reso.goal_hz,
        dampers=tuple(file.dampers) if worked else tuple(state.plan.dampers),
        striker=file.striker or state.plan.striker,
        wires=file.wires or state.plan.wires,
        port_in=state.plan.port_in,
        force=file.force or 1.0,
    )


def make_move(studio: Studio, session_id: int, slot_id: int, kind: str, what: str) -> None:
    """Keep that a move was made: the drum's setup is another from now on.

    Raises
    ------
    InputError
        It is none of the moves that are offered now, or one that Bench does.
    """
    current = match(studio, session_id, slot_id)
    move = next((m for m in current.moves if (m.kind, m.what) == (kind, what)), None)
    if move is None:
        raise InputError("That move is not offered any more. Record a take and look again.")
    if move.kind in ("head", "port"):
        raise InputError("Ask for that head or hole in Plan; Bench then leads through the change.")
    turned: dict[Side, list[float]] = {}
    if move.kind == "turn":
        name, turns = move.what.split(" ")
        sides: tuple[Side, ...] = ("batter", "reso")
        rods = [float(turns)] * current.bench.drum.owned.rods
        turned = {side: rods for side in sides if name in (side, "both")}
    after = move.setup
    with in_session(studio, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        change_setup(
            db,
            session_id,
            drum,
            turned=turned,
            dampers=list(after.dampers),
            striker=after.striker,
            wires=after.wires,
            force=after.force,
        )


def note_change(studio: Studio, session_id: int, slot_id: int, kind: str, what: str) -> None:
    """Keep a change of one's own: the next take belongs to the drum as it is now.

    Parameters
    ----------
    kind, what
        ``"damper"``: on if it was off, off if it was on; ``"striker"`` or ``"wires"``: which from
        now on; by the catalogue's ids.

    Raises
    ------
    InputError
        There is no such thing for this drum.
    """
    catalogue = studio.catalogue()
    with in_session(studio, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        owned = drum.owned
        available = {
            "damper": {d.id for d in catalogue.dampers_for(owned.kind)},
            "striker": {s.id for s in catalogue.strikers_for(owned.kind)},
            "wires": set(catalogue.wire_settings) if owned.kind == "snare" else set(),
        }
        if what not in available.get(kind, set()):
            raise InputError(f"“{what[:40]}” is nothing that can be changed on this drum.")
        current = lenient(SetupFile, setup_of(db, session_id, drum).document, "This setup")
        if kind == "damper":
            on = [d for d in current.dampers if d != what]
            dampers = on if what in current.dampers else [*on, what]
            change_setup(db, session_id, drum, dampers=dampers)
        elif kind == "striker":
            change_setup(db, session_id, drum, striker=what)
        else:
            change_setup(db, session_id, drum, wires=what)


def take_away(studio: Studio, session_id: int, slot_id: int, take_id: int) -> None:
    """Remove a take."""
    with in_session(studio, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        if take_id not in {row.id for row in store.takes(db, session_id, drum.drum_id)}:
            raise NotFoundError("That take is not here any more.")
        store.take_away(db, take_id)


def bring_take_back(studio: Studio, session_id: int, slot_id: int, take_id: int) -> None:
    """Upload a take back that was removed."""
    with in_session(studio, session_id) as db:
        kit_store.get(db, session_id, slot_id)
        store.bring_back(db, take_id, session_id)
