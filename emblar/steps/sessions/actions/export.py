"""Everything of a studio into one file, to take along or to keep, and such a file put in again."""

import hashlib
import json
import lzma
import secrets
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from pydantic import ValidationError
from sqlalchemy.exc import DataError
from sqlalchemy.orm import Session

from emblar.core.errors import BadAudioError, EmblarError, InputError
from emblar.core.planning.kit import check_range
from emblar.formats.errors import wrong_fields
from emblar.formats.export import DOCUMENT, SOUNDS, ExportFile, SoundEntry
from emblar.formats.picture import MEDIA_TYPE
from emblar.platform import audio, sessions
from emblar.platform.settings import current_time
from emblar.platform.sound.apart import media_type_apart
from emblar.platform.studio import Studio
from emblar.steps.kit.queries import drums as drum_store
from emblar.steps.kit.queries import heads, setups
from emblar.steps.kit.queries import slots as kit
from emblar.steps.listen import queries as recordings
from emblar.steps.log.queries import evidence
from emblar.steps.match.actions.journey import checked_picture
from emblar.steps.plan import queries as plans
from emblar.steps.sessions.actions.editing import brief_of
from emblar.steps.sessions.queries import export as whole

EPOCH = (1980, 1, 1, 0, 0, 0)
"""The time of every file in an export: the same content gives the same bytes."""
UNREADABLE = (TypeError, ValueError, KeyError, AttributeError)
NO_EXPORT = "This is no export of Emblar's: choose a file that was made by “Export everything”."


@dataclass(frozen=True, slots=True)
class ImportLimits:
    """How large an export may be: bytes of its document and of all sounds together, and values.

    A value in a document of rows takes up to a hundred bytes of memory, and twenty in a usual one.
    """

    document_bytes: int
    sounds_bytes: int
    values: int
    too_large: str


BY_PAGE = ImportLimits(
    document_bytes=200 * 2**20,
    sounds_bytes=2 * 2**30,
    values=6_000_000,
    too_large="This export is too large for the page. Import it with the command: emblar import "
    "FILE.",
)
"""Some two hundred sessions; the process that answers others too stays under a gigabyte."""
BY_COMMAND = ImportLimits(
    document_bytes=2**30,
    sounds_bytes=64 * 2**30,
    values=2**30,
    too_large="This export is larger than any that Emblar writes.",
)
DAMAGED = "This export is damaged. Nothing was imported. Export again, or copy the file again."
ZIP_ERRORS = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    zlib.error,
    struct.error,
    lzma.LZMAError,
    RuntimeError,
    OSError,
    EOFError,
    ValueError,
    OverflowError,
    IndexError,
)
"""What Python's ``zipfile`` raises on files that are damaged, encrypted or packed in other ways."""


@dataclass(frozen=True, slots=True)
class ImportSummary:
    """How much an import added."""

    sessions: int
    drums: int
    readings: int
    sounds: int


def export_everything(studio: Studio, file: Path) -> ImportSummary:
    """Write everything of the studio to a file; the same data give the same bytes.

    The file is there once it is whole.
    """
    part = file.with_name(file.name + ".part")
    try:
        imported = _exported(studio, part)
        part.replace(file)
    finally:
        part.unlink(missing_ok=True)
    return imported


def _exported(studio: Studio, file: Path) -> ImportSummary:
    with studio.work() as db, zipfile.ZipFile(file, "w") as out:
        rows = whole.rows(db, studio.studio_id)
        used = whole.sounds(db, rows)
        document = ExportFile(
            database=whole.revision(db),
            sounds=[SoundEntry(sha256=sha256, media_type=kind) for _, sha256, kind in used],
            tables=rows,
        )
        _write(out, DOCUMENT, document.model_dump_json(by_alias=True).encode(), packed=True)
        for audio_id, sha256, _ in used:
            size = audio.info(db, audio_id).size_bytes
            # Sounds are packed already.
            _write(out, SOUNDS + sha256, audio.read(db, audio_id, 0, size), packed=False)
    return _counted(rows, len(used))


def _write(out: zipfile.ZipFile, name: str, data: bytes, *, packed: bool) -> None:
    entry = zipfile.ZipInfo(name, EPOCH)
    entry.compress_type = zipfile.ZIP_DEFLATED if packed else zipfile.ZIP_STORED
    out.writestr(entry, data)


def import_everything(
    studio: Studio,
    file: Path | IO[bytes],
    limits: ImportLimits = BY_COMMAND,
    *,
    skip_known: bool = False,
) -> ImportSummary:
    """Add what an export holds to the studio's data, all of it or nothing.

    Parameters
    ----------
    studio, file, limits
        The studio, the export, and how large it may be.
    skip_known
        Whether sessions and drums that are here already are left out; else they stop the import.

    Raises
    ------
    InputError
        It is no export, one of another version, damaged, too large, or here already, or one of
        its sounds cannot be decoded.
    """
    try:
        held = zipfile.ZipFile(file)
    except ZIP_ERRORS as error:
        raise InputError(NO_EXPORT) from error
    with held:
        return _import(studio, held, limits, skip_known=skip_known)


