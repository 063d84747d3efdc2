"""Measure the sound card of one voice from its strokes.

Conventions
-----------
Pitches in Hz, uncertainties of pitches in cents, times in s. A *clean* stroke has no other drum in
its measuring span and is within 15 dB of the voice's loudest. *Dynamics* is the change of attack
and pitch per 10 dB of stroke level, over clean strokes.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from emblar.core.analysis.card.clipping import TOLD, less_sure
from emblar.core.analysis.card.dynamics import soft_and_loud
from emblar.core.analysis.card.envelope import StrokeShape, stroke_shape
from emblar.core.analysis.card.overtones import voice_ring
from emblar.core.analysis.card.pooling import centre_and_spread, combined, slope_per_10_db
from emblar.core.analysis.card.room import room_share
from emblar.core.analysis.card.room_tail import room_tail
from emblar.core.analysis.pitch.decay import UNKNOWN_ROOM
from emblar.core.analysis.pitch.mode_choice import (
    EARLY_S,
    MOST_BED,
    bed_share,
    modes_hz,
    over_bed,
    voice_spectrum,
)
from emblar.core.analysis.pitch.tracking import StrokePitch, stroke_pitches
from emblar.core.analysis.signal.audio import Samples
from emblar.core.analysis.signal.fractional_delay import aligned
from emblar.core.analysis.signal.low_band import StrokeSpan, settle_span
from emblar.core.analysis.voices.embedding import heard_of
from emblar.core.analysis.voices.pitch_posterior import Tuned, tuned, weighed
from emblar.core.notes import cents, spread_hz
from emblar.core.quantities import Measured, Quantity, Unknown
from emblar.core.quantities.card import Alternative, Card, Part, Ring
from emblar.core.voices import VoiceName

Array = NDArray[np.float64]
Modes = list[tuple[float, float]]
MOST_STROKES = 12
"""More clean strokes of a voice add nothing but time."""
ENOUGH_WHOLE = 2
"""With so many strokes that last through the settled span, those cut short are left out."""
NO_CLEAN = "no stroke is clean enough: others sound over every one of them"
NOT_TOLD = "every stroke is cut off by the next one before this can be read"
NO_NOTE = "no note of it lasts long enough for this to be read"
OVER_BED = (
    "other instruments sound in its range, and its strokes do not agree over them: bring a drum "
    "stem or single hits"
)
NO_CLICK = "the first moment is the drum's note: no click stands out of it"
UNDER_HATS = "a hat or cymbal is hit with every clean stroke and would be measured instead"
CLIPPED = "the recording is clipped: its loud strokes were cut to the level of softer ones"
LEAST_FIRM = 0.15
"""A decay under others is pitched if its uncertainty is at most this share of it."""
NO_PITCH = "hats and cymbals have no single pitch"
FEW_LEVELS = "too few clean strokes, or all about as loud, to tell how it changes"
PITCH_FLOOR_CENTS = 70.0
"""Method's own error of a pitch in cents, times periods seen: 70 ct over (Hz · span in s)."""
READING_CENTS = {"tom": 8.0, "snare": 14.0, "kick": 50.0}
"""How far two sound ways of reading the settled pitch of a real drum lie apart."""
SUSTAIN_FLOOR = {"kick": 0.06, "snare": 0.10, "tom": 0.10}
"""Share of T60 by which a slope is off however many strokes agree (on made-up drums alone)."""
OVER_BED_CENTS = {"tom": 0.0, "snare": 30.0, "kick": 60.0}
"""How far a pitch is off besides under a backing (what holds 95 % in two, on 13 sampled kits); of
toms ``pitch_posterior`` knows."""
OVER_BED_BEND_CENTS = {"tom": 25.0, "snare": 0.0, "kick": 0.0}
OVER_BED_SUSTAIN = 0.08
"""The same of how far it bends, and, as a share, of how long it rings (on made-up mixes)."""
ALTERNATIVE_DB = -9.0
ALTERNATIVE_SD = 2.0
ALTERNATIVE_CENTS = 50.0
"""A mode this close to the strongest is pitched as another reading of the pitch, if it lies farther
from it than its uncertainty, and than one note may be read."""
SUNK_CENTS = 40.0
"""A track this far under the mode it was started from has sunk away with the note."""


