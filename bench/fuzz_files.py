"""Hostile and random files: ``python -m bench.fuzz_files TARGET [-runs=N] [-max_total_time=S]``.

atheris feeds a target with bytes grown from good files by what new code they reach: ``sound`` (the
decoder), ``sung`` (two mouth sounds), ``analysis`` (a stored analysis) and ``picture``. What a
target refuses with words is right; any other error, ten seconds or a gigabyte is a fault, kept in
``var/fuzz``.
"""

import contextlib
import io
import json
import logging
import sys
from collections.abc import Callable
from pathlib import Path

import atheris

with atheris.instrument_imports(include=["emblar"]):
    import numpy as np
    from PIL import Image

    from emblar.core.analysis.pipeline import analyse
    from emblar.core.analysis.signal.audio import (
        ANALYSIS_RATE_HZ,
        Audio,
        check_audio,
        check_numbers,
        one_channel,
    )
    from emblar.core.errors import EmblarError
    from emblar.core.planning.sung import read_sung
    from emblar.core.synthesis.low_ferry import render_low_ferry
    from emblar.formats.analysis import analysis_file, analysis_from_document
    from emblar.formats.picture import kept_picture
    from emblar.platform.sound.clips import CLIP
    from emblar.platform.sound.decode import decode
    from emblar.platform.sound.encode import wav_bytes


def sound(data: bytes) -> None:
    """Decode a recording."""
    check_audio(decode(data).audio)


def sung(data: bytes) -> None:
    """Read two mouth sounds, as a clip is read."""
    audio = decode(data, CLIP).audio
    check_numbers(audio)
    read_sung(one_channel(audio), ANALYSIS_RATE_HZ)


def analysis(data: bytes) -> None:
    """Read a stored analysis."""
    try:
        document = json.loads(data)
    except (ValueError, RecursionError):
        return
    if isinstance(document, dict):
        analysis_from_document(document)


def picture(data: bytes) -> None:
    """Keep a picture."""
    kept_picture(data)


TARGETS: dict[str, Callable[[bytes], None]] = {
    "sound": sound,
    "sung": sung,
    "analysis": analysis,
    "picture": picture,
}


def seeds(target: str) -> list[bytes]:
    """Return good files to grow from."""
    if target in ("sound", "sung"):
        samples = np.asarray(render_low_ferry().samples)[:22050, :1]
        return [wav_bytes(samples[:, 0].astype(float), 44_100)]
    if target == "picture":
        out = []
        for kind in ("JPEG", "PNG", "WEBP"):
            held = io.BytesIO()
            Image.new("RGB", (40, 30), (90, 60, 20)).save(held, kind)
            out.append(held.getvalue())
        return out
    song = render_low_ferry()
    piece = Audio(song.samples[: 6 * song.sample_rate_hz], song.sample_rate_hz)
    return [analysis_file(analyse(piece, kind="drums")).model_dump_json(by_alias=True).encode()]


def main() -> None:
    """Feed one target until told to stop."""
    target = sys.argv.pop(1) if len(sys.argv) > 1 else ""
    if target not in TARGETS:
        sys.exit(f"Say which: {', '.join(TARGETS)}.")
    logging.disable(logging.CRITICAL)
    folder = Path("var/fuzz") / target
    folder.mkdir(parents=True, exist_ok=True)
    for number, seed in enumerate(seeds(target)):
        (folder / f"seed-{number}").write_bytes(seed)

    def one(data: bytes) -> None:
        with contextlib.suppress(EmblarError):
            TARGETS[target](data)

    limits = ["-timeout=10", "-rss_limit_mb=1024", f"-artifact_prefix={folder}/fault-"]
    atheris.Setup([*sys.argv, *limits, str(folder)], one)
    atheris.Fuzz()


if __name__ == "__main__":
    main()
