"""What practice says each choice does, held against the model: ``python -m bench.practice``.

Conventions
-----------
Three drums (``practice_drums.DRUMS``), one choice changed alone, compared at the **same drum
pitch** unless a row is about the pitch itself. Differences are in just-noticeable steps
(``quantities/registry.toml``).
A row says what practice says, the model's figures now, and whether they agree; where they do not
the reason stands in ``WHY_NOT``.
"""

import argparse
import itertools
import json
import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from bench.practice_drums import (
    DRUMS,
    TUNED,
    at_same_lugs,
    built,
    card,
    in_words,
    moved,
    predicted,
)
from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.inverse import lug_pitches_for, tension_per_turn
from emblar.core.acoustics.limits import moved_by_other_head, papery_tension
from emblar.core.acoustics.uneven import split
from emblar.core.catalogue import SHIPPED
from emblar.core.notes import cents
from emblar.core.planning.kit import model
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.search import FOURTH

BEND_DRUMS = (
    (8.0, 7.0, 5, 190.0),
    (10.0, 7.0, 6, 150.0),
    (12.0, 8.0, 6, 110.0),
    (13.0, 9.0, 6, 100.0),
    (16.0, 16.0, 8, 70.0),
    (18.0, 16.0, 8, 60.0),
)
"""Toms by diameter, depth, rods and drum pitch in Hz."""
LEAST = 0.1
"""So many steps at least count as a difference."""
WHY_NOT = {
    6: (
        "The air between two heads holds them so fast together that both sweep nearly the same "
        "volume whatever the relation. Radiation alone lets the tom ring 12.6 s at equal heads and "
        "11.4 s a fourth away; film and edge end it after 2.2 s either way. For radiation to "
        "decide, toms would have to ring for over five seconds. Reso higher leaves more of the "
        "note to the batter, which the microphone hears as longer. Plans stop at a fourth."
    ),
    13: (
        "Letting every other lug of a kick down splits no mode that a beater at the middle excites "
        "to first order, so nothing smears here. What is said of a snare and a tom agrees."
    ),
}


@dataclass(frozen=True, slots=True)
class Finding:
    """What the model says of one row of practice: figures in words, and whether they agree."""

    figures: str
    agrees: bool


@dataclass(frozen=True, slots=True)
class Row:
    """One row: its number, what practice says, and how to find out."""

    number: int
    practice: str
    measure: Callable[[], Finding]


ROWS: list[Row] = []


def row(number: int, practice: str) -> Callable[[Callable[[], Finding]], Callable[[], Finding]]:
    """Enter a function as the measure of one row of practice."""

    def register(measure: Callable[[], Finding]) -> Callable[[], Finding]:
        ROWS.append(Row(number, practice, measure))
        return measure

    return register


@row(1, "Coated against clear: softer attack, darker, a little shorter")
def coated() -> Finding:
    """Compare a coated with a clear batter."""
    tom = moved(card("tom", batter="single-coated"), card("tom"), "attack", "click", "sustain")
    kick = moved(card("kick", batter="single-coated"), card("kick"), "attack", "click", "sustain")
    darker = all(by["click"] < -LEAST and by["attack"] < -LEAST for by in (tom, kick))
    shorter = all(-2.0 < by["sustain"] < -LEAST for by in (tom, kick))
    return Finding(f"{in_words('tom', tom)}; {in_words('kick', kick)}", darker and shorter)


@row(
    2,
    "Single ply open and long, double shorter; but a double ply without ring outlasts a single "
    "ply with ring on a kick",
)
def plies() -> Finding:
    """Compare single and double plies, with a ring and without."""
    tom = moved(card("tom", batter="double-clear"), card("tom"), "sustain")
    double = card("kick", batter="double-clear")["sustain"]
    ring, single = card("kick", batter="kick-ring-clear")["sustain"], card("kick")["sustain"]
    figures = (
        f"{in_words('tom, double', tom)}; kick sustain single {single:.2f} s, double {double:.2f}, "
        f"single with ring {ring:.2f}"
    )
    return Finding(figures, tom["sustain"] < -LEAST and single > double > 1.15 * ring)


