"""Write samples as WAV or FLAC, and choose how an upload is kept.

Conventions
-----------
What was lossless stays lossless: integer PCM is kept as FLAC of the same depth, what is already
compressed or floating point as it came, and AIFF that FLAC cannot hold as floating-point WAV.
"""

import io

import numpy as np
import soundfile
from numpy.typing import NDArray

from emblar.platform.sound.decode import LOSSY, MEDIA_TYPES, Decoded

FLAC_SUBTYPES = {"PCM_S8": "PCM_S8", "PCM_U8": "PCM_16", "PCM_16": "PCM_16", "PCM_24": "PCM_24"}
FLAC_MOST_CHANNELS = 8


def encode(
    samples: NDArray[np.floating], sample_rate_hz: int, *, container: str, subtype: str
) -> bytes:
    """Return samples of shape (n,) or (n, channels) as the bytes of a sound file."""
    out = io.BytesIO()
    soundfile.write(out, samples, sample_rate_hz, format=container, subtype=subtype)
    return out.getvalue()


def wav_bytes(samples: NDArray[np.float64], sample_rate_hz: int) -> bytes:
    """Return samples as a 16-bit WAV."""
    return encode(np.clip(samples, -1.0, 1.0), sample_rate_hz, container="WAV", subtype="PCM_16")


def kept_form(data: bytes, decoded: Decoded) -> tuple[bytes, str]:
    """Return the bytes to keep for an upload, playable in a browser, and their media type."""
    subtype = FLAC_SUBTYPES.get(decoded.subtype)
    audio = decoded.audio
    if decoded.container in LOSSY or decoded.container == "FLAC":
        return data, MEDIA_TYPES[decoded.container]
    if subtype is not None and audio.channels <= FLAC_MOST_CHANNELS:
        rate = audio.sample_rate_hz
        return encode(audio.samples, rate, container="FLAC", subtype=subtype), "audio/flac"
    if decoded.container == "AIFF":
        rate = audio.sample_rate_hz
        return encode(audio.samples, rate, container="WAV", subtype="FLOAT"), "audio/wav"
    return data, MEDIA_TYPES[decoded.container]
