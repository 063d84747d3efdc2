"""Match: takes of a drum, how far each is from the record, what to change next, the way back."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePath

from emblar.actions.bench import bench, change_setup, setup_of
from emblar.actions.bench_state import Bench
from emblar.actions.listen import Heard, heard
from emblar.actions.plan import target_of
from emblar.actions.scope import Scope, in_session
from emblar.actions.shelf import loose_heads, use_own_parts
from emblar.core.acoustics.drum import Side
from emblar.core.analysis.audio import check_audio
from emblar.core.catalogue import dampers as all_dampers
from emblar.core.catalogue import dampers_for, strikers, strikers_for, wire_settings
from emblar.core.errors import BadAudioError, DocumentError, InputError, NotFoundError
from emblar.core.matching.differences import Comparison, compare
from emblar.core.matching.moves import DrumSetup, Move, next_moves
from emblar.core.matching.way_back import Node, WayBack, way_between
from emblar.core.planning.target import Target, moved, target_from_card
from emblar.formats.analysis import AnalysisFile, analysis_from_document, card_from_file
from emblar.formats.setup import SetupFile
from emblar.formats.stored import lenient
from emblar.jobs.queue import defer_analysis
from emblar.sound.apart import decode_apart
from emblar.sound.encode import kept_form
from emblar.store import audio as audio_store
from emblar.store import kit as kit_store
from emblar.store import recordings as store
from emblar.store import setups as setup_store
from emblar.store.recordings import RecordingInfo

MOST_MOVES, FAR_STEPS, MOST_MICROPHONES = 5, 12.0, 8
TOM_VOICE = "tom-1"


@dataclass(frozen=True, slots=True)
class Take:
    """A take: its recording, the setup it was made in, and what it measures against the record.

    ``found`` is None while it is being measured, or where the record tells nothing of this drum.
    """

    number: int
    info: RecordingInfo
    setup: SetupFile | None
    analysis: AnalysisFile | None
    target: Target | None
    found: Comparison | None


@dataclass(frozen=True, slots=True)
class Match:
    """A drum against the record: its takes, the one shown, and the next moves from it."""

    bench: Bench
    record: Target
    heard: Heard
    takes: tuple[Take, ...]
    shown: Take | None
    setup: DrumSetup
    moves: tuple[Move, ...]

    @property
    def measuring(self) -> bool:
        """Whether a take is still being measured."""
        return any(take.info.active for take in self.takes)


def voice_of(kind: str) -> str:
    """Return the voice that a drum's own strokes are measured as."""
    return TOM_VOICE if kind == "tom" else kind


def bring_take(
    scope: Scope, session_id: int, slot_id: int, filename: str, data: bytes
) -> RecordingInfo:
    """Keep a take of a drum as it is set up now and have it measured: one stroke or several.

    Raises
    ------
    BadAudioError
        It cannot be read or holds nothing to measure; nothing was kept.
    """
    return bring_takes(scope, session_id, slot_id, [(filename, data)])[0]