@row(
    3,
    "A built-in ring makes a kick short and finished: at most half the sustain of the bare head; "
    "on a snare two steps or more; vents and ring are the driest head there is",
)
def rings() -> Finding:
    """Compare heads with a built-in ring to bare ones."""
    ring = card("kick", batter="kick-ring-clear")["sustain"] / card("kick")["sustain"]
    lengths = {
        c.id: card("snare", batter=c.id)["length"]
        for c in SHIPPED.constructions_for("snare", "batter")
    }
    vented = moved(card("snare", batter="single-vented-ring"), card("snare"), "sustain", "length")
    driest = lengths["single-vented-ring"] <= min(lengths.values())
    figures = (
        f"kick with ring rings {100 * ring:.0f} % of the bare head; "
        f"{in_words('snare, vents and ring', vented)}, the driest: {'yes' if driest else 'no'}"
    )
    return Finding(figures, ring <= 0.5 and vented["length"] <= -2.0 and driest)


@row(4, "Dot: fewer overtones, fatter, not brighter")
def dots() -> Finding:
    """Compare heads with a centre dot to those without."""
    names = ("ring", "body", "click")
    tom = moved(card("tom", batter="double-dot-clear"), card("tom", batter="double-clear"), *names)
    snare = moved(card("snare", batter="single-dot-coated"), card("snare"), *names)
    agrees = all(
        by["ring"] < -LEAST and by["body"] > LEAST and by["click"] < LEAST for by in (tom, snare)
    )
    return Finding(f"{in_words('tom', tom)}; {in_words('snare', snare)}", agrees)


@row(5, "Opaque heavy film: thuddier, quicker, more stage than jazz")
def opaque() -> Finding:
    """Compare a heavy opaque batter to the usual one."""
    by = {k: moved(card(k, batter="opaque-heavy"), card(k), "sustain", "length") for k in DRUMS}
    # A kick's length is read in frames of 5 ms and stays where the change is small.
    agrees = all(m["sustain"] < -LEAST and m["length"] <= 0.0 for m in by.values())
    return Finding("; ".join(in_words(k, m) for k, m in by.items()), agrees)


@row(
    6,
    "Equal heads ring longest at the same drum pitch; reso higher or lower: shorter. Practice "
    "stops at a fourth between the heads",
)
def relations() -> Finding:
    """Compare relations of the heads."""
    equal = card("tom", semitones=0.0)
    by = {
        s: moved(card("tom", semitones=s), equal, "sustain", "length")
        for s in (-5.0, -3.0, 3.0, 5.0)
    }
    agrees = all(m["sustain"] < -LEAST and m["length"] < -LEAST for m in by.values())
    figures = "; ".join(in_words(f"reso {s:+.0f}", m) for s, m in by.items())
    return Finding(f"{figures}; plans go to {FOURTH:.0f} semitones", agrees and FOURTH <= 5.0)


@row(
    7,
    "Bend at a medium stroke 20 to 100 cents on 8 to 13 in toms, less on larger; hard strokes "
    "perhaps twice that",
)
def bends() -> Finding:
    """Work out how far toms of all sizes fall."""
    medium = {d: _bend(d, depth, rods, hz) for d, depth, rods, hz in BEND_DRUMS}
    hard = _bend(*BEND_DRUMS[0], impulse=1.5) / medium[8.0]
    small = [medium[d] for d in (8.0, 10.0, 12.0, 13.0)]
    less = medium[18.0] < medium[16.0] < max(small)
    sizes = ", ".join(f"{d:.0f} in {v:.0f}" for d, v in medium.items())
    agrees = all(20.0 <= b <= 100.0 for b in small) and less and hard <= 2.5
    return Finding(f"{sizes} ct; half as hard again: {hard:.1f} times", agrees)


def _bend(diameter: float, depth: float, rods: int, hz: float, impulse: float = 1.0) -> float:
    owned = replace(DRUMS["tom"], diameter_in=diameter, depth_in=depth, rods=rods)
    drum = model(SHIPPED, owned)
    drum = replace(drum, strike=replace(drum.strike, impulse=impulse))
    lugs = lug_pitches_for(drum, hz, 0.0)
    return predict(drum, lugs.batter_hz, lugs.reso_hz).bend_cents.value


