"""Small made-up recordings as bytes, good and bad."""

import io

import numpy as np
import soundfile

from emblar.core.synthesis.low_ferry import PLACEMENTS, low_ferry_voices
from emblar.core.synthesis.song import Event, render_performance

RATE = 44100


def encoded(samples: np.ndarray, container: str = "WAV", subtype: str = "PCM_16") -> bytes:
    out = io.BytesIO()
    soundfile.write(out, samples, RATE, format=container, subtype=subtype)
    return out.getvalue()


def short_groove() -> np.ndarray:
    """Six seconds: kick, snare, a tom, hats; stereo."""
    events = [Event(0.3 + 0.6 * i, ("kick", "snare")[i % 2], 1.0) for i in range(8)]
    events += [Event(0.6 + 0.6 * i, "hat", 1.0) for i in range(7)]
    events += [Event(5.1 + 0.6 * i, "tom-1", 1.0) for i in range(3)]
    voices = {k: v for k, v in low_ferry_voices().items() if k in {e.voice for e in events}}
    return render_performance(voices, events, PLACEMENTS, seed=5).samples


def bad_recordings() -> dict[str, tuple[bytes, str]]:
    """Name to bytes and what the message must say."""
    rng = np.random.default_rng(4)
    flac = encoded(0.1 * rng.standard_normal((RATE * 2, 1)), "FLAC")
    noise = np.clip(rng.standard_normal((3 * RATE, 1)), -1, 1)
    nan = np.full((RATE, 1), np.nan)
    return {
        "empty.wav": (b"", "The file is empty"),
        "text.wav": (b"This is a letter, not a recording.\n" * 50, "not a sound file"),
        "cut.flac": (flac[: len(flac) // 2], "ends early|not a sound file"),
        "short.wav": (encoded(rng.standard_normal((2205, 1)) * 0.1), "50 ms long"),
        "silence.wav": (encoded(np.zeros((RATE, 1))), "silent"),
        "noise.wav": (encoded(noise), "No drum stroke was found"),
        "nan.wav": (encoded(nan, subtype="FLOAT"), "not numbers"),
    }