@dataclass(frozen=True, slots=True)
class CleanStroke:
    """A stroke fit for measuring: when, how loud, how long undisturbed (by drums, by anything)."""

    time_s: float
    level_db: float
    drum_gap_s: float
    any_gap_s: float
    under_metal: bool = False
    """Whether a hat or cymbal is hit at the same time."""

    def undisturbed(self) -> StrokeSpan:
        """Return the stroke with the time until anything else is struck."""
        return StrokeSpan(self.time_s, self.any_gap_s)


def measure_voice(
    voice: str,
    mono: Samples,
    lows: Sequence[Array],
    clean: Sequence[CleanStroke],
    *,
    levels_db: Sequence[float],
    mix: bool = False,
    every: Sequence[StrokeSpan] = (),
    damaged: float = 0.0,
) -> Card:
    """Measure one voice from its clean strokes.

    Parameters
    ----------
    voice
        Name of the voice.
    mono, lows
        The recording at the analysis rate, and its low band; in a stereo mix also that of its side:
        a drum is measured where its strokes have most in common.
    clean
        The clean strokes.
    levels_db
        Level of every stroke of the voice, clean or not.
    mix
        Whether other instruments play on between the strokes (``Accompaniment.taken``).
    every
        All strokes of the voice, clean or not: in a mix they tell together where a tom is tuned.
    damaged
        How far the recording is clipped (``clipping.damage``, the mean over its strokes).
    """
    chosen = list(clean)[:MOST_STROKES]
    kind = VoiceName(voice).kind
    note = _note(kind, mono, lows, chosen, mix=mix, every=every)
    return _card(voice, mono, chosen, note, levels_db, mix=mix, damaged=damaged)


def _pitched(kind: str) -> bool:
    """Return whether drums of a kind have a pitch at all."""
    return kind not in ("hat", "cymbal")


@dataclass(frozen=True, slots=True)
class _Note:
    """A voice's pitch, what it was read from, and why there is none where there is none.

    ``low`` is the band read and ``spans`` the strokes in it, ``strokes`` each one's own pitch and
    ``settled`` where it settles, Hz, ``None`` of those that cannot tell.
    """

    low: Array
    spans: list[StrokeSpan]
    pitch: Quantity
    sd_cents: float | None
    spread_cents: float | None
    strokes: list[StrokePitch]
    settled: list[float | None]
    why: str
    alternatives: tuple[Alternative, ...]


def _note(
    kind: str,
    mono: Samples,
    lows: Sequence[Array],
    chosen: Sequence[CleanStroke],
    *,
    mix: bool,
    every: Sequence[StrokeSpan],
) -> _Note:
    """Return the pitch of a voice by its clean strokes, and of toms in a mix by all of them."""
    cut = [aligned(sound, [StrokeSpan(s.time_s, s.drum_gap_s) for s in chosen]) for sound in lows]
    bands, spans = [sound for sound, _ in cut], cut[0][1]
    low, modes, why, over = _strong_modes(bands, spans, kind, mix=mix)
    expected, together = modes[0][0] if modes else None, None
    if mix and kind == "tom" and every:
        together, why = tuned([heard_of(sound, every) for sound in lows]), OVER_BED
        expected = together.hz if together else None
    strokes: list[StrokePitch] = []
    if expected is not None:
        # A snare's wires hide the tail of the room, so its room is not known.
        known_room = kind != "snare"
        room = room_tail(mono, [s.undisturbed() for s in chosen]) if known_room else UNKNOWN_ROOM
        strokes = stroke_pitches(low, spans, expected, tom=kind == "tom", over=over, room=room)
    settled = _whole_spans([p.settled_hz for p in strokes], spans, kind)
    unsteady = float(np.median([p.unsteady_cents for p in strokes])) if strokes else 0.0
    more = float(np.hypot(unsteady, OVER_BED_CENTS[kind] if mix and _pitched(kind) else 0.0))
    fundamental, sd_cents, spread = _fundamental(settled, why, kind, more)
    if kind == "kick" and not mix and expected is not None and isinstance(fundamental, Measured):
        fundamental, sd_cents = _deadened(fundamental, sd_cents or 0.0, expected)
    if together is not None:
        fundamental, sd_cents, agreed = _together(together, fundamental, sd_cents)
        if not agreed:
            # What was tracked is another instrument's note.
            strokes, settled, spread = [], [], None
    known = fundamental.value if isinstance(fundamental, Measured) else None
    others = () if together else _alternatives(modes, known, sd_cents)
    return _Note(low, spans, fundamental, sd_cents, spread, strokes, settled, why, others)


