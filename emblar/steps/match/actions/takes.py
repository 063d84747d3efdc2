"""Takes: a sound of ours kept to be measured, and what it measures against the record."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePath
from typing import Any

from emblar.core.errors import BadAudioError, DocumentError
from emblar.core.matching.differences import Comparison, compare
from emblar.core.planning.target import Target, target_from_card
from emblar.formats.analysis import AnalysisFile, analysis_from_document, card_from_file
from emblar.formats.setup import SetupFile
from emblar.platform.sound.apart import keep_apart
from emblar.steps.listen.queries import RecordingInfo

TOM_VOICE = "tom-1"


@dataclass(frozen=True, slots=True)
class Take:
    """A take: its recording, the setup it was made in, and what it measures against the record.

    ``comparison`` is None while it is being measured, or where the record has nothing of it.
    """

    number: int
    info: RecordingInfo
    voice: str
    """What its strokes were measured as."""
    setup: SetupFile | None
    analysis: AnalysisFile | None
    target: Target | None
    comparison: Comparison | None
    picture: bool = False
    """Whether there is a picture of the setup."""
    note: str = ""


def take_voice(kind: str) -> str:
    """Return the voice that strokes of a drum, or of a pad that plays a part, are measured as."""
    return TOM_VOICE if kind.startswith("tom") else kind


def measured_take(
    number: int,
    info: RecordingInfo,
    document: dict[str, Any] | None,
    voice: str,
    record: Target | None,
    *,
    setup: SetupFile | None = None,
    picture: bool = False,
    note: str = "",
) -> Take:
    """Return a take with what it measures; ``document`` is its analysis, None before it is."""
    analysis = target = result = None
    if document is not None:
        try:
            analysis = analysis_from_document(document)
        except DocumentError:
            analysis = None
    card = next((v for v in analysis.voices if v.voice == voice), None) if analysis else None
    if card is not None:
        target = target_from_card(card_from_file(card))
        result = compare(record, target) if record is not None else None
    return Take(number, info, voice, setup, analysis, target, result, picture, note)


def same_take(takes: Sequence[RecordingInfo], audio_id: int) -> RecordingInfo | None:
    """Return the take that is of this sound already: it was sent twice. One that failed is not."""
    return next((t for t in takes if t.audio_id == audio_id and t.state != "failed"), None)


def kept_sound(filename: str, data: bytes, *, alone: bool) -> tuple[bytes, str]:
    """Return a sound in the form it is kept in, and its type; one of several that is bad is named.

    Raises
    ------
    BadAudioError
        It cannot be read or holds nothing to measure.
    """
    try:
        return keep_apart(data)
    except BadAudioError as error:
        if alone:
            raise
        raise BadAudioError(f"{PurePath(filename).name}: {error} None of them was kept.") from error