def bring_takes(
    scope: Scope, session_id: int, slot_id: int, sounds: Sequence[tuple[str, bytes]]
) -> list[RecordingInfo]:
    """Keep takes of one setup, one a microphone, and have each measured.

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
        raise InputError(f"Bring 1 to {MOST_MICROPHONES} files at once, one a microphone.")
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
    kept = [(filename, *_kept(filename, data, alone=len(sounds) == 1)) for filename, data in sounds]
    recordings = []
    with in_session(scope, session_id) as db:
        setup = setup_of(db, session_id, drum)
        for filename, form, media_type in kept:
            recording = store.create(
                db, session_id=session_id, audio_id=audio_store.keep(db, form, media_type),
                filename=PurePath(filename).name or "take", kind="drums",
                voice=voice_of(drum.owned.kind), take_of=(drum.drum_id, setup.id),
            )  # fmt: skip
            defer_analysis(db, recording.id)
            recordings.append(recording)
    return recordings


def _kept(filename: str, data: bytes, *, alone: bool) -> tuple[bytes, str]:
    """Return a sound in the form it is kept in; one of several that is bad is named."""
    try:
        decoded = decode_apart(data)
        check_audio(decoded.audio)
    except BadAudioError as error:
        if alone:
            raise
        raise BadAudioError(f"{PurePath(filename).name}: {error} None of them was kept.") from error
    return kept_form(data, decoded)


def match(scope: Scope, session_id: int, slot_id: int, take_id: int | None = None) -> Match:
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
    use_own_parts(scope)
    now, found = bench(scope, session_id, slot_id), heard(scope, session_id)
    target = target_of(found, now.drum.voice)
    if found is None or target is None:
        raise InputError(
            f"{now.drum.owned.name} has no part of the record yet, so there is nothing to hold a "
            "take against. Give it one in Kit."
        )
    record = moved(target, dict(now.drum.wish.get("steps", {})))
    takes = _takes(scope, session_id, now, record)
    done = [take for take in takes if take.found is not None]
    if take_id is not None:
        done = [take for take in done if take.info.id == take_id] or done
    shown = done[-1] if done else None
    setup = setup_of_bench(now)
    moves: tuple[Move, ...] = ()
    if shown is not None and shown.found is not None and _in_tune(shown, takes):
        have = set(all_dampers()) | set(strikers())
        have |= {h.owned.construction for h in loose_heads(scope)}
        moves = tuple(next_moves(setup, shown.found, have=frozenset(have))[:MOST_MOVES])
    return Match(now, record, found, takes, shown, setup, moves)


def _in_tune(shown: Take, takes: tuple[Take, ...]) -> bool:
    """Whether a take is the newest, and of the drum near its note: before that, Bench is next."""
    pitch = shown.found.told.get("pitch") if shown.found is not None else None
    return shown is _newest(takes) and (pitch is None or abs(pitch.steps) <= FAR_STEPS)


def _newest(takes: tuple[Take, ...]) -> Take | None:
    done = [take for take in takes if take.found is not None]
    return done[-1] if done else None


def _takes(scope: Scope, session_id: int, now: Bench, record: Target) -> tuple[Take, ...]:
    found = []
    voice = voice_of(now.drum.owned.kind)
    with in_session(scope, session_id) as db:
        rows = store.takes(db, session_id, now.drum.drum_id)
        setups = {s.id: s for s in setup_store.listing(db, now.drum.drum_id)}
        documents = {
            row.id: store.analysis_document(db, row.id) for row in rows if row.state == "done"
        }
    for number, row in enumerate(rows, start=1):
        info = setups.get(row.setup_id or 0)
        setup = lenient(SetupFile, info.document, "This setup") if info else None
        analysis = target = comparison = None
        if row.id in documents:
            try:
                analysis = analysis_from_document(documents[row.id])
            except DocumentError:
                analysis = None
        card = next((v for v in analysis.voices if v.voice == voice), None) if analysis else None
        if card is not None:
            target = target_from_card(card_from_file(card))
            comparison = compare(record, target)
        found.append(Take(number, row, setup, analysis, target, comparison))
    return tuple(found)


def setup_of_bench(now: Bench) -> DrumSetup:
    """Return how the drum is set up: as read at the bench, as planned where nothing was read."""
    file = lenient(SetupFile, now.setup.document, "This setup")
    worked = bool(now.done) or now.setup.origin != "as found"
    heads = now.heads
    reso = heads.get("reso")
    batter = heads["batter"]
    return DrumSetup(
        owned=now.drum.owned,
        batter=batter.made if worked else batter.planned,
        reso=None if reso is None else reso.made if worked else reso.planned,
        batter_hz=batter.hz or batter.goal_hz,
        reso_hz=None if reso is None else reso.hz or reso.goal_hz,
        dampers=tuple(file.dampers) if worked else tuple(now.plan.dampers),
        striker=file.striker or now.plan.striker,
        wires=file.wires or now.plan.wires,
        port_in=now.plan.port_in,
        force=file.force or 1.0,
    )


def make_move(scope: Scope, session_id: int, slot_id: int, kind: str, what: str) -> None:
    """Keep that a move was made: the drum's setup is another from now on.

    Raises
    ------
    InputError
        It is none of the moves that are offered now, or one that Bench does.
    """
    now = match(scope, session_id, slot_id)
    move = next((m for m in now.moves if (m.kind, m.what) == (kind, what)), None)
    if move is None:
        raise InputError("That move is not offered any more. Record a take and look again.")
    if move.kind in ("head", "port"):
        raise InputError("Ask for that head or hole in Plan; Bench then leads through the change.")
    turned: dict[Side, list[float]] = {}
    if move.kind == "turn":
        name, turns = move.what.split(" ")
        sides: tuple[Side, ...] = ("batter", "reso")
        rods = [float(turns)] * now.bench.drum.owned.rods
        turned = {side: rods for side in sides if name in (side, "both")}
    after = move.setup
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        change_setup(
            db, session_id, drum, turned=turned, dampers=list(after.dampers),
            striker=after.striker, wires=after.wires, force=after.force,
        )  # fmt: skip


def note_change(scope: Scope, session_id: int, slot_id: int, kind: str, what: str) -> None:
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
    use_own_parts(scope)
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        owned = drum.owned
        there = {
            "damper": {d.id for d in dampers_for(owned.kind)},
            "striker": {s.id for s in strikers_for(owned.kind)},
            "wires": set(wire_settings()) if owned.kind == "snare" else set(),
        }
        if what not in there.get(kind, set()):
            raise InputError(f"“{what[:40]}” is nothing that can be changed on this drum.")
        now = lenient(SetupFile, setup_of(db, session_id, drum).document, "This setup")
        if kind == "damper":
            on = [d for d in now.dampers if d != what]
            dampers = on if what in now.dampers else [*on, what]
            change_setup(db, session_id, drum, dampers=dampers)
        elif kind == "striker":
            change_setup(db, session_id, drum, striker=what)
        else:
            change_setup(db, session_id, drum, wires=what)


def take_away(scope: Scope, session_id: int, slot_id: int, take_id: int) -> None:
    """Remove a take."""
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        if take_id not in {row.id for row in store.takes(db, session_id, drum.drum_id)}:
            raise NotFoundError("That take is not here any more.")
        store.take_away(db, take_id)


def bring_take_back(scope: Scope, session_id: int, slot_id: int, take_id: int) -> None:
    """Bring a take back that was removed."""
    with in_session(scope, session_id) as db:
        kit_store.get(db, session_id, slot_id)
        store.bring_back(db, take_id, session_id)


def way_to(scope: Scope, session_id: int, slot_id: int, setup_id: int) -> WayBack:
    """Return the way from what a drum is like now to one of its setups.

    Raises
    ------
    NotFoundError
        It is no setup of this drum.
    """
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        here = setup_of(db, session_id, drum)
        journey = setup_store.listing(db, drum.drum_id)
    if setup_id not in {info.id for info in journey}:
        raise NotFoundError("That setup is not here any more.")
    nodes = []
    for info in journey:
        file = lenient(SetupFile, info.document, "This setup")
        heads = {"batter": file.batter.construction}
        if file.reso is not None:
            heads["reso"] = file.reso.construction
        nodes.append(
            Node(
                info.id, heads, {str(side): turns for side, turns in file.turned.items()},
                frozenset(file.slack), frozenset(file.dampers), file.striker, file.wires,
            )
        )  # fmt: skip
    return way_between(nodes, here.id, setup_id)


def go_back(scope: Scope, session_id: int, slot_id: int, setup_id: int) -> None:
    """Keep that the way back to a setup was gone: turns, dampers, wires and striker are as then."""
    way = way_to(scope, session_id, slot_id, setup_id)
    with in_session(scope, session_id) as db:
        drum = kit_store.get(db, session_id, slot_id)
        wanted = lenient(
            SetupFile, setup_store.get(db, scope.studio_id, setup_id).document, "This setup"
        )
        for name, rods in way.turns.items():
            turns = [0.0] * drum.owned.rods
            for row in rods:
                turns[row.rod] = row.up - row.down
            side: Side = "batter" if name == "batter" else "reso"
            change_setup(db, session_id, drum, turned={side: turns})
        change_setup(
            db,
            session_id,
            drum,
            dampers=wanted.dampers,
            striker=wanted.striker,
            wires=wanted.wires,
            force=wanted.force,
        )
