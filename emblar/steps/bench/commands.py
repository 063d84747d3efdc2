"""``emblar taps`` and ``emblar next-turns``: at the drum, without the database."""

from pathlib import Path
from typing import Annotated

import typer

from emblar.core.errors import InputError
from emblar.core.voices import VoiceName
from emblar.frame.commands import Head, print_json, read_json

GOAL_WITHIN = 12.0
"""A head that is being tuned lies within so many semitones of the pitch in its file."""


def taps_command(
    recording: Annotated[Path, typer.Argument(help="A clip of taps next to the rods")],
    drum: Annotated[Path, typer.Option(help="The drum as emblar.drum/1 JSON")],
    side: Annotated[Head, typer.Option(help="Head tapped, the other silenced")] = Head.BATTER,
    about: Annotated[
        float | None, typer.Option(help="About where its lug pitch is, Hz, if known")
    ] = None,
) -> None:
    """Read every tap of a clip: time, lug pitch and its uncertainty, or why there is none."""
    from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
    from emblar.core.catalogue import SHIPPED
    from emblar.core.planning.kit import check_range
    from emblar.core.tuning.tap import read_taps, tapped_head
    from emblar.formats.drum import DrumFile
    from emblar.formats.tuning import taps_file
    from emblar.frame.commands import read_bytes, read_json
    from emblar.platform.sound.clips import clip_samples

    file = read_json(drum, DrumFile)
    if about is not None:
        check_range("lug_hz", about)
    data = read_bytes(recording)
    samples = clip_samples(data)
    tapped = file.batter if side is Head.BATTER else file.reso
    goal_hz = tapped.mean_lug_hz if tapped is not None else None
    if about is not None:
        head = tapped_head(file.drum(SHIPPED), side.value, about, within_semitones=6.0)
    elif goal_hz is not None:
        head = tapped_head(file.drum(SHIPPED), side.value, goal_hz, within_semitones=GOAL_WITHIN)
    else:
        head = tapped_head(file.drum(SHIPPED), side.value)
    taps = read_taps(samples, ANALYSIS_RATE_HZ, head)
    print_json(taps_file(side.value, taps))


def sweep_command(
    recording: Annotated[Path, typer.Argument(help="Strokes of one drum while it is cranked")],
    voice: Annotated[str, typer.Option(help="kick, snare or tom-1")] = "tom-1",
) -> None:
    """Read a sweep by ear: each stroke's pitch and length, and where the drum sounds best."""
    from emblar.core.tuning.sweep import read_sweep, sweep
    from emblar.formats.tuning import sweep_file
    from emblar.frame.commands import read_bytes
    from emblar.platform.sound.clips import read_clip_sound

    if not VoiceName(voice).is_tuned:
        raise InputError(f"voice: “{voice}” is not possible. Choose kick, snare, tom-1, tom-2, …")
    data = read_bytes(recording)
    points = read_sweep(read_clip_sound(data), voice)
    print_json(sweep_file(points, sweep(points)))


def hum_command(
    recording: Annotated[Path, typer.Argument(help="One drum struck, the others left open")],
    kit: Annotated[Path, typer.Argument(help="The drums as emblar.hum-asked/1 JSON")],
) -> None:
    """Say what the other drums of a kit answer to one stroke."""
    from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
    from emblar.core.tuning.hum import read_hum
    from emblar.formats.hum import HumAsked, hum_file
    from emblar.frame.commands import read_bytes, read_json
    from emblar.platform.sound.clips import clip_samples

    request = read_json(kit, HumAsked)
    data = read_bytes(recording)
    samples = clip_samples(data)
    answers = read_hum(samples, ANALYSIS_RATE_HZ, request.struck, request.beside)
    print_json(hum_file(answers))


def wires_command(
    recording: Annotated[Path, typer.Argument(help="A soft tap in a snare's middle, wires on")],
    planned: Annotated[str, typer.Option(help="tight, medium or loose, if one is planned")] = "",
) -> None:
    """Say what a soft tap tells of a snare's wires, and what to do about them."""
    from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
    from emblar.core.catalogue import SHIPPED
    from emblar.core.tuning.wires import read_wires
    from emblar.formats.wires import wires_file
    from emblar.frame.commands import read_bytes
    from emblar.platform.sound.clips import clip_samples

    if planned:
        SHIPPED.wires(planned)
    data = read_bytes(recording)
    reading = read_wires(SHIPPED, clip_samples(data), ANALYSIS_RATE_HZ)
    print_json(wires_file(SHIPPED, reading, planned))


def next_turns_command(
    tuning: Annotated[Path, typer.Argument(help="A head on its way as emblar.tuning/1 JSON")],
) -> None:
    """Say which rods to turn next, and how far, from what was measured and turned so far."""
    from emblar.formats.tuning import TuningFile
    from emblar.steps.plan.actions.prediction import turns_of

    file = read_json(tuning, TuningFile)
    print_json(turns_of(file))


def muffle_command(
    file: Annotated[Path, typer.Argument(help="Strokes so far as emblar.muffling/1 JSON")],
) -> None:
    """Say what to lay on a drum next, or take off, and what each thing did."""
    from emblar.core.catalogue import numbers
    from emblar.formats.muffling import MufflingFile, next_muffle

    request = read_json(file, MufflingFile)
    known = next_muffle(request, numbers("damper")["resistance"].sd_share)
    print_json(known)
