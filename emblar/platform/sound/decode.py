"""Read WAV, FLAC, OGG, MP3 and AIFF from memory.

Conventions
-----------
Samples come out as float32 of shape (n, channels), 1.0 is full scale: enough for 24 bits.
Errors say what the file is and what to do; nothing is guessed.
"""

import io
from dataclasses import dataclass

import numpy as np
import soundfile
from numpy.typing import NDArray

from emblar.core.analysis.signal.audio import LONGEST_S, Audio, check_duration, check_rate
from emblar.core.errors import BadAudioError

LARGEST_BYTES = 200 * 1024 * 1024
READABLE = "WAV, FLAC, OGG, MP3 or AIFF"
MEDIA_TYPES = {
    "WAV": "audio/wav",
    "WAVEX": "audio/wav",
    "RF64": "audio/wav",
    "FLAC": "audio/flac",
    "OGG": "audio/ogg",
    "MP3": "audio/mpeg",
    "AIFF": "audio/aiff",
}
LOSSY = ("OGG", "MP3")
MOST_CHANNELS = 8
BLOCK_FRAMES = 1 << 20


@dataclass(frozen=True, slots=True)
class Limits:
    """What a file may hold: seconds, and samples of all channels together."""

    longest_s: float
    most_samples: int


RECORD = Limits(LONGEST_S, 180_000_000)
"""Of a record: 30 min of stereo."""


@dataclass(frozen=True, slots=True)
class Decoded:
    """A decoded file: its sound, the container's name and the sample format's name."""

    audio: Audio
    container: str
    subtype: str


def check_size(size_bytes: int) -> None:
    """Check the size of a file.

    Raises
    ------
    BadAudioError
        It is empty or larger than 200 MB.
    """
    if size_bytes == 0:
        raise BadAudioError("The file is empty. Choose the file again, or export it again.")
    if size_bytes > LARGEST_BYTES:
        raise BadAudioError(
            f"The file is {size_bytes / 2**20:.0f} MB; Emblar takes up to "
            f"{LARGEST_BYTES // 2**20} MB. Cut out the part you want, or save it as FLAC."
        )


def decode(data: bytes, limits: Limits = RECORD) -> Decoded:
    """Decode a sound file that holds no more than ``limits``.

    Raises
    ------
    BadAudioError
        The bytes are no sound file that can be read, or it ends too early.
    """
    check_size(len(data))
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as file:
            declared, container, subtype = file.frames, file.format, file.subtype
            rate, channels = file.samplerate, file.channels
            if container not in MEDIA_TYPES:
                raise BadAudioError(f"{container} files are not read. Bring {READABLE}.")
            _check_channels(channels)
            check_rate(rate)
            if container != "MP3":
                check_duration(declared / rate, limits.longest_s)
                _check_samples(declared * channels, rate, channels, limits)
            if container == "MP3":
                samples = _read_all(file, channels, limits)
            else:
                # As much as the header says, once: pieces put together would be there twice.
                samples = file.read(out=np.empty((declared, channels), np.float32))
    except soundfile.LibsndfileError as error:
        raise BadAudioError(
            f"This is not a sound file Emblar can read ({error.error_string.strip('. ')}). "
            f"Bring {READABLE}."
        ) from error
    if len(samples) == 0:
        raise BadAudioError("The file holds no samples. Export it again.")
    # MP3 lengths are estimates; the others say exactly how long they are.
    if container != "MP3" and len(samples) < declared:
        raise BadAudioError(
            f"The file ends early: {len(samples) / rate:.1f} s of {declared / rate:.1f} s are "
            "there. It was cut off on its way; copy or export it again."
        )
    return Decoded(Audio(samples, rate), container, subtype)


def decode_piece(data: bytes, start_s: float, stop_s: float) -> Audio:
    """Decode a piece of a sound file that was decoded whole before; it ends where the file does."""
    with soundfile.SoundFile(io.BytesIO(data)) as file:
        rate = file.samplerate
        file.seek(min(max(round(start_s * rate), 0), file.frames))
        count = max(round((stop_s - max(start_s, 0.0)) * rate), 0)
        return Audio(file.read(count, dtype="float32", always_2d=True), rate)


def _check_channels(channels: int) -> None:
    if channels > MOST_CHANNELS:
        raise BadAudioError(
            f"The file has {channels} channels; up to {MOST_CHANNELS} are read. Export the drums' "
            "microphones as files of their own, or a stereo mix of them."
        )


def _check_samples(count: int, rate: int, channels: int, limits: Limits) -> None:
    if count > limits.most_samples:
        longest = limits.most_samples / rate / channels / 60.0
        raise BadAudioError(
            f"{channels} channels at {rate} Hz are read up to {longest:.0f} minutes; this is "
            f"{count / rate / channels / 60.0:.0f}. Cut out the part you want, or bring stereo."
        )


def _read_all(file: soundfile.SoundFile, channels: int, limits: Limits) -> NDArray[np.float32]:
    blocks, count = [], 0
    while True:
        block = file.read(BLOCK_FRAMES, dtype="float32", always_2d=True)
        if len(block) == 0:
            break
        blocks.append(block)
        # What a header says of its length need not be so.
        count += block.size
        check_duration(count / channels / file.samplerate, limits.longest_s)
        _check_samples(count, file.samplerate, channels, limits)
    return np.concatenate(blocks) if blocks else np.zeros((0, channels), np.float32)
