import io

import numpy as np
import pytest
import soundfile

from emblar.core.errors import BadAudioError
from emblar.platform.sound.decode import LARGEST_BYTES, check_size, decode
from emblar.platform.sound.encode import kept_form, wav_bytes
from tests.recordings import RATE, encoded

TONE = 0.3 * np.sin(2 * np.pi * 220.0 * np.arange(RATE) / RATE)[:, None]


@pytest.mark.parametrize(
    ("container", "subtype", "exact"),
    [
        ("WAV", "PCM_U8", 0.01),
        ("WAV", "PCM_16", 1e-4),
        ("WAV", "PCM_24", 1e-6),
        ("WAV", "PCM_32", 1e-6),
        ("WAV", "FLOAT", 1e-6),
        ("AIFF", "PCM_16", 1e-4),
        ("FLAC", "PCM_24", 1e-6),
        ("OGG", "VORBIS", 0.03),
        ("MP3", "MPEG_LAYER_III", 0.05),
    ],
)
def test_every_container_and_depth_is_read(container: str, subtype: str, exact: float) -> None:
    decoded = decode(encoded(TONE, container, subtype))
    assert decoded.audio.sample_rate_hz == RATE
    middle = slice(5000, 30000)
    got = decoded.audio.samples[:, 0]
    # Lossy codecs may shift by some samples: compare levels, not samples.
    assert np.std(got[middle]) == pytest.approx(np.std(TONE[middle]), rel=0.05)
    if exact < 0.02:
        assert np.abs(got[middle] - TONE[middle, 0]).max() < exact


@pytest.mark.parametrize("channels", [1, 2, 6])
@pytest.mark.parametrize("rate", [8000, 48000, 192000])
def test_any_rate_and_number_of_channels_is_read(rate: int, channels: int) -> None:
    out = io.BytesIO()
    soundfile.write(out, np.zeros((rate // 4, channels)) + 0.1, rate, format="WAV")
    audio = decode(out.getvalue()).audio
    assert (audio.sample_rate_hz, audio.channels) == (rate, channels)
    assert audio.duration_s == pytest.approx(0.25)


@pytest.mark.parametrize(
    ("container", "subtype", "media_type"),
    [
        ("WAV", "PCM_16", "audio/flac"),
        ("AIFF", "PCM_24", "audio/flac"),
        ("WAV", "FLOAT", "audio/wav"),
        ("AIFF", "FLOAT", "audio/wav"),
        ("MP3", "MPEG_LAYER_III", "audio/mpeg"),
    ],
)
def test_what_is_kept_is_lossless_and_playable(
    container: str, subtype: str, media_type: str
) -> None:
    data = encoded(TONE, container, subtype)
    before = decode(data)
    kept, kept_type = kept_form(data, before)
    assert kept_type == media_type
    assert np.array_equal(decode(kept).audio.samples, before.audio.samples)


def test_too_large_is_said_with_sizes() -> None:
    with pytest.raises(BadAudioError, match="300 MB; Emblar takes up to 200 MB"):
        check_size(300 * 2**20)
    check_size(LARGEST_BYTES)


def test_a_planned_stroke_is_a_wav() -> None:
    assert decode(wav_bytes(TONE[:, 0] * 9.0, RATE)).audio.samples.max() <= 1.0
