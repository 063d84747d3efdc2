"""Rendered drums measured, and recipes searched for by their sound: both come back."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest

from bench.recover import recovered
from emblar.core.acoustics.damping import T60_FACTOR
from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.inverse import lug_pitches_for
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.catalogue import SHIPPED
from emblar.core.notes import cents
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.quantities import Measured
from emblar.core.quantities.card import Card
from emblar.core.quantities.spans import RING_BELOW_HZ, RING_FROM_RATIO, RING_S
from emblar.core.synthesis.stroke import Voice, drum_voice, render_stroke

RATE = 44100
READ_S = 0.300
"""How long a window an overtone is read in (``analysis.ring``)."""
RODS: dict[Kind, int] = {"tom": 6, "snare": 10, "kick": 10}


def measured_back(kind: Kind, seed: int) -> tuple[float, float, float, float]:
    """Return how wrong a random drum is measured, pitch and strongest overtone.

    Cents and share of the T60 for each; the overtone as the record has it nearest in level.
    """
    rng = np.random.default_rng([9, seed])
    sizes = {"tom": (10, 12, 13, 14, 16), "snare": (13, 14), "kick": (20, 22)}
    diameter = float(rng.choice(sizes[kind]))
    depth = 6.0 if kind == "snare" else 0.72 * diameter
    pitch = {"tom": 1500.0 / diameter, "snare": 190.0, "kick": 1250.0 / diameter}[kind]

    def one(rows: Sequence[Any]) -> str:
        return str(rows[int(rng.integers(len(rows)))].id)

    owned = OwnedDrum(
        "x",
        kind,
        diameter,
        depth,
        RODS[kind],
        "flanged",
        "maple-lacquer",
        one(SHIPPED.constructions_for(kind, "batter")),
        one(SHIPPED.constructions_for(kind, "reso")),
        port_in=5.0 if kind == "kick" and seed % 2 else None,
    )
    light = [
        d
        for d in SHIPPED.dampers_for(kind)
        if d.resistance <= 2.5 and d.least_in <= diameter and not d.only_if_asked
    ]
    on_it = (one(light),) if rng.random() < 0.6 and light else ()
    drum = model(SHIPPED, owned, dampers=on_it)
    lugs = lug_pitches_for(drum, pitch * float(rng.uniform(0.85, 1.25)), float(rng.uniform(-1, 4)))
    voice = drum_voice(predict(drum, lugs.batter_hz, lugs.reso_hz), kind)
    stroke = render_stroke(voice, sample_rate_hz=RATE, force=1.0, rng=rng, length_s=4.0)
    sound = np.concatenate([np.zeros(8820), 0.5 * stroke, np.zeros(4410)])
    sound += 1e-5 * rng.standard_normal(len(sound))
    name = "tom-1" if kind == "tom" else kind
    card = analyse(Audio(sound[:, None], RATE), kind="hit", voice=name).voices[0]
    assert isinstance(card["pitch"], Measured)
    assert isinstance(card["sustain"], Measured)
    return (
        abs(cents(card["pitch"].value, voice.settled_hz())),
        abs(card["sustain"].value / voice.partials[0].t60_s - 1.0),
        *overtone_measured_back(voice, card),
    )


def overtone_measured_back(voice: Voice, card: Card) -> tuple[float, float]:
    """Return cents and share of T60 by which the voice's strongest overtone is measured wrong."""
    first = voice.partials[0]
    hz, t60, amplitude = np.array(
        [(p.frequency_hz, p.t60_s, p.amplitude) for p in voice.partials]
    ).T
    rate = T60_FACTOR / t60
    start, stop = (np.exp(-2.0 * rate * at) for at in RING_S)
    energy = amplitude**2 * (start - stop) / rate
    over = (hz > RING_FROM_RATIO * first.frequency_hz) & (hz < RING_BELOW_HZ)
    strongest = int(np.argmax(np.where(over, energy, 0.0)))
    # Two that the window does not tell apart are read as one or the other.
    alike = np.abs(hz - hz[strongest]) < 0.5 / READ_S
    alike &= energy > 0.1 * energy[strongest]
    found = [_overtone_off(hz[i] / first.frequency_hz, t60[i], card) for i in np.flatnonzero(alike)]
    return min(found)


def _overtone_off(ratio: float, t60_s: float, card: Card) -> tuple[float, float]:
    # Two about as strong may change places.
    told = min(card.ring_modes[:2], key=lambda r: abs(np.log(r.ratio / ratio)))
    assert told.t60_s is not None
    return abs(cents(told.ratio, ratio)), abs(told.t60_s / t60_s - 1.0)


@pytest.mark.parametrize("kind", ["tom", "snare", "kick"])
def test_rendered_drums_are_measured_back(kind: Kind) -> None:
    rows = np.array([measured_back(kind, seed) for seed in range(24)])
    assert np.max(rows[:, [0, 2]]) < 5.0
    assert np.max(rows[:, [1, 3]]) < 0.1


def test_recipes_are_found_again_by_their_sound() -> None:
    rows = [r for r in (recovered(seed) for seed in range(15)) if r is not None]
    assert {r.kind for r in rows} == {"tom", "snare", "kick"}
    assert np.mean([r.within >= min(8, r.quantities) for r in rows]) >= 0.8
    assert np.mean([r.among_first for r in rows]) >= 0.8
