"""Sessions: start one, say what it is about, delete it, bring it back."""

import hashlib
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import PurePath

from emblar.core.errors import ConflictError, DocumentError, InputError
from emblar.formats.brief import AskFile
from emblar.formats.stored import lenient
from emblar.platform import sessions as store
from emblar.platform.sessions import Order, SessionInfo
from emblar.platform.studio import Studio
from emblar.steps.kit.actions.saved import bring_kit
from emblar.steps.listen.actions.recordings import bring_recording

LONGEST_TEXT = 200


@dataclass(frozen=True, slots=True)
class SessionBrief:
    """What a session says of itself."""

    name: str
    studio: str = ""
    artist: str = ""
    wish: str = ""
    downbeat_at: datetime | None = None
    ask: AskFile = field(default_factory=AskFile)


def _checked(brief: SessionBrief) -> SessionBrief:
    name = brief.name.strip()
    if not name:
        raise InputError("Give the session a name, for example the song's.", field="name")
    for field_, text in (("name", name), ("studio", brief.studio), ("artist", brief.artist)):
        if len(text) > LONGEST_TEXT:
            raise InputError(
                f"“{text[:40]}…” is longer than {LONGEST_TEXT} characters.", field=field_
            )
    return SessionBrief(
        name,
        brief.studio.strip(),
        brief.artist.strip(),
        brief.wish.strip(),
        brief.downbeat_at,
        brief.ask,
    )


def start_session(studio: Studio, brief: SessionBrief) -> SessionInfo:
    """Start a session."""
    checked = _checked(brief)
    with studio.work() as db:
        return store.create(
            db,
            studio.studio_id,
            name=checked.name,
            studio=checked.studio,
            artist=checked.artist,
            wish=checked.wish,
            downbeat_at=checked.downbeat_at,
            wishes=checked.ask.model_dump(),
        )


def start_with_recording(
    studio: Studio, brief: SessionBrief, filename: str, data: bytes, *, kit: str = ""
) -> SessionInfo:
    """Start a session with a recording and have it analysed.

    Parameters
    ----------
    studio, brief
        Where, and what the session says of itself. Without a name it takes the file's.
    filename, data
        The recording.
    kit
        Source of a ``KitChoice`` to begin with, or empty for none.

    Raises
    ------
    BadAudioError
        The recording cannot be read or holds nothing to measure; no session was started.
    """
    name = brief.name.strip() or PurePath(filename).stem[:LONGEST_TEXT]
    with studio.together() as unit:
        session = start_session(unit, replace(brief, name=name))
        bring_recording(unit, session.id, filename, data, "auto")
        if kit:
            bring_kit(unit, session.id, kit)
    return session


def brief_mark(session: SessionInfo) -> str:
    """Return a mark that changes with a session's brief."""
    values = (
        session.name,
        session.studio,
        session.artist,
        session.wish,
        session.downbeat_at,
        sorted(session.brief.items()),
    )
    return hashlib.sha256(repr(values).encode()).hexdigest()[:16]


def change_brief(
    studio: Studio, session_id: int, brief: SessionBrief, *, seen: str = ""
) -> SessionInfo:
    """Change a session's brief.

    Parameters
    ----------
    studio, session_id, brief
        Which session, and its brief from now on.
    seen
        The mark of the brief that the person changed; not checked if empty.

    Raises
    ------
    ConflictError
        It was changed meanwhile; nothing was saved.
    """
    checked = _checked(brief)
    with studio.work() as db:
        current = store.get(db, studio.studio_id, session_id, lock=True)
        if seen and seen != brief_mark(current):
            raise ConflictError(
                "The brief was changed in another window since this page was loaded. Nothing was "
                "saved. Open the brief in a new window, then enter your changes there."
            )
        return store.change(
            db,
            studio.studio_id,
            session_id,
            name=checked.name,
            studio=checked.studio,
            artist=checked.artist,
            wish=checked.wish,
            downbeat_at=checked.downbeat_at,
            wishes=checked.ask.model_dump(),
        )


def all_sessions(studio: Studio, *, find: str = "", order: Order = "newest") -> list[SessionInfo]:
    """Return the sessions; ``find`` and ``order`` as ``platform.sessions.listing``."""
    with studio.work() as db:
        return store.listing(db, studio.studio_id, find=find, order=order)


def one_session(studio: Studio, session_id: int) -> SessionInfo:
    """Return one session."""
    with studio.work() as db:
        return store.get(db, studio.studio_id, session_id)


def brief_of(session: SessionInfo) -> AskFile:
    """Return what is asked of a session's plan; nothing if what was kept cannot be read."""
    try:
        return lenient(AskFile, session.brief, "The brief")
    except DocumentError:
        return AskFile()


def delete_session(studio: Studio, session_id: int) -> None:
    """Delete a session; it can be brought back for 30 days."""
    with studio.work() as db:
        store.delete(db, studio.studio_id, session_id)


def restore_session(studio: Studio, session_id: int) -> SessionInfo:
    """Bring a deleted session back."""
    with studio.work() as db:
        return store.restore(db, studio.studio_id, session_id)
