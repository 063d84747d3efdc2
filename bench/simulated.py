"""Is the stated uncertainty honest? ``python -m bench.simulated [--scenes N] [--under DB]``.

Random kits from the drum model play random grooves in random rooms, some under noise, alone or
under a made-up backing so many dB louder than they; the analysis measures them. Printed per
quantity: how often the true value lies within ±2 sd, and how far off it is in just-noticeable
steps.
"""

import argparse
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from itertools import repeat

import numpy as np

from emblar.core.acoustics.drum import METRES_PER_INCH, METRES_PER_MIL, Drum, Film, PlacedDamper
from emblar.core.acoustics.forward import predict
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.analysis.signal.scene import SourceKind
from emblar.core.planning.target import target_from_card
from emblar.core.quantities.card import Card
from emblar.core.quantities.registry import steps
from emblar.core.synthesis.low_ferry import low_ferry_voices
from emblar.core.synthesis.song import Event, Placement, SongRoom, render_performance
from emblar.core.synthesis.stroke import Voice, drum_voice
from training.backings import wide_backing
from training.sounds import RATE as BACKING_RATE

Rows = dict[str, list[tuple[float, float]]]
"""(error over sd, error in steps) by quantity."""


def film(*plies_mil: float, **flags: bool) -> Film:
    """Return a film by its plies in mil."""
    return Film(tuple(p * METRES_PER_MIL for p in plies_mil), **flags)


BATTERS = (
    film(10),
    film(10, coated=True),
    film(7, 7),
    film(7, 7, coated=True),
    film(7.5, ring=True),
)


def random_voice(rng: np.random.Generator, kind: str, size: float) -> Voice:
    """Return the voice of a random drum of the model, damped so that it rings as real ones do."""
    batter = BATTERS[int(rng.integers(len(BATTERS)))]
    # Where players put dampers: towards the edge, so that the note goes on and the ring goes.
    radius = float(rng.uniform(0.6, 0.9))
    dampers = (PlacedDamper("batter", radius, float(np.exp(rng.uniform(-2.0, 1.6))), 0.005),)
    if kind == "kick":
        drum = Drum("kick", 22 * METRES_PER_INCH, 16 * METRES_PER_INCH, 10, film(7, 7), film(10))
        pillow = (PlacedDamper("batter", 0.7, float(np.exp(rng.uniform(1.0, 3.0))), 0.015),)
        lugs, drum = (rng.uniform(65, 110), rng.uniform(75, 130)), replace(drum, dampers=pillow)
    elif kind == "snare":
        drum = Drum("snare", 14 * METRES_PER_INCH, 6 * METRES_PER_INCH, 10, batter, film(3))
        lugs, drum = (rng.uniform(240, 380), rng.uniform(280, 420)), replace(drum, dampers=dampers)
    else:
        drum = Drum(
            "tom", size * METRES_PER_INCH, 0.7 * size * METRES_PER_INCH, 6, batter, film(10)
        )
        low = rng.uniform(1500, 2600) / size
        lugs = (low, low * 2.0 ** (rng.uniform(-1, 4) / 12.0))
        drum = replace(drum, dampers=dampers)
    return drum_voice(predict(drum, *lugs), kind)


def random_kit(rng: np.random.Generator) -> dict[str, Voice]:
    """Return voices of a kick, a snare and two or three toms, with the demo's cymbals."""
    sizes = sorted(rng.choice([10, 12, 13, 14, 16], int(rng.integers(2, 4)), replace=False))
    kit = {"kick": random_voice(rng, "kick", 22), "snare": random_voice(rng, "snare", 14)}
    toms = [random_voice(rng, "tom", float(size)) for size in sizes]
    # Named as the analysis names them, high to low: a larger one can be tuned higher.
    toms.sort(key=lambda voice: -voice.settled_hz())
    kit |= {f"tom-{i + 1}": voice for i, voice in enumerate(toms)}
    return kit | {n: v for n, v in low_ferry_voices().items() if n in ("hat", "cymbal")}