@row(
    8,
    "Cotton balls are the gentlest tom damper, gentler on the tone than a gel pad; they lift with "
    "the stroke and settle after it; twice as many do more, not everything",
)
def cotton() -> Finding:
    """Compare cotton balls with the other dampers of a tom."""
    bare = card("tom")
    length = {
        d.id: moved(card("tom", dampers=(d.id,)), bare, "length")["length"]
        for d in SHIPPED.dampers_for("tom")
        if d.on_head
    }
    two, four, eight = (
        moved(card("tom", dampers=(f"cotton-{n}",)), bare, "sustain")["sustain"]
        for n in ("two", "four", "eight")
    )
    soft, hard = (
        predict_cotton(impulse) / predict_cotton(impulse, dampers=()) for impulse in (0.4, 1.6)
    )
    others = [v for name, v in length.items() if not name.startswith("cotton")]
    gentlest = length["cotton-two"] > max(others) and length["cotton-four"] > length["gel-pad"]
    figures = (
        f"length: two balls {length['cotton-two']:+.1f} steps, four {length['cotton-four']:+.1f}, "
        f"gel pad {length['gel-pad']:+.1f}; sustain: two {two:+.1f}, four {four:+.1f}, eight "
        f"{eight:+.1f}; a soft stroke keeps {100 * soft:.0f} % of its sustain, a hard one "
        f"{100 * hard:.0f} %"
    )
    more = 0.0 > two > four > eight > 2.0 * four
    return Finding(figures, gentlest and more and soft < hard)


def predict_cotton(impulse: float, dampers: tuple[str, ...] = ("cotton-four",)) -> float:
    """Return the sustain in s of the tom with cotton balls at a stroke of some impulse."""
    drum = built("tom", {"dampers": dampers})
    drum = replace(drum, strike=replace(drum.strike, impulse=impulse))
    lugs = lug_pitches_for(drum, *TUNED["tom"])
    return predict(drum, lugs.batter_hz, lugs.reso_hz).sustain.value


@row(
    9,
    "Kick: a felt strip trims; a pad on the batter tames the click and keeps the bloom; on the "
    "front only: tight, knocky; touching both: short; a blanket against both ends the note; foam "
    "takes the ping, hardly the length; a heavy can focuses, subtly",
)
def kick_dampers() -> Finding:
    """Compare what lies in a kick."""
    bare, names = card("kick"), ("length", "sustain", "click", "attack")

    def of(*ids: str) -> dict[str, float]:
        return moved(card("kick", dampers=ids), bare, *names)

    strip, pad, front = of("felt-strip"), of("pad-batter"), of("pillow-front")
    both, blanket = of("pillow-batter", "pillow-front"), of("blanket")
    foam, can = of("foam-lining"), of("sand-can")
    agrees = (
        -3.5 < strip["length"] < -0.5
        and pad["click"] < -0.5
        and pad["length"] > -2.0
        and front["attack"] > 1.0
        and front["click"] > 0.0
        and front["length"] < pad["length"] - 1.0
        and both["length"] < front["length"]
        and blanket["length"] < both["length"]
        and foam["length"] > -1.5
        and -1.0 < foam["sustain"] < 0.0
        and foam["click"] < -LEAST
        and -1.5 < can["sustain"] < -LEAST
        and can["length"] <= 0.0
    )
    rows = {
        "strip": strip,
        "pad on the batter": pad,
        "pillow at the front": front,
        "both": both,
        "blanket": blanket,
        "foam": foam,
        "can": can,
    }
    return Finding("; ".join(in_words(name, by) for name, by in rows.items()), agrees)


