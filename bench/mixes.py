"""The four-minute mix that the benchmarks share, importable by a process of its own."""

import re
from pathlib import Path

import numpy as np

from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.separation.wiener import TemplateSeparator
from emblar.core.analysis.signal.audio import Audio
from emblar.core.errors import ServiceError
from emblar.core.synthesis.low_ferry import render_low_ferry


def four_minutes() -> Audio:
    """Return the demo song over and over with chords under it, four minutes, stereo."""
    song = render_low_ferry()
    count = -(-240 * song.sample_rate_hz // len(song.samples))
    drums = np.tile(song.samples.astype(np.float32), (count, 1))[: 240 * song.sample_rate_hz]
    time = np.arange(len(drums), dtype=np.float32) / song.sample_rate_hz
    # Struck anew every half second: what never stirs is not heard as other instruments.
    struck = 10.0 ** (-1.2 * np.mod(time, 0.5))
    chords = 0.2 * struck * sum(np.sin(2 * np.pi * f * time) for f in (55.0, 220.0, 277.2, 329.6))
    return Audio(drums + np.asarray(chords)[:, None], song.sample_rate_hz)


def whole(audio: Audio) -> None:
    """Analyse a mix and take its drums out."""
    result = analyse(audio, kind="mix")
    TemplateSeparator(result.hits).separate(audio.samples, audio.sample_rate_hz)


def peak_of_whole(_: int) -> float:
    """Return the peak memory in MB of analysing four minutes in this process."""
    whole(four_minutes())
    # Not getrusage: its peak is handed down from the parent.
    status = Path("/proc/self/status").read_text()
    peak = re.search(r"VmHWM:\s+(\d+)", status)
    if peak is None:
        raise ServiceError("This kernel does not report the peak memory of a process.")
    return int(peak[1]) / 1024
