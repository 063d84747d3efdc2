"""``emblar render`` and ``emblar practice``: a drum in, its sound out, without the database."""

import sys
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from emblar.core.errors import DrumError, InputError
from emblar.frame.commands import Head

if TYPE_CHECKING:
    from emblar.core.synthesis.stroke import Samples

RATE_HZ = 44100
CONTAINERS = {".wav": "WAV", ".flac": "FLAC"}
PEAK = 0.7


class Stroke(StrEnum):
    """How a drum is played."""

    STROKE = "stroke"
    RAMP = "ramp"
    GROOVE = "groove"


def write(samples: "Samples", out: Path) -> None:
    """Write samples as WAV or FLAC by the name's ending.

    Raises
    ------
    InputError
        The ending is another, or the file cannot be written.
    """
    import numpy as np

    from emblar.platform.sound.encode import encode

    container = CONTAINERS.get(out.suffix.lower())
    if container is None:
        raise InputError(f"{out}: give a name ending in {' or '.join(CONTAINERS)}.")
    data = encode(np.clip(samples, -1.0, 1.0), RATE_HZ, container=container, subtype="PCM_24")
    try:
        out.write_bytes(data)
    except OSError as error:
        raise InputError(f"{out} cannot be written: {error.strerror}.") from error


def render_command(
    drum: Annotated[Path, typer.Argument(help="A drum as emblar.drum/1 JSON")],
    out: Annotated[Path, typer.Argument(help="Where the sound goes, .wav or .flac")],
    stroke: Annotated[Stroke, typer.Option(help="One stroke, growing strokes, or a groove")] = (
        Stroke.STROKE
    ),
    force: Annotated[float, typer.Option(help="Stroke over a medium one, 0 to 4")] = 1.0,
    seed: Annotated[int, typer.Option(min=0, help="Random seed of the noises")] = 7,
) -> None:
    """Render a drum as it is predicted to sound."""
    import numpy as np

    from emblar.core.acoustics.forward import predict
    from emblar.core.catalogue import SHIPPED
    from emblar.core.synthesis.played import played
    from emblar.core.synthesis.practice import HIGHEST_FORCE
    from emblar.core.synthesis.stroke import drum_voice
    from emblar.formats.drum import DrumFile
    from emblar.frame.commands import read_json
    from emblar.steps.plan.actions.prediction import lugs_of

    if not 0.0 < force <= HIGHEST_FORCE:
        raise DrumError(f"force: {force:g} is outside 0 to {HIGHEST_FORCE:g}.")
    file = read_json(drum, DrumFile)
    lugs = lugs_of(file)
    result = predict(file.drum(SHIPPED), lugs.batter_hz, lugs.reso_hz)
    voice = drum_voice(result, file.kind)
    samples = played(voice, file.kind, stroke.value, sample_rate_hz=RATE_HZ, seed=seed, force=force)
    peak = max(float(np.abs(samples).max()), 1e-9)
    write(samples * min(PEAK / peak, 1.0), out)
    sys.stdout.write(
        f"{out}: {len(samples) / RATE_HZ:.1f} s, drum pitch {result.drum_pitch.value:.1f} Hz\n"
    )


def practice_command(
    drum: Annotated[Path, typer.Argument(help="A drum as emblar.drum/1 JSON")],
    out: Annotated[Path, typer.Argument(help="Where the sound goes, .wav or .flac")],
    side: Annotated[Head, typer.Option(help="Head tapped round, the other silenced")] = Head.BATTER,
    strikes: Annotated[int, typer.Option(help="Strokes on the whole drum after the taps")] = 3,
    uneven: Annotated[float, typer.Option(help="Spread of the rods' tension, 0 to 0.5")] = 0.08,
    seed: Annotated[int, typer.Option(min=0, help="Of the hidden rods and the noises")] = 1,
) -> None:
    """Tap round a practice drum whose rods nobody sees, and strike it: a file for a microphone."""
    import numpy as np

    from emblar.core.catalogue import SHIPPED
    from emblar.core.synthesis.practice import practice_drum
    from emblar.formats.drum import DrumFile
    from emblar.frame.commands import read_json
    from emblar.steps.plan.actions.prediction import lugs_of

    if not 0.0 <= uneven <= 0.5:
        raise DrumError(f"uneven: {uneven:g} is outside 0 to 0.5.")
    if not 0 <= strikes <= 50:
        raise DrumError(f"strikes: {strikes} is outside 0 to 50.")
    file = read_json(drum, DrumFile)
    lugs = lugs_of(file)
    hidden = practice_drum(
        file.drum(SHIPPED), lugs.batter_hz, lugs.reso_hz, uneven=uneven, seed=seed
    )
    pieces = [hidden.tap(side.value, rod, rate=RATE_HZ) for rod in range(file.rods)]
    pieces += [hidden.strike(rate=RATE_HZ) for _ in range(strikes)]
    write(np.concatenate(pieces), out)
    sys.stdout.write(
        f"{out}: {file.rods} taps next to the {side.value}'s rods, {strikes} strokes\n"
    )
