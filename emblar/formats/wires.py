"""``emblar.wires/1``: what a soft tap tells of a snare's wires, and the same in words."""

from dataclasses import asdict
from typing import Literal

from pydantic import Field

from emblar.core.catalogue import Catalogue
from emblar.core.tuning.wires import Verdict, WiresHeard
from emblar.formats.codec import Strict

TIGHTER = "an eighth tighter"
LOOSER = "an eighth looser"
ORDER = ("loose", "medium", "tight")


class WiresFile(Strict):
    """What a soft tap tells; lengths in s until 20 dB down, ``says`` in words."""

    schema_: Literal["emblar.wires/1"] = Field(default="emblar.wires/1", alias="schema")
    verdict: Verdict
    head_s: float | None
    rustle_s: float | None
    late_ms: float | None
    level_db: float | None
    setting: str | None
    says: str


def wires_file(catalogue: Catalogue, reading: WiresHeard, planned: str = "") -> WiresFile:
    """Return what was heard as written to a file; ``planned`` is the setting to go for."""
    return WiresFile(**asdict(reading), says=wires_say(catalogue, reading, planned))


def wires_say(catalogue: Catalogue, reading: WiresHeard, planned: str = "") -> str:
    """Return what to do about the wires in a sentence or two."""
    if reading.verdict == "silent":
        return "The wires do not answer a soft tap: throw them on, and turn the knob until they do."
    if reading.verdict == "cannot tell":
        return "Cannot tell: too much else sounds, or it does not ring out. Tap once more, alone."
    known = (
        f"They rustle for {reading.rustle_s:.2f} s"
        if reading.rustle_s is not None
        else "They speak"
    )
    if reading.head_s is not None and reading.rustle_s is not None:
        known += f", the drum sounds for {reading.head_s:.2f} s"
    if reading.verdict == "late":
        return f"A second sound comes {reading.late_ms:.0f} ms after the stick: {TIGHTER}. {known}."
    if reading.verdict == "long":
        if reading.setting == "tight":
            return (
                f"{known}: the wires are tight already, and choke the drum or it is short itself. "
                f"Try them {LOOSER}; if that does not bring it back, leave them."
            )
        return f"{known}: the rustle outlasts it. Turn the knob {TIGHTER} and tap again."
    return f"{known}. {_against(catalogue, reading.setting, planned)}"


def _against(catalogue: Catalogue, setting: str | None, planned: str) -> str:
    """Return how the wires stand to what is planned."""
    if setting is None or setting not in ORDER or planned not in ORDER:
        return "The wires respond with the head: leave them as they are."
    off = ORDER.index(planned) - ORDER.index(setting)
    if off == 0:
        return "As planned: leave them."
    way = TIGHTER if off > 0 else LOOSER
    current, then = (catalogue.wire_settings[name].name for name in (setting, planned))
    return f"About {current}; planned is {then}: {way}."
