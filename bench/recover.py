"""Does the search find recipes again by their sound? ``python -m bench.recover [--recipes N]``.

Random recipes of the catalogue are rendered, measured like a recording, and searched for on a shelf
that holds what they are made of. Printed: on how many the plan's prediction lies within one step of
the measured card in at least eight quantities, and on how many the recipe itself, or one whose card
the model cannot tell from it, is among the first five.
"""

import argparse
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.forward import predict
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import EmblarError
from emblar.core.planning.brief import Brief, Shelf, Weights, usual_weights
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.outlook import Field
from emblar.core.planning.predicted import predicted_card
from emblar.core.planning.search import SEMITONES, DrumSearch
from emblar.core.planning.target import Target, target_from_card
from emblar.core.planning.weighing import Weighed
from emblar.core.quantities.registry import steps
from emblar.core.synthesis.stroke import drum_voice, render_stroke

RATE = 44100
ENOUGH = 8
FIRST = 5
SIZES: dict[Kind, tuple[tuple[float, float, int, float, float], ...]] = {
    "tom": ((10, 7, 6, 135, 190), (12, 8, 6, 110, 160), (13, 9, 6, 100, 150), (16, 14, 8, 70, 110)),
    "snare": ((14, 5.5, 10, 170, 220), (14, 6.5, 10, 165, 210), (13, 6, 8, 180, 240)),
    "kick": ((20, 16, 8, 55, 75), (22, 16, 10, 48, 68), (22, 18, 10, 46, 64)),
}
NOW: dict[Kind, tuple[str, str]] = {
    "tom": ("double-clear", "single-clear"),
    "snare": ("single-coated", "snare-side"),
    "kick": ("single-clear", "front-opaque"),
}


@dataclass(frozen=True, slots=True)
class Found:
    """What came of one recipe."""

    kind: str
    quantities: int
    within: int
    among_first: bool
    off: dict[str, float]


def no_costs() -> Weights:
    """Return weights under which only the sound counts."""
    usual = usual_weights()
    return usual.changed(**dict.fromkeys(usual.cost, 0.0))


def recovered(seed: int) -> Found | None:
    """Make, measure and search for one recipe; None if its heads do not bear its pitch."""
    rng = np.random.default_rng([21, seed])
    kinds: tuple[Kind, ...] = ("tom", "snare", "kick")
    kind = kinds[seed % 3]

    def one(rows: list[str]) -> str:
        return rows[int(rng.integers(len(rows)))]

    size = SIZES[kind][int(rng.integers(len(SIZES[kind])))]
    owned = OwnedDrum(
        f"{kind} {size[0]:g}",
        kind,
        size[0],
        size[1],
        int(size[2]),
        "flanged",
        "maple-lacquer",
        *NOW[kind],
        port_in=5.0 if kind == "kick" and rng.random() < 0.5 else None,
    )
    batter = one([c.id for c in SHIPPED.constructions_for(kind, "batter")])
    reso = one([c.id for c in SHIPPED.constructions_for(kind, "reso")])
    light = [d.id for d in SHIPPED.dampers_for(kind) if d.least_in <= owned.diameter_in]
    on_it = (one(light),) if rng.random() < 0.6 else ()
    semitones = float(rng.choice([s for s in SEMITONES if -2.0 <= s <= 5.0]))
    pitch = float(rng.uniform(size[3], size[4]))
    beaters = [s.id for s in SHIPPED.strikers.values() if "kick" in s.kinds]
    striker = one(beaters) if kind == "kick" else "stick-medium"
    field = Field(
        SHIPPED, owned, [batter], [reso], [on_it], [striker], ["medium"], port_in=owned.port_in
    )
    options = field.grid([semitones])
    known = field.outlook(options, pitch)
    if not known.reached[0] or known.stress_share[0] > 0.98:
        return None
    drum = model(SHIPPED, owned, batter=batter, reso=reso, dampers=on_it, striker=striker)
    made = predict(drum, float(known.batter_hz[0]), float(known.reso_hz[0]))
    target = _measured(made, kind, rng)
    if target is None or target.value("pitch") is None:
        return None
    shelf = Shelf((owned,), (), tuple(SHIPPED.dampers), tuple(SHIPPED.strikers), catalogue=SHIPPED)
    brief = Brief(budget_heads=9, leave_room=False)
    search = DrumSearch(0, target, shelf, brief, no_costs())
    result = search.finalists(search.best())
    if not result:
        return None
    off = _off(result[0], owned, target, kind)
    true = {name: float(values[0]) for name, values in known.card.items()}
    alike = [_alike(w.card, true) for w in result[:FIRST]]
    return Found(kind, len(off), sum(abs(v) <= 1.0 for v in off.values()), any(alike), off)


def _measured(made: object, kind: Kind, rng: np.random.Generator) -> Target | None:
    voice = drum_voice(made, kind)  # type: ignore[arg-type]
    stroke = render_stroke(voice, sample_rate_hz=RATE, force=1.0, rng=rng, length_s=4.0)
    sound = np.concatenate([np.zeros(RATE // 5), 0.5 * stroke, np.zeros(RATE // 2)])
    sound += 1e-5 * rng.standard_normal(len(sound))
    name = "tom-1" if kind == "tom" else kind
    try:
        analysis = analyse(Audio(sound[:, None], RATE), kind="hit", voice=name)
    except EmblarError:
        return None
    return target_from_card(analysis.voices[0])


def _off(row: Weighed, owned: OwnedDrum, target: Target, kind: Kind) -> dict[str, float]:
    recipe = row.setup
    drum = model(
        SHIPPED,
        owned,
        batter=recipe.batter,
        reso=recipe.reso,
        dampers=recipe.dampers,
        striker=recipe.striker,
        wires_setting=recipe.wires,
    )
    card = predicted_card(predict(drum, recipe.batter_hz, recipe.reso_hz), kind)
    return {
        name: steps()[name].apart(quantity.value, target.values[name].value)
        for name, quantity in card.items()
        if name in target.values
    }


def _alike(card: dict[str, float], true: dict[str, float]) -> bool:
    return all(abs(steps()[n].apart(card[n], v)) <= 1.0 for n, v in true.items() if n in card)


def main() -> None:
    """Run and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--recipes", type=int, default=100)
    parser.add_argument("--verbose", action="store_true")
    arguments = parser.parse_args()
    with ProcessPoolExecutor(2) as pool:
        rows = [r for r in pool.map(recovered, range(arguments.recipes * 2)) if r is not None]
    rows = rows[: arguments.recipes]
    for kind in ("tom", "snare", "kick", ""):
        members = [r for r in rows if kind in ("", r.kind)]
        near = np.mean([r.within >= min(ENOUGH, r.quantities) for r in members])
        first = np.mean([r.among_first for r in members])
        within = np.mean([r.within / r.quantities for r in members])
        print(
            f"{kind or 'all':6s} {len(members):3d} recipes: {ENOUGH} quantities within one step in "
            f"{near:.2f}, {within:.2f} of all quantities; among the first {FIRST} in {first:.2f}"
        )
    if arguments.verbose:
        names = sorted({n for r in rows for n in r.off})
        for name in names:
            off = np.abs([r.off[name] for r in rows if name in r.off])
            print(
                f"  {name:8s} off by {np.median(off):.2f} steps, within one in "
                f"{np.mean(off <= 1.0):.2f}"
            )


if __name__ == "__main__":
    main()
