"""A voice's quantities from a sound or from an analysis that was kept as a file."""

from pathlib import Path
from typing import TYPE_CHECKING

from emblar.core.errors import InputError
from emblar.core.voices import VoiceName

if TYPE_CHECKING:
    from emblar.core.planning.target import Target
    from emblar.core.quantities import Measured


def record_of_file(path: Path) -> "dict[str, dict[str, Measured]]":
    """Return the quantities of every drum of an ``emblar.analysis/1`` document, by part.

    Hats and cymbals are left out: they are noted, not planned.

    Raises
    ------
    InputError
        The file cannot be read, or tells of no drum.
    """
    from emblar.core.planning.target import target_from_card
    from emblar.formats.analysis import AnalysisFile, card_from_file
    from emblar.frame.commands import read_json

    voices = read_json(path, AnalysisFile).voices
    targets = {
        v.voice: target_from_card(card_from_file(v)) for v in voices if VoiceName(v.voice).is_tuned
    }
    if not targets:
        raise InputError(f"{path} tells of no kick, snare or tom.")
    return {voice: dict(target.values) for voice, target in targets.items()}


def target_of_file(path: Path, voice: str, *, alone: bool = False) -> "Target":
    """Return what a voice of a file measures.

    Parameters
    ----------
    path
        A sound, or an ``emblar.analysis/1`` document.
    voice
        Which drum.
    alone
        Whether a sound holds strokes of this drum only.

    Raises
    ------
    InputError
        The file cannot be read, or does not tell of this drum.
    """
    from emblar.core.analysis.pipeline import analyse
    from emblar.core.planning.target import target_from_card
    from emblar.formats.analysis import AnalysisFile, card_from_file
    from emblar.frame.commands import read_bytes, read_json
    from emblar.platform.sound.decode import decode

    if path.suffix.lower() == ".json":
        file = read_json(path, AnalysisFile)
        cards = {v.voice: card_from_file(v) for v in file.voices}
    else:
        data = read_bytes(path)
        kind = "drums" if alone else "auto"
        result = analyse(decode(data).audio, kind=kind, voice=voice if alone else None)  # type: ignore[arg-type]
        cards = {v.voice: v for v in result.voices}
    if voice not in cards:
        raise InputError(f"{path} tells nothing of “{voice}”: it has {', '.join(cards) or 'none'}.")
    return target_from_card(cards[voice])
