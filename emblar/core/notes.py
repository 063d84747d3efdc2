"""Hertz, notes, cents and intervals.

Conventions
-----------
Equal temperament, A4 = 440 Hz. A cent is 1/1200 of an octave. Note names use sharps, written #.
"""

import math

A4_HZ = 440.0
NOTE_NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")


def cents(pitch_hz: float, reference_hz: float) -> float:
    """Return how many cents ``pitch_hz`` lies above ``reference_hz`` (both > 0, Hz)."""
    return 1200.0 * math.log2(pitch_hz / reference_hz)


def shifted(pitch_hz: float, cents_up: float) -> float:
    """Return the pitch in Hz that lies ``cents_up`` cents above ``pitch_hz``."""
    return float(pitch_hz * 2.0 ** (cents_up / 1200.0))


def spread_hz(pitch_hz: float, spread_cents: float) -> float:
    """Return a spread about a pitch in Hz that is given in cents."""
    return shifted(pitch_hz, spread_cents) - pitch_hz


def nearest_note(pitch_hz: float) -> tuple[str, int]:
    """Return the nearest note and the deviation from it.

    Parameters
    ----------
    pitch_hz
        Frequency in Hz, > 0.

    Returns
    -------
    name
        For example ``"D3"``.
    deviation_cents
        Whole cents, −50 to 50.
    """
    semitones = 69.0 + cents(pitch_hz, A4_HZ) / 100.0
    number = round(semitones)
    return f"{NOTE_NAMES[number % 12]}{number // 12 - 1}", round(100.0 * (semitones - number))


def note_text(pitch_hz: float) -> str:
    """Return a note as written on screen, for example ``"D3 −2 ct"``."""
    name, deviation = nearest_note(pitch_hz)
    sign = "−" if deviation < 0 else "+"
    return f"{name} {sign}{abs(deviation)} ct"


def note_frequency_hz(midi_number: int) -> float:
    """Return the frequency in Hz of a MIDI note number (69 is A4)."""
    return float(A4_HZ * 2.0 ** ((midi_number - 69) / 12.0))
