"""A plain room put on a dry take, to hear it as it might stand in one. For listening only.

Conventions
-----------
Mono float64. A room is its reverberation: noise that dies away by 60 dB in its T60, duller as it
dies, from a first reflection on; its energy over the dry sound is in dB.
Sizes are rows of ``rooms.toml``. Nothing is measured of what has a room on it.
"""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray
from scipy.signal import fftconvolve

from emblar.core.errors import InputError

Samples = NDArray[np.float64]
SEED = 11
T60_NEPERS = 6.907755


@dataclass(frozen=True, slots=True)
class Room:
    """A room: T60 in s at middle frequencies, first reflection in ms, wet over dry energy in dB."""

    name: str
    t60_s: float
    first_ms: float
    wet_db: float
    dull_hz: float
    """Where its high frequencies have half the T60."""


@lru_cache(maxsize=1)
def rooms() -> dict[str, Room]:
    """Return the rooms there are, by id, from small to large."""
    text = (resources.files(__package__) / "rooms.toml").read_text(encoding="utf-8")
    return {name: Room(**row) for name, row in tomllib.loads(text)["room"].items()}


def in_a_room(samples: Samples, room_id: str, rate_hz: int) -> Samples:
    """Return a sound in a room, as long as it was.

    Parameters
    ----------
    samples
        The dry sound, shape (n,).
    room_id
        Of ``rooms``.
    rate_hz
        Sample rate, Hz.

    Raises
    ------
    InputError
        There is no such room.
    """
    room = rooms().get(room_id)
    if room is None:
        raise InputError(f"“{room_id}” is no room: {', '.join(rooms())}.", field="room")
    wet = fftconvolve(samples, _response(room_id, rate_hz))[: len(samples)]
    return np.asarray(samples + wet, np.float64)


@lru_cache(maxsize=8)
def _response(room_id: str, rate_hz: int) -> Samples:
    """Return the room's response without the direct sound, its energy over that of a click."""
    room = rooms()[room_id]
    time = np.arange(round(room.t60_s * rate_hz)) / rate_hz
    noise = np.fft.rfft(np.random.default_rng(SEED).standard_normal(len(time)))
    hz = np.fft.rfftfreq(len(time), 1.0 / rate_hz)
    # Two bands, the upper one dying twice as fast: what is reflected often is dull.
    low = np.fft.irfft(noise / (1.0 + (hz / room.dull_hz) ** 2), len(time))
    high = np.fft.irfft(noise * (1.0 - 1.0 / (1.0 + (hz / room.dull_hz) ** 2)), len(time))
    rate = T60_NEPERS / room.t60_s
    tail = low * np.exp(-rate * time) + high * np.exp(-2.0 * rate * time)
    first = round(room.first_ms / 1000.0 * rate_hz)
    tail = np.concatenate([np.zeros(first), tail])
    energy = float(np.sum(tail**2))
    return np.asarray(tail * np.sqrt(10.0 ** (room.wet_db / 10.0) / energy), np.float64)
