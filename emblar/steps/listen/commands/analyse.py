"""``emblar analyse``: a recording in, hits and cards out, without the database."""

import sys
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from emblar.core.errors import BadAudioError, InputError


class Kind(StrEnum):
    """What a file holds."""

    AUTO = "auto"
    MIX = "mix"
    DRUMS = "drums"
    HIT = "hit"


def read_file(path: Path) -> bytes:
    """Return the bytes of a sound file.

    Raises
    ------
    BadAudioError
        It cannot be opened, is empty or too large.
    """
    from emblar.platform.sound.decode import check_size

    try:
        check_size(path.stat().st_size)
        return path.read_bytes()
    except OSError as error:
        raise BadAudioError(f"{path} cannot be read: {error.strerror}.") from error


def analyse_command(
    file: Annotated[Path, typer.Argument(help="WAV, FLAC, OGG, MP3 or AIFF, up to 200 MB")],
    kind: Annotated[Kind, typer.Option(help="What the file holds")] = Kind.AUTO,
    voice: Annotated[
        str | None, typer.Option(help="Every stroke is this drum: kick, snare, tom-1, …")
    ] = None,
    json_out: Annotated[
        Path | None, typer.Option("--json", help="Where to write the result; else printed")
    ] = None,
) -> None:
    """Find and measure the strokes of a recording."""
    from emblar.core.analysis.pipeline import analyse
    from emblar.core.voices import checked_voice
    from emblar.formats.analysis import analysis_file
    from emblar.platform.sound.decode import decode

    if voice is not None:
        checked_voice(voice)
    decoded = decode(read_file(file))
    result = analysis_file(analyse(decoded.audio, kind=kind.value, voice=voice))
    text = result.model_dump_json(by_alias=True, indent=2) + "\n"
    if json_out is None:
        sys.stdout.write(text)
        return
    try:
        json_out.write_text(text, encoding="utf-8")
    except OSError as error:
        raise InputError(f"{json_out} cannot be written: {error.strerror}.") from error
    print(f"{len(result.hits)} strokes in {len(result.voices)} voices, written to {json_out}")