def _card(
    voice: str,
    mono: Samples,
    chosen: list[CleanStroke],
    note: _Note,
    levels_db: Sequence[float],
    *,
    mix: bool,
    damaged: float,
) -> Card:
    """Return what is pitched of a voice whose note is known, or why it is not."""
    kind = VoiceName(voice).kind
    known = note.pitch.value if isinstance(note.pitch, Measured) else None
    shapes = [_shape(mono, s, known) for s in chosen]
    no_click = UNDER_HATS if all(s.under_metal for s in chosen) else NO_CLICK
    rings = voice_ring(note.low, note.spans, known) if known else []
    pitched = _pitch_quantities(note.strokes, rings, known, note.why, SUSTAIN_FLOOR.get(kind, 0.0))
    if mix and _pitched(kind):
        pitched |= _over_others(pitched["bend"], pitched["sustain"], kind)
    rest = {
        **pitched,
        **_shape_quantities(
            shapes,
            cut=NOT_TOLD if chosen else NO_CLEAN,
            why=note.why,
            no_click=no_click,
            kind=kind,
        ),
        **_dynamics(chosen, shapes, note.settled),
    }
    return Card(
        voice=voice,
        hits=len(levels_db),
        clean_hits=len(chosen),
        quantities={
            "pitch": note.pitch,
            **_as_clipped(rest, damaged),
            "level": combined(levels_db, "dB", floor=0.2, lone=1.0, reason=NO_CLEAN),
            "room": room_share(mono, [(s.time_s, s.any_gap_s) for s in chosen]),
        },
        pitch_sd_cents=note.sd_cents,
        pitch_spread_cents=note.spread_cents,
        alternatives=note.alternatives,
        ring_modes=tuple(rings),
        tracks=tuple(p.track for p in note.strokes if len(p.track.time_s)),
        parts=_parts(chosen, shapes, note.strokes, note.settled),
    )


def _strong_modes(
    bands: Sequence[Array], spans: list[StrokeSpan], kind: str, *, mix: bool
) -> tuple[Array, Modes, str, bool]:
    """Return the band to read and its strongest modes, why none, and whether a bed lies under."""
    low = bands[0]
    if not _pitched(kind):
        return low, [], NO_PITCH, False
    why, over = _why(spans, kind), mix or bed_share(low, spans, kind) >= MOST_BED[kind]
    if not spans:
        return low, [], why, over
    if mix:
        low, modes = _over_bed(bands, spans, kind)
        return low, modes, why if modes else OVER_BED, over
    return low, _alone(low, spans, kind, over), why, over


def _as_clipped(quantities: dict[str, Quantity], damaged: float) -> dict[str, Quantity]:
    """Return quantities as unsure as clipping leaves them; dynamics it leaves not at all."""
    if damaged >= TOLD:
        gone = dict.fromkeys(("dynamics_attack", "dynamics_pitch"), Unknown(CLIPPED))
        quantities = {**quantities, **gone}
    return {name: less_sure(name, quantity, damaged) for name, quantity in quantities.items()}


def _why(spans: Sequence[StrokeSpan], kind: str) -> str:
    """Return why a pitch may not be pitched: these strokes are all there is to read it of."""
    if not spans:
        return NO_CLEAN
    return NO_NOTE if max(s.available_s for s in spans) >= settle_span(kind)[1] else NOT_TOLD


def _firm(decay: Quantity) -> bool:
    """Whether strokes agree on a decay: a held note under a drum makes it any length."""
    return isinstance(decay, Measured) and decay.sd <= LEAST_FIRM * decay.value


def _over_others(bend: Quantity, decay: Quantity, kind: str) -> dict[str, Quantity]:
    """Return bend and decay as unsure as they are where others play on, a decay if it is firm."""
    if isinstance(bend, Measured):
        bend = replace(bend, sd=float(np.hypot(bend.sd, OVER_BED_BEND_CENTS[kind])))
    if isinstance(decay, Measured):
        decay = replace(decay, sd=float(np.hypot(decay.sd, OVER_BED_SUSTAIN * decay.value)))
    return {"bend": bend, "sustain": decay if _firm(decay) else Unknown(OVER_BED)}


