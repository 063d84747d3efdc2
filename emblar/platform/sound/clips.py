"""Short recordings that a person waits for: strokes, taps, a round of the kit, mouth sounds.

They are read at once where they were sent, so less is taken than of a record that is analysed in
its own time: the one place that says what such a clip may be.
"""

from emblar.core.analysis.signal.audio import (
    Audio,
    Samples,
    check_numbers,
    one_channel,
)
from emblar.platform.sound.apart import decode_apart
from emblar.platform.sound.decode import Limits, decode

CLIP = Limits(longest_s=300.0, most_samples=30_000_000)
"""Five minutes of 48 kHz stereo: 120 MB unpacked."""
PLAIN = (b"RIFF", b"RF64", b"FORM")
"""How files begin that hold samples as they are: they unpack to no more than they are."""


def read_clip_sound(data: bytes) -> Audio:
    """Return the sound of a clip.

    Raises
    ------
    BadAudioError
        It is none, too long, holds too much, or not numbers.
    """
    read = decode if data[:4] in PLAIN else decode_apart
    audio = read(data, CLIP).audio
    check_numbers(audio)
    return audio


def clip_samples(data: bytes) -> Samples:
    """Return a clip as one channel at ``ANALYSIS_RATE_HZ``, shape (n,).

    Raises
    ------
    BadAudioError
        As ``read_clip_sound``.
    """
    return one_channel(read_clip_sound(data))
