"""Numbers as written on screen: unit, sign, uncertainty, note."""

import math

from emblar.core.notes import note_text, spread_hz
from emblar.core.quantities.registry import registry, steps

DIGITS = {"Hz": 1, "ct": 0, "s": 2, "dB": 1, "kHz": 1, "×": 2}
MM_PER_INCH = 25.4
ROUNDING = 0.95
"""An uncertainty from this much of a decimal on is shown in it: 0.95 Hz is 1 Hz."""
SURE_CENTS = 25.0
"""A pitch known less well than this, a quarter tone, is near a note and no cents from it."""


def left_words(hz: float, off_cents: float) -> str:
    """Return where a head was left, for example ``"left at 158 Hz, 277 ct low"``."""
    return f"left at {hz:.0f} Hz, {abs(off_cents):.0f} ct {'low' if off_cents < 0 else 'high'}"


def number(value: float, unit: str, sd: float | None = None) -> str:
    """Return a number with its unit, as exact as it is sure; large Hz in kHz, a real minus sign."""
    if unit == "Hz" and value >= 1000.0:
        value, unit, sd = value / 1000.0, "kHz", sd and sd / 1000.0
    text = f"{abs(value):.{_digits(unit, value, sd)}f}"
    sign = "−" if value < 0 and float(text) != 0.0 else ""
    return f"{sign}{text} {unit}"


def uncertainty(sd: float, value: float, unit: str) -> str:
    """Return an uncertainty in the unit that ``number`` shows the value in."""
    if unit == "Hz" and value >= 1000.0:
        value, unit, sd = value / 1000.0, "kHz", sd / 1000.0
    return f"± {sd:.{_digits(unit, value, sd)}f}"


def _digits(unit: str, value: float, sd: float | None) -> int:
    """Return the number of decimals to show.

    The last decimal matches the first figure of the uncertainty, with at least two figures in all.
    """
    most = DIGITS.get(unit, 2)
    if not sd or not value:
        return most
    sure = math.ceil(-math.log10(sd / ROUNDING))
    two_figures = 1 - math.floor(math.log10(abs(value)))
    return min(most, max(0, sure, two_figures))


def changed_by(name: str, steps_: float, *, amount: bool = True) -> str:
    """Return which way a quantity goes, as ``"pitch 3.0 higher"`` or ``"0.6 less ring"``.

    ``steps_`` are audible steps; without ``amount`` how many is not said.
    """
    way = steps()[name].more if steps_ > 0.0 else steps()[name].less
    known = f"{abs(steps_):.1f} {way}" if amount else way
    shown = registry()[name].shown
    return known if shown in way else f"{shown} {known}"


def pitch(hz: float, sd_cents: float | None = None) -> str:
    """Return a pitch with its note, for example ``"146.8 Hz · D3 −2 ct"``."""
    return f"{number(hz, 'Hz', spread_hz(hz, sd_cents or 0.0))} · {note(hz, sd_cents)}"


def note(hz: float, sd_cents: float | None) -> str:
    """Return a pitch's note, with cents where they are known well enough to say."""
    text = note_text(hz)
    return text if (sd_cents or 0.0) < SURE_CENTS else f"near {text.split()[0]}"


def semitones(value: float) -> str:
    """Return an interval in words, for example ``"reso 2 semitones above batter"``."""
    if abs(value) < 0.05:
        return "same lug pitch on both heads"
    way = "above" if value > 0 else "below"
    count = f"{abs(value):g}"
    return f"reso {count} semitone{'' if count == '1' else 's'} {way} batter"


def inches(value: float) -> str:
    """Return a length in inches with millimetres next to it."""
    return f"{value:g} in ({value * MM_PER_INCH:.0f} mm)"
