"""Numbers as written on screen: unit, sign, uncertainty, note."""

from emblar.core.notes import note_text
from emblar.core.quantities.registry import registry, steps

DIGITS = {"Hz": 1, "ct": 0, "s": 2, "dB": 1, "kHz": 1, "×": 2}
MM_PER_INCH = 25.4


def left_words(hz: float, off_cents: float) -> str:
    """Return where a head was left, for example ``"left at 158 Hz, 277 ct low"``."""
    return f"left at {hz:.0f} Hz, {abs(off_cents):.0f} ct {'low' if off_cents < 0 else 'high'}"


def number(value: float, unit: str) -> str:
    """Return a number with its unit; large Hz in kHz, a minus sign that is one."""
    if unit == "Hz" and value >= 1000.0:
        value, unit = value / 1000.0, "kHz"
    text = f"{abs(value):.{DIGITS.get(unit, 2)}f}"
    sign = "−" if value < 0 and float(text) != 0.0 else ""
    return f"{sign}{text} {unit}"


def uncertainty(sd: float, value: float, unit: str) -> str:
    """Return an uncertainty in the unit that ``number`` shows the value in."""
    scale = 1000.0 if unit == "Hz" and value >= 1000.0 else 1.0
    shown = sd / scale
    digits = 2 if unit == "s" else 1 if shown < 10.0 else 0
    return f"± {shown:.{digits}f}"


def changed_by(name: str, steps_: float, *, amount: bool = True) -> str:
    """Return which way a quantity goes, as ``"pitch 3.0 higher"`` or ``"0.6 less ring"``.

    ``steps_`` are audible steps; without ``amount`` how many is not said.
    """
    way = steps()[name].more if steps_ > 0.0 else steps()[name].less
    known = f"{abs(steps_):.1f} {way}" if amount else way
    shown = registry()[name].shown
    return known if shown in way else f"{shown} {known}"


def pitch(hz: float) -> str:
    """Return a pitch with its note, for example ``"146.8 Hz · D3 −2 ct"``."""
    return f"{hz:.1f} Hz · {note_text(hz)}"


def semitones(value: float) -> str:
    """Return an interval in words, for example ``"reso 2 semitones above batter"``."""
    if abs(value) < 0.05:
        return "both heads at the same lug pitch"
    way = "above" if value > 0 else "below"
    count = f"{abs(value):g}"
    return f"reso {count} semitone{'' if count == '1' else 's'} {way} batter"


def inches(value: float) -> str:
    """Return a length in inches with millimetres next to it."""
    return f"{value:g} in ({value * MM_PER_INCH:.0f} mm)"