@row(
    10,
    "No front head: the driest kick. Pitch moves steadily with tension; bend small. Any port up to "
    "no front at all works",
)
def front_off() -> Finding:
    """Take the front head off a kick, and cut holes of every size into it."""
    off, on = card("kick", front_off=True), card("kick")
    ported = [card("kick", port_in=p)["sustain"] for p in (4.0, 6.0, 8.0)]
    bend = predicted("kick", front_off=True).bend_cents.value
    drum = built("kick", {"front_off": True})
    pitches = [predict(drum, hz, None).drum_pitch.value for hz in np.arange(60.0, 160.0, 2.0)]
    steady = max(np.diff(pitches)) < 2.5 * min(np.diff(pitches)) and min(np.diff(pitches)) > 0.0
    works = [_ported_pitch(p) for p in (*np.arange(1.0, 20.5, 0.5), 20.0)]
    smooth = max(abs(cents(b, a)) for a, b in itertools.pairwise(works[:20]))
    dry = off["sustain"] < min(on["sustain"], *ported)
    figures = (
        f"sustain {off['sustain']:.2f} s (closed {on['sustain']:.2f}, ports to 8 in "
        f"{min(ported):.2f}); bend {bend:.0f} ct; ports of 1 to 20 in work, {smooth:.0f} ct at "
        "most from half an inch to the next up to half the head"
    )
    agrees = dry and steady and bend < 100.0 and min(works) > 25.0 and smooth < 60.0
    return Finding(figures, bool(agrees))


def _ported_pitch(port_in: float) -> float:
    lugs = lug_pitches_for(built("kick", {}), *TUNED["kick"])
    drum = built("kick", {"port_in": float(port_in)})
    return predict(drum, lugs.batter_hz, lugs.reso_hz).drum_pitch.value


@row(11, "Port: shorter, more attack, not darker; a microphone inside hears more click")
def ports() -> Finding:
    """Cut ports into a kick's front."""
    by = {
        p: moved(card("kick", port_in=p), card("kick"), "length", "attack", "click")
        for p in (4.0, 5.0, 8.0)
    }
    agrees = all(
        m["length"] < -LEAST and m["attack"] > LEAST and m["click"] > LEAST for m in by.values()
    )
    return Finding("; ".join(in_words(f"{p:.0f} in", m) for p, m in by.items()), agrees)


@row(12, "Kick front up: more punch, less boom; the steps are smooth")
def front_up() -> Finding:
    """Bring a kick's front up from the batter's note."""
    first = card("kick", semitones=0.0)
    up = moved(card("kick", semitones=2.0), first, "attack", "body", "length")
    rows = [card("kick", semitones=2.0 + 0.1 * i) for i in range(-5, 6)]
    jump = max(
        abs(v)
        for a, b in itertools.pairwise(rows)
        for v in moved(b, a, "attack", "body", "ring").values()
    )
    agrees = up["attack"] > LEAST and up["body"] < -LEAST and up["length"] < 0.0 and jump < 0.5
    return Finding(f"{in_words('two semitones up', up)}; tenths move {jump:.2f} at most", agrees)


@row(
    13,
    "One lug eased: more smack, a little lower; the others raised bring the pitch back and the "
    "smack stays. Two lugs at the player down: lower, fatter. Alternate lugs on a kick: the pitch "
    "smears",
)
def eased_lugs() -> Finding:
    """Let lugs down."""
    names = ("attack", "click", "body")
    tom = moved(card("tom", dampers=("eased-lug",)), card("tom"), *names)
    snare = moved(card("snare", dampers=("eased-lug",)), card("snare"), *names)
    two = moved(card("snare", dampers=("two-lugs-down",)), card("snare"), *names)
    lower = (
        at_same_lugs("snare", dampers=("eased-lug",)),
        at_same_lugs("snare", dampers=("two-lugs-down",)),
    )
    figures = (
        f"{in_words('tom, one', tom)}; {in_words('snare, one', snare)}, {lower[0]:+.0f} ct; "
        f"{in_words('two down', two)}, {lower[1]:+.0f} ct; alternate lugs of a kick split its "
        f"note by {_smear_hz():.1f} Hz"
    )
    smack = tom["click"] > LEAST and snare["attack"] > LEAST
    fatter = two["body"] > LEAST and lower[1] < lower[0] < 0.0
    return Finding(figures, smack and fatter and _smear_hz() > 0.5)