def _alone(low: Array, spans: list[StrokeSpan], kind: str, over: bool) -> Modes:
    """Return a drum's modes where nothing but drums, which may ring ``over`` it, plays on."""
    spectrum = voice_spectrum(low, spans, kind)
    if spectrum is None:
        return []
    early = voice_spectrum(low, spans, kind, EARLY_S, before_share=1.0)
    # What rings on where a snare's pitch is sought is toms and the room, quieter than the snare.
    return modes_hz(spectrum, kind, over_others=over and kind != "snare", early=early)


def _over_bed(lows: Sequence[Array], spans: list[StrokeSpan], kind: str) -> tuple[Array, Modes]:
    """Return a drum's modes where others play on, and where they are heard best.

    There are none if its strokes do not agree.
    """
    result = [(low, over_bed(low, spans, kind)) for low in lows]
    audible = [(low, members) for low, members in result if members is not None]
    if not audible:
        return lows[0], []
    low, best = max(audible, key=lambda row: row[1].common)
    modes = modes_hz(best.spectrum, kind, over_others=True)
    return low, modes if best.supports(modes[0][0], kind) else []


def _alternatives(
    modes: Modes, told_hz: float | None, sd_cents: float | None
) -> tuple[Alternative, ...]:
    """Return the other strong modes, those left out that are no other note."""
    near = max(ALTERNATIVE_SD * (sd_cents or 0.0), ALTERNATIVE_CENTS)
    result: list[Alternative] = []
    for f, v in modes[1:4]:
        other = told_hz is None or abs(cents(f, told_hz)) > near
        new = all(abs(cents(f, a.frequency_hz)) > ALTERNATIVE_CENTS for a in result)
        if v >= ALTERNATIVE_DB and other and new:
            result.append(Alternative(f, v))
    return tuple(result)


def _parts(
    chosen: list[CleanStroke],
    shapes: list[StrokeShape],
    pitches: list[StrokePitch],
    settled: list[float | None],
) -> tuple[Part, Part] | None:
    bends = [
        cents(p.onset_hz, p.settled_hz) if p.onset_hz and p.settled_hz else None for p in pitches
    ]
    return soft_and_loud(
        [s.level_db for s in chosen],
        {
            "pitch": (settled, "Hz"),
            "bend": (bends, "ct"),
            "sustain": ([p.t60_s for p in pitches], "s"),
            "length": ([s.length_s for s in shapes], "s"),
            "attack": ([s.attack_db for s in shapes], "dB"),
            "click": ([s.click_hz for s in shapes], "Hz"),
            "body": ([s.body_db for s in shapes], "dB"),
            "wires": ([s.wires_db for s in shapes], "dB"),
        },
    )


def _whole_spans(
    settled: list[float | None], spans: list[StrokeSpan], kind: str
) -> list[float | None]:
    """Leave out strokes cut off before the settled span ends, if enough are not.

    A drum that still glides is read sharp where its span is cut short.
    """
    _, end = settle_span(kind)
    whole = [s.available_s >= end for s in spans]
    if sum(w and f is not None for w, f in zip(whole, settled, strict=False)) < ENOUGH_WHOLE:
        return settled
    return [f if w else None for w, f in zip(whole, settled, strict=False)]


def _pitch_quantities(
    pitches: list[StrokePitch], rings: list[Ring], known: float | None, why: str, floor: float
) -> dict[str, Quantity]:
    glides = [
        cents(p.onset_hz, p.settled_hz) if p.onset_hz and p.settled_hz else None for p in pitches
    ]
    decays = [p.t60_s for p in pitches]
    scale = centre_and_spread([d for d in decays if d])[0] if any(decays) else 0.0
    doubts = [p.t60_doubt for p in pitches if p.t60_s is not None]
    off = math.hypot(floor, float(np.median(doubts)) if doubts else 0.0)
    onset, base = [p.onset_hz for p in pitches], known or 0.0
    top = rings[0] if rings else None
    no_ring: Quantity = Unknown(why if known is None else "no overtone stands out")
    ring_t60: Quantity = Unknown("the overtone dies too soon, or is cut off, before it is read")
    if top is not None and top.t60_s is not None:
        ring_t60 = Measured(top.t60_s, 0.2 * top.t60_s, "s")
    return {
        "onset": combined(onset, "Hz", floor=0.01 * base, lone=0.02 * base, reason=why),
        "bend": combined(glides, "ct", floor=8.0, lone=20.0, reason=why),
        "sustain": combined(decays, "s", floor=off * scale, lone=0.15 * scale, reason=why),
        "ring": Measured(top.level_db, top.level_sd_db, "dB") if top else no_ring,
        "ring_ratio": Measured(top.ratio, 0.01, "×") if top else no_ring,
        "ring_decay": ring_t60 if top else no_ring,
    }


