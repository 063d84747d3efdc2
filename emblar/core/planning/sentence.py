"""A plan in one sentence, as a tech says it across the room.

``Coated double ply over clear single ply, reso a third above the batter, a gel pad near the edge:
132 Hz, a little longer than the record.``
"""

from collections.abc import Mapping, Sequence

from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import Catalogue, Construction
from emblar.core.quantities.registry import steps

INTERVALS = {
    1: "a semitone",
    2: "a tone",
    3: "a minor third",
    4: "a third",
    5: "a fourth",
    6: "a tritone",
    7: "a fifth",
    8: "a minor sixth",
    9: "a sixth",
    10: "a minor seventh",
    11: "a seventh",
    12: "an octave",
}
SAID_FROM = 1.0
PLAIN_FROM = 2.0
MUCH_FROM = 4.0
"""Audible steps from which a difference is said, is more than a little, and is a lot."""
MOST_SAID = 2
UNSAID = ("pitch", "bend")
COUNTED = ("ring", "wires")
"""What the sentence leaves out; what there is more of rather than what is more."""
MOST_DAMPERS = 3
NEARLY_SEMITONES = 0.2


def plan_sentence(
    catalogue: Catalogue,
    kind: Kind,
    *,
    batter: str,
    reso: str | None,
    port_in: float | None,
    semitones: float,
    dampers: Sequence[str],
    pitch_hz: float,
    apart: Mapping[str, float],
) -> str:
    """Return a plan in one sentence.

    Parameters
    ----------
    catalogue
        The catalogue of parts.
    kind
        The kind of drum.
    batter, reso, dampers
        Ids of the catalogue; ``reso`` None without a second head.
    port_in, semitones
        Diameter of a port; the second head's lug pitch above the batter's.
    pitch_hz, apart
        Planned drum pitch; audible steps above the record per quantity.
    """
    parts = [_heads(catalogue, batter, reso)]
    if reso is None and kind == "kick":
        parts.append("no front head")
    if reso is not None:
        parts.append(relation_words(kind, semitones))
    if port_in is not None:
        parts.append(f"a {port_in:g} in port")
    parts.append(_dampers(catalogue, dampers))
    sentence = f"{', '.join(parts)}: {pitch_hz:.0f} Hz, {against_record(apart)}."
    return sentence[0].upper() + sentence[1:]


def _heads(catalogue: Catalogue, batter: str, reso: str | None) -> str:
    first = spoken(catalogue.construction(batter))
    return first if reso is None else f"{first} over {spoken(catalogue.construction(reso))}"


def spoken(made: Construction) -> str:
    """Return a head as it is said: ``coated double ply with a ring``."""
    return made.spoken or made.name


def relation_words(kind: Kind, semitones: float) -> str:
    """Return the relation of the heads in words: ``reso a third above the batter``."""
    if round(abs(semitones), 1) < 0.5:
        return "both heads on one note"
    whole = round(abs(semitones))
    size = INTERVALS.get(whole, f"{abs(semitones):g} semitones")
    side = "above" if semitones > 0.0 else "below"
    return f"{head_name(kind, 'reso')} {size} {side} the batter"


def interval_words(cents_: float) -> str:
    """Return how far off a pitch is as an interval: ``a third too low``; cents where it is less."""
    semitones = abs(cents_) / 100.0
    way = "high" if cents_ > 0.0 else "low"
    whole = round(semitones)
    if whole < 1:
        return f"{abs(cents_):.0f} ct too {way}"
    octaves, rest = divmod(whole, 12)
    size = INTERVALS.get(rest, f"{rest} semitones") if rest else ""
    if octaves:
        values = "an octave" if octaves == 1 else f"{octaves} octaves"
        size = f"{values} and {size}" if size else values
    near = "" if abs(semitones - whole) < NEARLY_SEMITONES else "about "
    return f"{near}{size} too {way}"


def _dampers(catalogue: Catalogue, ids: Sequence[str]) -> str:
    names = [catalogue.damper(one).name for one in ids[:MOST_DAMPERS]]
    return " and ".join(names) if names else "nothing on it"


def against_record(apart: Mapping[str, float]) -> str:
    """Return how a plan stands against the record, its largest differences first."""
    known = once_long({name: value for name, value in apart.items() if name not in UNSAID})
    values = sorted((n for n in known if abs(known[n]) >= SAID_FROM), key=lambda n: -abs(known[n]))
    if not known:
        return "with nothing but a pitch to go by"
    if not values:
        return "as on the record"
    return f"{' and '.join(_difference(n, known[n]) for n in values[:MOST_SAID])} than the record"


def once_long(moves: Mapping[str, float]) -> dict[str, float]:
    """Return moves without the lesser of sustain and length: they say one thing to the ear."""
    left = dict(moves)
    if "sustain" in left and "length" in left:
        left.pop(min(("sustain", "length"), key=lambda name: abs(left[name])))
    return left


def _difference(name: str, by: float) -> str:
    step = steps()[name]
    word, before = (step.more if by > 0.0 else step.less), ""
    if name in COUNTED:
        before = "with "
    size = "much " if abs(by) >= MUCH_FROM else "a little " if abs(by) < PLAIN_FROM else ""
    if word.startswith("fewer"):
        size = "far " if size == "much " else ""
    return f"{before}{size}{word}"