def _smear_hz() -> float:
    """Return how far apart alternate lugs of a kick bring the halves of its lowest split modes."""
    mean = predicted("kick").tensions.batter_n_per_m
    rods = [mean * (1.06 if i % 2 else 0.94) for i in range(DRUMS["kick"].rods)]
    return max(split(rods, m, TUNED["kick"][0]).warble_hz for m in (1, 2))


@row(
    14,
    "Old head laid on: lower, compressed; small cymbal laid on: higher, trashy; paper: a little "
    "shorter, attack stays",
)
def laid_on() -> Finding:
    """Lay things on a snare."""
    names = ("length", "click", "attack")
    low = at_same_lugs("snare", dampers=("laid-on-head",))
    high = at_same_lugs("snare", dampers=("small-cymbal",))
    head = moved(card("snare", dampers=("laid-on-head",)), card("snare"), *names)
    cymbal = moved(card("snare", dampers=("small-cymbal",)), card("snare"), *names)
    paper = moved(card("snare", dampers=("paper",)), card("snare"), *names)
    agrees = (
        -500.0 < low < -50.0
        and high > 50.0
        and head["length"] < -1.0
        and cymbal["click"] > LEAST
        and -1.5 < paper["length"] < -LEAST
        and abs(paper["attack"]) < 0.5
    )
    figures = (
        f"old head {low:+.0f} ct, {in_words('then', head)}; cymbal {high:+.0f} ct, "
        f"{in_words('then', cymbal)}; {in_words('paper', paper)}"
    )
    return Finding(figures, agrees)


@row(
    15,
    "Wires too tight choke the low end (less body, shorter); too loose rustle longer than the drum",
)
def wires() -> Finding:
    """Set the wires."""
    tight = moved(card("snare", wires_setting="tight"), card("snare"), "body", "length", "sustain")
    loose = card("snare", wires_setting="loose")["length"]
    off = card("snare", wires_setting="off")["length"]
    agrees = tight["body"] < -LEAST and tight["length"] < -1.0 and loose > off
    figures = f"{in_words('tight', tight)}; loose {loose:.2f} s, the drum without wires {off:.2f} s"
    return Finding(figures, agrees)


@row(16, "Tightening the second head moves the first a little")
def other_head() -> Finding:
    """Pull up the other head by a turn, and see what the shell gives."""
    k = prior_coefficients()
    drum, tensions = built("tom", {}), predicted("tom").tensions
    turn = tension_per_turn(drum, "reso", k).value
    given = moved_by_other_head(drum, "batter", turn, k)
    off = cents(math.sqrt(1.0 + given / tensions.batter_n_per_m), 1.0)
    return Finding(f"a turn on the reso takes {-off:.2f} ct from the batter", -5.0 < off < -0.005)


@row(
    17,
    "A snare tuned high needs less tension than two films and their air come to: its drum pitch is "
    "read over a semitone sharper above about 350 Hz at the lug",
)
def tight_snares() -> Finding:
    """Tune a snare up, and see by how much its pitch leads its lugs."""
    drum = built("snare", {})
    low, high = (predict(drum, hz, hz * 2.0**0.25).drum_pitch.value / hz for hz in (200.0, 400.0))
    lead = cents(high, low)
    return Finding(f"from 200 to 400 Hz at the lug the drum gains {lead:.0f} ct", 80 < lead < 150)


@row(18, "A turn of the key does 2 to 2.5 times less than a share of a tenth of its travel says")
def turns() -> Finding:
    """Say what a turn of every rod does."""
    share = prior_coefficients()["turn_efficiency"]
    return Finding(f"{0.1 / share:.1f} times less", 2.0 <= 0.1 / share <= 2.5)


