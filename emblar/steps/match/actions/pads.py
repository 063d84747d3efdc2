"""Cymbals, stacks and other pads: named, held against the record by takes of their own."""

from dataclasses import dataclass
from pathlib import PurePath

from emblar.core.errors import InputError, NotFoundError
from emblar.core.planning.kit import LONGEST_NAME
from emblar.core.planning.target import Target
from emblar.platform import audio as audio_store
from emblar.platform.studio import Studio, in_session
from emblar.steps.listen import queries as recordings
from emblar.steps.listen.actions.recordings import AnalysedRecord, analysed_record
from emblar.steps.listen.queries import RecordingInfo
from emblar.steps.listen.queue import defer_analysis
from emblar.steps.match import queries as store
from emblar.steps.match.actions.sound import fair_wavs, record_strokes, take_strokes
from emblar.steps.match.actions.takes import Take, kept_sound, measured_take, same_take, take_voice
from emblar.steps.match.queries import PadInfo
from emblar.steps.plan.actions.planning import target_of

LONGEST_MAKE = 200
MOST_PADS = 24
UNGIVEN = "cymbal"
"""What a pad is measured as that plays no part of the record."""


@dataclass(frozen=True, slots=True)
class Pad:
    """A pad: what the record measures of its part, and its takes, the oldest first."""

    info: PadInfo
    record: Target | None
    takes: tuple[Take, ...]

    @property
    def newest(self) -> Take | None:
        """The newest take that is measured."""
        return next((t for t in reversed(self.takes) if t.target is not None), None)


@dataclass(frozen=True, slots=True)
class Pads:
    """The pads of a session, and the parts of the record that one may play."""

    rows: tuple[Pad, ...]
    parts: tuple[str, ...]
    analysed: AnalysedRecord | None


def pads(studio: Studio, session_id: int) -> Pads:
    """Return a session's pads with their takes against the record."""
    result = analysed_record(studio, session_id)
    with in_session(studio, session_id) as db:
        infos = store.listing(db, session_id)
        kept = {info.id: recordings.takes(db, session_id, pad_id=info.id) for info in infos}
        numbers = recordings.take_numbers(db, session_id)
        documents = {
            row.id: recordings.analysis_document(db, row.id)
            for rows in kept.values()
            for row in rows
            if row.state == "done"
        }
    rows = []
    for info in infos:
        record = target_of(result, info.part)
        voice = take_voice(info.part or UNGIVEN)
        takes = tuple(
            measured_take(numbers[row.id], row, documents.get(row.id), voice, record)
            for row in kept[info.id]
        )
        rows.append(Pad(info, record, takes))
    return Pads(tuple(rows), _parts(result), result)


def _parts(matches: AnalysedRecord | None) -> tuple[str, ...]:
    return tuple(card.voice for card in matches.analysis.voices) if matches else ()


def one_pad(matches: Pads, pad_id: int) -> Pad:
    """Return one of a session's pads, or raise ``NotFoundError``."""
    pad = next((row for row in matches.rows if row.info.id == pad_id), None)
    if pad is None:
        raise NotFoundError(store.GONE)
    return pad


def _checked(name: str, made_of: str, part: str, parts: tuple[str, ...]) -> tuple[str, str]:
    name, made_of = name.strip(), made_of.strip()
    if not name:
        raise InputError("Give it a name: “dark crash”, “stack on the left”.", field="name")
    if len(name) > LONGEST_NAME:
        raise InputError(f"Up to {LONGEST_NAME} letters; these are {len(name)}.", field="name")
    if len(made_of) > LONGEST_MAKE:
        text = f"Up to {LONGEST_MAKE} letters; these are {len(made_of)}."
        raise InputError(text, field="made_of")
    if part and part not in parts:
        raise InputError("The record has no such part any more. Choose again.", field="part")
    return name, made_of


def add_pad(
    studio: Studio, session_id: int, name: str, made_of: str = "", part: str = ""
) -> PadInfo:
    """Add a pad.

    Parameters
    ----------
    made_of, part
        What it is made of, in words; the voice of the record it is to sound like, or nothing.

    Raises
    ------
    InputError
        It has no name, a text is too long, the record has no such part, or there are too many.
    """
    name, made_of = _checked(name, made_of, part, _parts(analysed_record(studio, session_id)))
    with in_session(studio, session_id) as db:
        if len(store.listing(db, session_id)) >= MOST_PADS:
            raise InputError(f"Up to {MOST_PADS} pads a session. Remove one first.", field="name")
        return store.add(db, session_id, name, made_of, part or None)


def change_pad(
    studio: Studio, session_id: int, pad_id: int, name: str, made_of: str, part: str
) -> None:
    """Keep another name, make or part of a pad; its takes are held against that part."""
    current = pads(studio, session_id)
    pad = one_pad(current, pad_id)
    if part == (pad.info.part or ""):
        # A part the record lost meanwhile may stay until another is chosen.
        name, made_of = _checked(name, made_of, "", current.parts)
    else:
        name, made_of = _checked(name, made_of, part, current.parts)
    if pad.takes and take_voice(part or UNGIVEN) != take_voice(pad.info.part or UNGIVEN):
        raise InputError(
            "Its takes were measured as another kind of sound. Add a new pad for that part.",
            field="part",
        )
    with in_session(studio, session_id) as db:
        store.change(db, session_id, pad_id, name, made_of, part or None)


def take_pad_away(studio: Studio, session_id: int, pad_id: int) -> None:
    """Remove a pad with its takes."""
    with in_session(studio, session_id) as db:
        store.take_away(db, session_id, pad_id)


def bring_pad_back(studio: Studio, session_id: int, pad_id: int) -> None:
    """Bring a pad back that was removed, with its takes."""
    with in_session(studio, session_id) as db:
        store.bring_back(db, session_id, pad_id)


def bring_pad_take(
    studio: Studio, session_id: int, pad_id: int, filename: str, data: bytes
) -> RecordingInfo:
    """Keep a take of a pad and have it measured.

    Raises
    ------
    BadAudioError
        It cannot be read or holds nothing to measure; nothing was kept.
    """
    with in_session(studio, session_id) as db:
        pad = store.get(db, session_id, pad_id)
    form, media_type = kept_sound(filename, data, alone=True)
    with in_session(studio, session_id) as db:
        audio_id = audio_store.keep(db, form, media_type)
        sent_before = same_take(recordings.takes(db, session_id, pad_id=pad.id), audio_id)
        if sent_before is not None:
            return sent_before
        recording = recordings.create(
            db,
            session_id=session_id,
            audio_id=audio_id,
            filename=PurePath(filename).name or "take",
            kind="drums",
            voice=take_voice(pad.part or UNGIVEN),
            pad_id=pad.id,
        )
        defer_analysis(db, recording.id)
    return recording


def pad_sounds(
    studio: Studio, session_id: int, pad_id: int, take_id: int | None = None
) -> tuple[bytes, bytes]:
    """Return record and take of a pad as WAV, cut alike, starting together, equally loud.

    Raises
    ------
    InputError
        It plays no part of the record, there is no measured take, or no clean stroke on one side.
    """
    current = pads(studio, session_id)
    pad = one_pad(current, pad_id)
    if current.analysed is None or pad.info.part is None:
        raise InputError("Say which part of the record it plays, then compare.")
    take = pad.newest
    if take_id is not None:
        take = next((t for t in pad.takes if t.info.id == take_id), None)
    return fair_wavs(record_strokes(current.analysed, pad.info.part), take_strokes(take))
