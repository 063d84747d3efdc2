import io

import numpy as np
import pytest
import soundfile

from emblar.core.analysis.signal.audio import ANALYSIS_RATE_HZ
from emblar.core.errors import BadAudioError
from emblar.platform.sound.clips import CLIP, clip_samples, read_clip_sound
from emblar.platform.sound.decode import decode
from tests.recordings import RATE, encoded

TONE = 0.3 * np.sin(2 * np.pi * 220.0 * np.arange(RATE) / RATE)[:, None]


def made(samples: np.ndarray, rate: int, container: str = "WAV", subtype: str = "PCM_16") -> bytes:
    out = io.BytesIO()
    soundfile.write(out, samples, rate, format=container, subtype=subtype)
    return out.getvalue()


@pytest.mark.parametrize(
    ("container", "subtype"),
    [
        ("WAV", "PCM_24"),
        ("AIFF", "PCM_16"),
        ("FLAC", "PCM_24"),
        ("OGG", "VORBIS"),
        ("MP3", "MPEG_LAYER_III"),
    ],
)
def test_a_clip_of_any_container_is_the_sound_it_holds(container: str, subtype: str) -> None:
    data = encoded(TONE, container, subtype)
    assert np.array_equal(read_clip_sound(data).samples, decode(data).audio.samples)
    assert clip_samples(data).shape == (round(len(TONE) / RATE * ANALYSIS_RATE_HZ),) or (
        container == "MP3"
    )


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (made(np.zeros((1302, 1)), 1), "sample rate is 1 Hz"),
        (made(np.zeros((400, 1)), 768_000), "sample rate"),
        (made(np.full((RATE, 1), np.nan), RATE, subtype="FLOAT"), "not numbers"),
        (made(np.full((RATE, 1), np.inf), RATE, subtype="FLOAT"), "not numbers"),
        (made(1e37 * TONE, RATE, subtype="FLOAT"), "million times full scale"),
        (made(np.zeros((8000 * 1300, 1), np.int16), 8000), "at most 5 minutes"),
        (made(np.zeros((8000 * 1300, 1), np.int16), 8000, "FLAC"), "at most 5 minutes"),
        (made(np.zeros((44100 * 100, 8), np.int16), 44100, "FLAC"), "are read up to"),
        (b"", "empty"),
        (b"RIFF", "not a sound file"),
        (b"no sound at all", "not a sound file"),
    ],
)
def test_what_is_no_clip_is_refused_in_words(data: bytes, says: str) -> None:
    with pytest.raises(BadAudioError, match=says):
        read_clip_sound(data)


def test_a_clip_never_unpacks_to_more_than_it_may() -> None:
    longest = made(np.zeros((int(CLIP.longest_s) * 8000, 1), np.int16), 8000, "FLAC")
    assert read_clip_sound(longest).samples.size <= CLIP.most_samples