@row(
    19,
    "A large kick goes flat and papery at the wrinkle point and needs more; a small one is fine "
    "there",
)
def wrinkle() -> Finding:
    """Say how much tension kicks of all sizes need."""
    k = prior_coefficients()
    needs = {d: papery_tension("kick", d * 0.0254, k) / k["slack_stop"] for d in (16, 18, 22, 26)}
    rising = list(needs.values()) == sorted(needs.values())
    figures = ", ".join(f"{d} in {v:.1f}" for d, v in needs.items())
    return Finding(
        f"times the tension at which a note begins: {figures}", rising and needs[26] > 2 * needs[18]
    )


@row(
    20,
    "A hole in a kick's shell dries like a second port; a shallow kick blooms more at the bottom, "
    "a deep one has more attack",
)
def shells() -> Finding:
    """Cut a hole into a kick's shell, and change its depth."""
    hole = moved(card("kick", shell_hole_in=4.0), card("kick"), "length", "attack", "sustain")
    second = moved(
        card("kick", port_in=5.0, shell_hole_in=4.0), card("kick", port_in=5.0), "sustain", "attack"
    )
    shallow = moved(card("kick", depth_in=12.0), card("kick"), "body")
    deep = moved(card("kick", depth_in=20.0), card("kick"), "attack", "body")
    agrees = (
        hole["sustain"] < -LEAST
        and hole["length"] <= 0.0
        and second["sustain"] < -LEAST
        and shallow["body"] > LEAST
        and deep["attack"] > LEAST
    )
    figures = (
        f"{in_words('hole of 4 in', hole)}; {in_words('next to a port', second)}; "
        f"{in_words('12 in deep', shallow)}; {in_words('20 in deep', deep)}"
    )
    return Finding(figures, agrees)


@row(21, "Cast hoops focus, brighten, shorten; hard sealed interior pings")
def hoops() -> Finding:
    """Change hoops and shells."""
    cast = moved(card("tom", hoop="cast"), card("tom"), "click", "sustain", "ring")
    hard = moved(card("tom", shell="steel"), card("tom"), "click", "sustain")
    agrees = (
        cast["click"] > LEAST
        and cast["sustain"] < -LEAST
        and cast["ring"] < LEAST
        and hard["click"] > LEAST
        and hard["sustain"] > LEAST
    )
    return Finding(f"{in_words('cast', cast)}; {in_words('steel shell', hard)}", agrees)


@row(
    22,
    "Measures of one drum change smoothly: a tenth of a semitone of relation or 1 Hz of reso never "
    "moves ring or attack by a step",
)
def smooth() -> Finding:
    """Move the reso by tenths and by single hertz."""
    most = {}
    for kind, (pitch, semitones) in TUNED.items():
        drum = built(kind, {})
        lugs = lug_pitches_for(drum, pitch, semitones)
        assert lugs.reso_hz is not None
        tenths = [card(kind, semitones=semitones + 0.1 * i) for i in range(-5, 6)]
        result = [predict(drum, lugs.batter_hz, lugs.reso_hz + i) for i in range(-5, 6)]
        hertz = [{n: q.value for n, q in predicted_card(p, kind).items()} for p in result]
        most[kind] = max(
            abs(v)
            for rows in (tenths, hertz)
            for a, b in itertools.pairwise(rows)
            for v in moved(b, a, "ring", "attack").values()
        )
    figures = ", ".join(f"{kind} {value:.2f} steps" for kind, value in most.items())
    return Finding(f"at most {figures}", max(most.values()) < 1.0)


def main() -> None:
    """Print every row with the model's figures."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--json", action="store_true", help="print JSON instead of lines")
    arguments = parser.parse_args()
    result = [(one, one.measure()) for one in ROWS]
    if arguments.json:
        rows = [
            {
                "number": one.number,
                "practice": one.practice,
                "figures": f.figures,
                "agrees": f.agrees,
                "why_not": None if f.agrees else WHY_NOT.get(one.number),
            }
            for one, f in result
        ]
        print(json.dumps(rows, indent=2, ensure_ascii=False))
        return
    for one, f in result:
        print(f"{'ok ' if f.agrees else 'NOT'} {one.number:2d} {one.practice}\n       {f.figures}")
    print(f"{sum(f.agrees for _, f in result)} of {len(result)} agree")


if __name__ == "__main__":
    main()