def scene(seed: int, behind_db: float | None = None) -> Rows:
    """Render, measure and compare one recording, under a backing so many dB louder if it is one."""
    rng = np.random.default_rng([11, seed])
    kit = random_kit(rng)
    toms = sorted(v for v in kit if v.startswith("tom"))
    beat, events = float(rng.uniform(0.38, 0.62)), []
    for bar in range(10):
        start = 0.3 + bar * 4 * beat
        if bar % 2 == 0:
            events += [Event(start + i * beat / 2, "hat", rng.uniform(0.4, 1.0)) for i in range(8)]
            events += [
                Event(start + i * beat, ("kick", "snare")[i % 2], rng.uniform(0.6, 1.1))
                for i in range(4)
            ]
        else:
            events += [
                Event(start + i * beat, toms[(i + bar) % len(toms)], rng.uniform(0.5, 1.1))
                for i in range(4)
            ]
            events.append(Event(start, "kick", 1.0))
    places = {
        v: Placement(0.45 if v in ("hat", "cymbal") else 1.0, rng.uniform(-0.5, 0.5)) for v in kit
    }
    room = SongRoom(float(10 ** rng.uniform(-3, -1)), float(rng.uniform(0.2, 1.2)))
    sound = render_performance(
        kit,
        events,
        places,
        room=room if rng.random() < 0.6 else None,
        noise_floor_db=float(rng.uniform(-85, -50)),
        seed=seed,
    )
    samples = sound.samples
    if behind_db is not None:
        rate = sound.sample_rate_hz
        assert rate == BACKING_RATE
        behind = wide_backing(np.random.default_rng([12, seed]), len(samples) / rate, beat / 4)
        level = np.sqrt(np.mean(samples**2)) * 10.0 ** (behind_db / 20.0)
        samples = samples[: len(behind)] + level * behind[: len(samples)]
        samples = samples / np.abs(samples).max()
    kind: SourceKind = "drums" if behind_db is None else "mix"
    analysis = analyse(Audio(samples, sound.sample_rate_hz), kind=kind)
    rows: Rows = defaultdict(list)
    result = [v.voice for v in analysis.voices if v.voice.startswith("tom")]
    played = {event.voice for event in events if event.voice not in ("hat", "cymbal")}
    for card in analysis.voices:
        # With the toms miscounted their numbers are of other drums.
        if card.voice in played and (not card.voice.startswith("tom") or len(result) == len(toms)):
            compare(as_played(kit[card.voice], card.voice, events), card, rows)
    return dict(rows)


def as_played(voice: Voice, name: str, events: list[Event]) -> Voice:
    """Return a voice as its middle stroke sounds: a head glides with the square of the force."""
    force = float(np.median([event.force for event in events if event.voice == name]))
    return replace(voice, bend_cents=voice.bend_cents * force**2)


def compare(voice: Voice, card: Card, rows: Rows) -> None:
    """Add a card's errors."""
    truth = {
        "pitch": voice.settled_hz(),
        "bend": voice.measured_bend_cents(),
        "sustain": voice.partials[0].t60_s,
    }
    for name, known in target_from_card(card).values.items():
        if name in truth:
            apart = steps()[name].apart(known.value, truth[name])
            rows[name].append(((known.value - truth[name]) / max(known.sd, 1e-9), apart))


def main() -> None:
    """Run and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--scenes", type=int, default=40)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--under", type=float, help="dB by which a backing is the louder")
    arguments = parser.parse_args()
    total: Rows = defaultdict(list)
    first = 1000 * arguments.seed
    with ProcessPoolExecutor(2) as pool:
        seeds = range(first, first + arguments.scenes)
        for rows in pool.map(scene, seeds, repeat(arguments.under)):
            for name, values in rows.items():
                total[name] += values
    for name, values in total.items():
        off, apart = np.abs(np.array(values)).T
        print(
            f"{name:8s} n {len(off):4d}  within ±2 sd {np.mean(off <= 2.0):.3f}  within ±1 sd "
            f"{np.mean(off <= 1.0):.3f}  off by {np.median(apart):.2f} steps, 90 % under "
            f"{np.percentile(apart, 90):.2f}"
        )


if __name__ == "__main__":
    main()