def _import(
    studio: Studio, held: zipfile.ZipFile, limits: ImportLimits, *, skip_known: bool
) -> ImportSummary:
    document = _document(held, limits)
    rows = _without_access(document.tables)
    with studio.together() as unit, unit.work() as db:
        if document.database != whole.revision(db):
            raise InputError(
                f"This export was made by another version of Emblar (its data are of version "
                f"{document.database}, this one's of {whole.revision(db)}). Nothing was imported."
            )
        known = None
        if skip_known:
            rows, known = whole.without_known(db, unit.studio_id, rows)
        elif (current := whole.twice(db, unit.studio_id, rows)) is not None:
            raise InputError(
                f"“{current}” of this export is here already. Nothing was imported. To import only "
                "what is new, tick “Skip what is here already”.",
                field="skip",
            )
        entries = {entry.sha256: entry for entry in document.sounds}
        _check_total(held, entries, limits)
        sounds = {
            name: audio.keep(db, *_stored_form(entry, _sound(held, name)))
            for name, entry in entries.items()
        }
        whole.put(db, unit.studio_id, rows, sounds, known)
        _look_through(unit, db)
    return _counted(rows, len(sounds))


def _without_access(rows: whole.Rows) -> whole.Rows:
    """Return the rows with every shared link ended: whoever made the file may know its token."""
    ended = current_time().isoformat()
    links = [
        {
            **row,
            "revoked_at": row.get("revoked_at") or ended,
            "token_sha256": secrets.token_hex(32),
        }
        for row in rows.get("share", [])
    ]
    return {**rows, "share": links} if links else rows


def _document(held: zipfile.ZipFile, limits: ImportLimits) -> ExportFile:
    if _size(held, DOCUMENT) > limits.document_bytes:
        raise InputError(limits.too_large)
    data = _entry(held, DOCUMENT)
    # Every value but the last of its list stands before a comma, or is a list or an object.
    if sum(data.count(mark) for mark in (b",", b"[", b"{")) > limits.values:
        raise InputError(limits.too_large)
    try:
        return ExportFile.model_validate_json(data)
    except ValidationError as error:
        raise InputError(f"{NO_EXPORT} {wrong_fields(error)[0]}.") from error
    except (RecursionError, json.JSONDecodeError) as error:
        raise InputError(NO_EXPORT) from error


def _check_total(held: zipfile.ZipFile, names: Iterable[str], limits: ImportLimits) -> None:
    if sum(_size(held, SOUNDS + name) for name in names) > limits.sounds_bytes:
        raise InputError(limits.too_large)


def _sound(held: zipfile.ZipFile, sha256: str) -> bytes:
    data = _entry(held, SOUNDS + sha256)
    if hashlib.sha256(data).hexdigest() != sha256:
        raise InputError("A sound of this export is damaged. Nothing was imported.")
    return data


def _stored_form(entry: SoundEntry, data: bytes) -> tuple[bytes, str]:
    """Return a sound or picture as it came, with the media type that it really has.

    Both are decoded in a process of their own, as when they are uploaded.
    """
    try:
        if entry.media_type == MEDIA_TYPE:
            checked_picture(data)
            return data, MEDIA_TYPE
        return data, media_type_apart(data)
    except (BadAudioError, InputError) as error:
        raise InputError(
            f"Emblar cannot use a sound or picture of this export. {error} Nothing was imported."
        ) from error


def _size(held: zipfile.ZipFile, name: str) -> int:
    try:
        return held.getinfo(name).file_size
    except KeyError as error:
        raise InputError(f"{NO_EXPORT} It has no {name}.") from error


def _entry(held: zipfile.ZipFile, name: str) -> bytes:
    try:
        return held.read(name)
    except ZIP_ERRORS as error:
        raise InputError(DAMAGED) from error


def _look_through(studio: Studio, db: Session) -> None:
    """Read everything once as the screens do: what they cannot read is not let in."""
    for look in (_drums, _readings, _sessions):
        try:
            look(studio, db)
        except (*UNREADABLE, DataError) as error:
            cause = _first_line(error)
            raise InputError(
                f"Something in this export cannot be read ({cause}). Nothing was imported."
            ) from error
        except EmblarError as error:
            raise InputError(f"{error} Nothing was imported.") from error


def _drums(studio: Studio, db: Session) -> None:
    catalogue = studio.catalogue()
    for drum in drum_store.listing(db, studio.studio_id):
        for head in (drum.owned.batter, drum.owned.reso):
            if head is not None:
                catalogue.construction(head)
    for loose in heads.loose(db, studio.studio_id):
        catalogue.construction(loose.owned.construction)
    kit.saved(db, studio.studio_id)


def _first_line(error: Exception) -> str:
    return str(getattr(error, "orig", error)).partition("\n")[0]


def _readings(studio: Studio, db: Session) -> None:
    for drum in drum_store.listing(db, studio.studio_id):
        infos = setups.listing(db, drum.id)
        for reading in setups.measurements(db, [info.id for info in infos]):
            check_range("lug_hz" if reading.what == "lug" else "drum_pitch_hz", reading.hz)
            if not 0.0 < reading.sd_hz <= reading.hz:
                raise InputError(f"A pitch of {reading.hz:g} ± {reading.sd_hz:g} Hz says nothing.")


def _sessions(studio: Studio, db: Session) -> None:
    readers: tuple[Callable[[Session, int], object], ...] = (
        kit.listing,
        evidence.listing,
        plans.listing,
        plans.latest,
        recordings.files,
    )
    for session in sessions.listing(db, studio.studio_id):
        brief_of(sessions.get(db, studio.studio_id, session.id))
        for reader in readers:
            reader(db, session.id)


def _counted(rows: whole.Rows, sounds: int) -> ImportSummary:
    count = {name: len(result) for name, result in rows.items()}
    return ImportSummary(
        count.get("session", 0), count.get("drum", 0), count.get("measurement", 0), sounds
    )
