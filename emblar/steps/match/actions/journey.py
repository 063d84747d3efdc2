"""The journey of a drum: a note and a picture to each of its setups."""

from sqlalchemy.orm import Session

from emblar.core.errors import InputError, NotFoundError
from emblar.formats.picture import LARGEST_BYTES, MEDIA_TYPE
from emblar.platform import audio as files
from emblar.platform.sound.apart import ApartError, run_apart
from emblar.platform.studio import Studio, in_session
from emblar.steps.bench.actions.tuning import UNSAVED_SETUP, checked_note, setup_of
from emblar.steps.kit.queries import setups as store
from emblar.steps.kit.queries import slots as kit_store
from emblar.steps.kit.queries.setups import SetupInfo


def _setup(db: Session, session_id: int, slot_id: int, setup_id: int) -> SetupInfo:
    drum = kit_store.get(db, session_id, slot_id)
    if setup_id == UNSAVED_SETUP:
        return setup_of(db, session_id, drum)
    result = next((s for s in store.listing(db, drum.drum_id) if s.id == setup_id), None)
    if result is None:
        raise NotFoundError("That setup is not here any more.")
    return result


def keep_note(studio: Studio, session_id: int, slot_id: int, setup_id: int, note: str) -> None:
    """Keep what is said of one setup of a drum.

    Raises
    ------
    InputError
        It is too long.
    """
    text = checked_note(note, "note")
    with in_session(studio, session_id) as db:
        store.set_note(db, _setup(db, session_id, slot_id, setup_id).id, text)


def keep_picture(studio: Studio, session_id: int, slot_id: int, setup_id: int, data: bytes) -> None:
    """Keep a picture of one setup of a drum, in the place of one that was there.

    Raises
    ------
    InputError
        It cannot be read or is too large; nothing was kept.
    """
    with in_session(studio, session_id) as db:
        _setup(db, session_id, slot_id, setup_id)
    kept = checked_picture(data)
    with in_session(studio, session_id) as db:
        setup = _setup(db, session_id, slot_id, setup_id)
        store.set_picture(db, setup.id, files.keep(db, kept, MEDIA_TYPE))


def checked_picture(data: bytes) -> bytes:
    """Return a picture as it is kept, made in a process of its own: it may unpack to gigabytes.

    Raises
    ------
    InputError
        It cannot be decoded or is too large.
    """
    if len(data) > LARGEST_BYTES:
        raise InputError(f"Up to {LARGEST_BYTES // 2**20} MB a picture.", field="picture")
    try:
        answer, kept = run_apart("emblar.formats.picture", [], data)
    except ApartError as error:
        raise InputError(error.text, field="picture") from error
    if "error" in answer:
        raise InputError(str(answer["error"]), field="picture")
    return bytes(kept)


def take_picture_away(studio: Studio, session_id: int, slot_id: int, setup_id: int) -> None:
    """Remove the picture of a setup."""
    with in_session(studio, session_id) as db:
        store.set_picture(db, _setup(db, session_id, slot_id, setup_id).id, None)


def picture(studio: Studio, session_id: int, slot_id: int, setup_id: int) -> bytes:
    """Return the picture of a setup, a JPEG.

    Raises
    ------
    NotFoundError
        There is none.
    """
    if setup_id == UNSAVED_SETUP:
        raise NotFoundError("There is no picture of that setup.")
    with in_session(studio, session_id) as db:
        result = _setup(db, session_id, slot_id, setup_id).picture_id
        if result is None:
            raise NotFoundError("There is no picture of that setup.")
        return files.read(db, result, 0, files.info(db, result).size_bytes)