def _dynamics(
    chosen: list[CleanStroke], shapes: list[StrokeShape], settled: list[float | None]
) -> dict[str, Quantity]:
    levels = [s.level_db for s in chosen]
    offsets = [1200.0 * float(np.log2(f)) if f else None for f in settled]
    return {
        "dynamics_attack": slope_per_10_db(
            levels, [s.attack_db for s in shapes], "dB", reason=FEW_LEVELS
        ),
        "dynamics_pitch": slope_per_10_db(levels[: len(offsets)], offsets, "ct", reason=FEW_LEVELS),
    }


def _fundamental(
    settled: list[float | None], why: str, kind: str, more_cents: float
) -> tuple[Quantity, float | None, float | None]:
    pitched = [f for f in settled if f is not None]
    if not pitched:
        return Unknown(why), None, None
    middle = float(np.median(pitched))
    offsets = [cents(f, middle) for f in pitched]
    first, last = settle_span(kind)
    floor = PITCH_FLOOR_CENTS / (middle * (last - first)) + READING_CENTS[kind]
    quantity = combined(offsets, "ct", floor=floor, lone=15.0, reason=NOT_TOLD)
    assert isinstance(quantity, Measured)
    # One stroke is in company with none.
    spread = centre_and_spread(offsets)[1] if len(pitched) > 1 else None
    sd_cents = float(np.hypot(quantity.sd, more_cents))
    return Measured(middle, spread_hz(middle, sd_cents), "Hz"), sd_cents, spread


def _deadened(tracked: Measured, sd_cents: float, peak_hz: float) -> tuple[Measured, float]:
    """Return a kick's pitch: of one so deadened that its track sinks away, that of its mode.

    A note of a period or two is gone before a track can settle on it; the peak that the track was
    started from is its mode.
    """
    sunk = cents(peak_hz, tracked.value)
    if sunk < SUNK_CENTS:
        return tracked, sd_cents
    pitched = float(np.hypot(sd_cents, 0.5 * sunk))
    return Measured(peak_hz, spread_hz(peak_hz, pitched), "Hz"), pitched


def _together(
    together: Tuned, tracked: Quantity, sd_cents: float | None
) -> tuple[Quantity, float, bool]:
    """Return pitch and uncertainty by all strokes and the partial, and whether the two agree."""
    both = None
    if isinstance(tracked, Measured) and sd_cents is not None:
        both = weighed(together, Tuned(tracked.value, sd_cents))
    pitched = both or together
    pitch = Measured(pitched.hz, spread_hz(pitched.hz, pitched.sd_cents), "Hz")
    return pitch, pitched.sd_cents, both is not None


def _shape(mono: Samples, stroke: CleanStroke, pitch_hz: float | None) -> StrokeShape:
    """Return a stroke's shape, without a click where a hat or cymbal is hit at the same time."""
    shape = stroke_shape(mono, stroke.time_s, pitch_hz, stroke.any_gap_s)
    return replace(shape, click_hz=None) if stroke.under_metal else shape


def _shape_quantities(
    shapes: list[StrokeShape], *, cut: str, why: str, no_click: str, kind: str
) -> dict[str, Quantity]:
    def of(values: list[float | None], unit: str, floor: float, lone: float, no: str) -> Quantity:
        return combined(values, unit, floor=floor, lone=lone, reason=no)

    no_wires = Unknown("only a snare has wires")
    wires: Quantity = no_wires
    wires_decay: Quantity = no_wires
    if kind == "snare":
        wires = of([s.wires_db for s in shapes], "dB", 0.7, 2.0, cut)
        wires_decay = of([s.wires_t60_s for s in shapes], "s", 0.03, 0.08, cut)
    clicks = [s.click_hz for s in shapes]
    if clicks and not any(clicks):
        click: Quantity = Unknown(no_click)
    else:
        click = of(clicks, "Hz", 80.0, 300.0, cut)
    return {
        "length": of([s.length_s for s in shapes], "s", 0.01, 0.05, cut),
        "attack": of([s.attack_db for s in shapes], "dB", 0.5, 1.5, cut),
        "click": click,
        "body": of([s.body_db for s in shapes], "dB", 0.3, 1.0, why),
        "wires": wires,
        "wires_decay": wires_decay,
    }
