"""``emblar.wires/1``: what a soft tap tells of a snare's wires, and the same in words."""

from dataclasses import asdict
from typing import Literal

from pydantic import Field

from emblar.core.catalogue import wire_settings
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


def wires_file(heard: WiresHeard, planned: str = "") -> WiresFile:
    """Return what was heard as written to a file; ``planned`` is the setting to go for."""
    return WiresFile(**asdict(heard), says=wires_say(heard, planned))


def wires_say(heard: WiresHeard, planned: str = "") -> str:
    """Return what to do about the wires in a sentence or two."""
    if heard.verdict == "silent":
        return "The wires do not answer a soft tap: throw them on, and turn the knob until they do."
    if heard.verdict == "cannot tell":
        return "Cannot tell: too much else sounds, or it does not ring out. Tap once more, alone."
    told = f"They rustle for {heard.rustle_s:.2f} s" if heard.rustle_s is not None else "They speak"
    if heard.head_s is not None and heard.rustle_s is not None:
        told += f", the drum sounds for {heard.head_s:.2f} s"
    if heard.verdict == "late":
        return f"A second sound comes {heard.late_ms:.0f} ms after the stick: {TIGHTER}. {told}."
    if heard.verdict == "long":
        if heard.setting == "tight":
            return (
                f"{told}: the wires are tight already, and choke the drum or it is short itself. "
                f"Try them {LOOSER}; if that does not bring it back, leave them."
            )
        return f"{told}: the rustle outlasts it. Turn the knob {TIGHTER} and tap again."
    return f"{told}. {_against(heard.setting, planned)}"


def _against(setting: str | None, planned: str) -> str:
    """Return how the wires stand to what is planned."""
    if setting is None or setting not in ORDER or planned not in ORDER:
        return "They speak with the head: leave them."
    off = ORDER.index(planned) - ORDER.index(setting)
    if off == 0:
        return "As planned: leave them."
    way = TIGHTER if off > 0 else LOOSER
    current, then = (wire_settings()[name].name for name in (setting, planned))
    return f"About {current}; planned is {then}: {way}."
