"""Plans for drums that our model did not render: ``python -m bench.independent [--json]``.

Twenty situations over all styles of practice. Each reference is a stroke from a small modal
synthesis that knows nothing of the drum model: the frequency ratios of an ideal film with the
lowest modes drawn down by a few per cent for the air, decays that shorten with frequency, a burst
of filtered noise for stick or beater, a second one for wires. It is measured like a recording and
planned on a drum of the trade. Printed: each plan in its sentence, what it costs, and whatever in
it goes against what practice keeps to (``laughs``).
"""

import argparse
import json
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np
from scipy.signal import butter, sosfilt

from emblar.core.acoustics.drum import Kind
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio, Samples
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Wish
from emblar.core.errors import EmblarError
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.kick_window import kick_window
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.plan_drum import DrumPlan, plan_drum
from emblar.core.planning.schools import FRONT, PORT
from emblar.core.planning.sentence import plan_sentence
from emblar.core.planning.styles import shunned
from emblar.core.planning.target import target_from_card

RATE = 44100
RATIOS = (1.0, 1.594, 2.136, 2.296, 2.653, 2.918, 3.156, 3.501)
"""Of an ideal film (Morse & Ingard, ch. 5): (0,1) (1,1) (2,1) (0,2) (3,1) (1,2) (4,1) (0,3)."""
AIR = (0.93, 0.97, 0.98, 0.99)
"""How far air draws the lowest modes down."""


@dataclass(frozen=True, slots=True)
class Struck:
    """A stroke of the modal synthesis.

    Attributes
    ----------
    hz, t60_s
        The note and how long it takes to fall by 60 dB.
    overtones_db
        Level of all overtones together over the note's.
    shorter
        How much faster overtones die than the note, per octave.
    bend
        Cents that the stroke starts sharp.
    noise_db, noise_hz, noise_s
        Stick or beater: level over the note's, middle of its band, T60.
    wires_db, wires_s
        Wires: level over the note's and T60; None without.
    """

    hz: float
    t60_s: float
    overtones_db: float
    shorter: float = 0.7
    bend: float = 20.0
    noise_db: float = -14.0
    noise_hz: float = 2500.0
    noise_s: float = 0.03
    wires_db: float | None = None
    wires_s: float = 0.25

    def render(self, seed: int) -> Samples:
        """Return the stroke, shape (n,)."""
        rng = np.random.default_rng(seed)
        time = np.arange(int(2.5 * RATE)) / RATE
        falling = self.bend * np.exp(-time / 0.06)
        turns = np.cumsum(2.0 ** (falling / 1200.0)) / RATE
        ratios = np.array(RATIOS) * np.concatenate([AIR, np.ones(len(RATIOS) - len(AIR))])
        ratios = ratios / ratios[0]
        over = 10.0 ** (self.overtones_db / 20.0)
        shares = rng.uniform(0.4, 1.0, len(ratios) - 1) / np.sqrt(ratios[1:])
        levels = np.concatenate([[1.0], over * shares / np.sqrt((shares**2).sum())])
        out = np.zeros(len(time))
        for ratio, level in zip(ratios, levels, strict=True):
            t60 = self.t60_s * ratio ** (-self.shorter * 1.5)
            wave = np.sin(2.0 * np.pi * self.hz * ratio * turns)
            out += level * wave * 10.0 ** (-3.0 * time / t60)
        noise = _burst(rng, time, (0.35 * self.noise_hz, 2.2 * self.noise_hz), self.noise_s)
        out += 10.0 ** (self.noise_db / 20.0) * noise
        if self.wires_db is not None:
            rustle = _burst(rng, time, (2000.0, 10000.0), self.wires_s)
            out += 10.0 ** (self.wires_db / 20.0) * rustle
        quiet = 1e-5 * rng.standard_normal(len(time) + RATE // 5)
        return np.concatenate([np.zeros(RATE // 5), 0.4 * out]) + quiet


def _burst(
    rng: np.random.Generator, time: Samples, band: tuple[float, float], t60: float
) -> Samples:
    shaped = sosfilt(
        butter(2, (band[0], min(band[1], 0.45 * RATE)), "bandpass", fs=RATE, output="sos"),
        rng.standard_normal(len(time)),
    )
    return np.asarray(shaped / np.std(shaped) * 10.0 ** (-3.0 * time / t60))


def _drum(kind: Kind, diameter: float, depth: float, **changes: Any) -> OwnedDrum:
    rods = {"tom": 6 if diameter < 14 else 8, "snare": 10, "kick": 10}[kind]
    batter = {"tom": "double-clear", "snare": "single-coated", "kick": "single-clear"}[kind]
    reso = {"tom": "single-clear", "snare": "snare-side", "kick": "front-opaque"}[kind]
    made: dict[str, Any] = {
        "hoop": "wood" if kind == "kick" else "flanged",
        "shell": "maple-lacquer",
        "batter": batter,
        "reso": reso,
        **changes,
    }
    return OwnedDrum(f"{kind.title()} {diameter:g}", kind, diameter, depth, rods, **made)


@dataclass(frozen=True, slots=True)
class Situation:
    """What a session asks: the reference, the drum there is, and the brief."""

    name: str
    drum: OwnedDrum
    struck: Struck
    brief: Brief = field(default_factory=lambda: Brief(budget_heads=2))


def _brief(**wishes: Any) -> Brief:
    return Brief(**{"budget_heads": 2, **wishes})


SITUATIONS = (
    Situation(
        "short double kick, metal",
        _drum("kick", 22, 18),
        Struck(58, 0.30, -10, bend=15, noise_db=4, noise_hz=4200, noise_s=0.02),
        _brief(style="metal", force="hard", never_cut=False),
    ),
    Situation(
        "open jazz kick",
        _drum("kick", 18, 14, batter="single-coated", reso="front-coated"),
        Struck(76, 0.95, -9, bend=12, noise_db=-18, noise_hz=1500),
        _brief(style="jazz"),
    ),
    Situation(
        "big vintage kick",
        _drum("kick", 26, 14),
        Struck(46, 0.85, -10, bend=25, noise_db=-14, noise_hz=1800),
        _brief(style="rock"),
    ),
    Situation(
        "dry kick without front, seventies",
        _drum("kick", 22, 14),
        Struck(55, 0.24, -14, bend=20, noise_db=-8, noise_hz=2200),
        _brief(style="funk"),
    ),
    Situation(
        "fat low snare",
        _drum("snare", 14, 6.5),
        Struck(165, 0.32, -8, noise_db=-6, noise_hz=2500, wires_db=-6, wires_s=0.22),
        _brief(style="soul"),
    ),
    Situation(
        "high crack",
        _drum("snare", 14, 5, hoop="cast", shell="steel"),
        Struck(262, 0.40, -5, bend=5, noise_db=3, noise_hz=4500, wires_db=-4, wires_s=0.25),
        _brief(style="funk"),
    ),
    Situation(
        "open rock snare",
        _drum("snare", 14, 6.5, shell="brass"),
        Struck(205, 0.60, -3, noise_db=-4, noise_hz=3500, wires_db=-5, wires_s=0.30),
        _brief(style="rock"),
    ),
    Situation(
        "brushed jazz snare",
        _drum("snare", 14, 5.5),
        Struck(215, 0.45, -8, noise_db=-8, noise_hz=2500, wires_db=-8, wires_s=0.35),
        _brief(style="jazz", force="light"),
    ),
    Situation(
        "long singing rack tom",
        _drum("tom", 12, 8),
        Struck(124, 1.9, -8, bend=45, noise_db=-14),
        _brief(style="rock"),
    ),
    Situation(
        "short popping rack tom",
        _drum("tom", 12, 8),
        Struck(122, 0.55, -16, bend=45, noise_db=-10, noise_hz=2000),
        _brief(style="pop"),
    ),
    Situation(
        "booming floor tom",
        _drum("tom", 16, 16),
        Struck(68, 1.6, -9, bend=40, noise_db=-14, noise_hz=1800),
        _brief(style="rock"),
    ),
    Situation(
        "dead seventies floor tom",
        _drum("tom", 16, 16, batter="double-coated"),
        Struck(74, 0.35, -18, bend=50, noise_db=-10, noise_hz=1500),
        _brief(style="funk"),
    ),
    Situation(
        "high eight-inch tom",
        OwnedDrum(
            "Tom 8", "tom", 8, 7, 5, "flanged", "maple-lacquer", "double-clear", "single-clear"
        ),
        Struck(196, 1.0, -10, bend=35, noise_db=-14, noise_hz=3000),
        _brief(style="fusion"),
    ),
    Situation(
        "jazz rack tom",
        _drum("tom", 12, 8, batter="single-coated"),
        Struck(165, 1.3, -7, bend=25, noise_db=-14, noise_hz=2000),
        _brief(style="jazz"),
    ),
    Situation(
        "concert bass drum",
        _drum("kick", 26, 16, batter="single-coated", reso="front-coated"),
        Struck(42, 1.8, -10, bend=15, noise_db=-24, noise_hz=900),
        _brief(style="concert"),
    ),
    Situation(
        "dry high reggae snare",
        _drum("snare", 13, 6),
        Struck(255, 0.20, -8, bend=5, noise_db=-3, noise_hz=3500, wires_db=-8, wires_s=0.15),
        _brief(style="reggae"),
    ),
    Situation(
        "sampled hip-hop kick",
        _drum("kick", 20, 16),
        Struck(63, 0.38, -18, bend=30, noise_db=-10, noise_hz=2500),
        _brief(style="hip hop"),
    ),
    Situation(
        "the engineer wants a hole",
        _drum("kick", 22, 16),
        Struck(60, 0.42, -12, bend=15, noise_db=-8, noise_hz=3000),
        _brief(style="pop", engineer_wants_hole=True),
    ),
    Situation(
        "buy nothing, worn heads",
        _drum("tom", 13, 9, batter="double-fluid"),
        Struck(105, 1.1, -10, bend=45, noise_db=-14),
        _brief(only_owned=True),
    ),
    Situation(
        "closed front is my school",
        _drum("kick", 20, 14),
        Struck(66, 0.60, -10, bend=15, noise_db=-12, noise_hz=2000),
        _brief(style="rock", schools={PORT: "closed front", FRONT: "front level or above"}),
    ),
)


@dataclass(frozen=True, slots=True)
class Read:
    """A plan as read: sentence, minutes, heads to buy, warnings, and what one would laugh at."""

    name: str
    heard_hz: float | None
    sentence: str
    lugs_hz: tuple[float, float | None]
    minutes: float
    bought: tuple[str, ...]
    cautions: tuple[str, ...]
    laughs: tuple[str, ...]


def read(number: int) -> Read:
    """Render one situation's reference, measure it, plan for it, and read the plan."""
    request = SITUATIONS[number]
    kind = request.drum.kind
    voice = "tom-1" if kind == "tom" else kind
    result = analyse(Audio(request.struck.render(number)[:, None], RATE), kind="hit", voice=voice)
    target = target_from_card(result.voices[0])
    shelf = Shelf(
        (request.drum,), (), tuple(SHIPPED.dampers), tuple(SHIPPED.strikers), catalogue=SHIPPED
    )
    pitch_hz = target.value("pitch")
    try:
        plan = plan_drum(SHIPPED, request.drum, target, Wish(), brief=request.brief, shelf=shelf)
    except EmblarError as error:
        return Read(request.name, pitch_hz, str(error), (0.0, None), 0.0, (), (), ("no plan",))
    recipe, row = plan.setup, plan.weighed
    description = plan_sentence(
        SHIPPED,
        kind,
        batter=recipe.batter,
        reso=recipe.reso,
        port_in=recipe.port_in,
        semitones=recipe.semitones,
        dampers=recipe.dampers,
        pitch_hz=row.card["pitch"],
        apart=row.apart,
    )
    return Read(
        request.name,
        pitch_hz,
        description,
        (recipe.batter_hz, recipe.reso_hz),
        row.minutes,
        row.bought,
        plan.cautions,
        tuple(laughs(request, plan, pitch_hz)),
    )


def laughs(situation: Situation, plan: DrumPlan, heard_hz: float | None) -> list[str]:
    """Return what in a plan goes against what practice keeps to."""
    recipe, owned, brief = plan.setup, plan.owned, situation.brief
    result = []
    if heard_hz is None or abs(np.log2(heard_hz / situation.struck.hz)) > 1.0 / 12.0:
        result.append(f"the note is read as {heard_hz} Hz, it is {situation.struck.hz:g}")
    if (
        owned.kind == "snare"
        and recipe.reso
        and not SHIPPED.construction(recipe.reso).is_snare_side
    ):
        result.append("no snare-side film under a snare")
    if owned.kind == "kick":
        window = kick_window(owned.diameter_in)
        if not window.low_hz * 0.99 <= recipe.batter_hz <= window.high_hz * 1.01:
            result.append(f"{recipe.batter_hz:.0f} Hz at a kick's lugs")
        if recipe.reso is not None and recipe.semitones < 0.0:
            result.append("a slacker front")
    if owned.kind == "tom" and abs(recipe.semitones) > 5.0:
        result.append("heads more than a fourth apart")
    heads, on_it, by = shunned(brief.style)
    shun = [h for h in (recipe.batter, recipe.reso) if h in heads]
    shun += [d for d in recipe.dampers if d in on_it]
    shun += [recipe.striker] if recipe.striker in by else []
    result += [f"{brief.style} shuns {name}" for name in shun]
    if brief.engineer_wants_hole and recipe.reso is not None and recipe.port_in is None:
        result.append("no hole")
    if len(plan.weighed.bought) > (0 if brief.only_owned else brief.budget_heads):
        result.append("buys more than is allowed")
    if plan.weighed.cut and brief.never_cut:
        result.append("cuts")
    if plan.weighed.card["bend"] > 150.0:
        result.append("absurd bend")
    if recipe.wires in ("tight", "loose") and abs(plan.weighed.apart.get("wires", 0.0)) > 4.0:
        result.append(f"wires {recipe.wires}")
    if not any(word in brief.style for word in ("funk", "hip hop", "reggae")):
        result += [f"{d} for {brief.style}" for d in recipe.dampers if d.startswith("leg")]
    return result


def main() -> None:
    """Plan for every situation and print what came of it."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--json", action="store_true", help="print JSON instead of lines")
    arguments = parser.parse_args()
    with ProcessPoolExecutor(2) as pool:
        rows = list(pool.map(read, range(len(SITUATIONS))))
    if arguments.json:
        print(json.dumps([asdict(row) for row in rows], indent=2, ensure_ascii=False))
        return
    for number, row in enumerate(rows, 1):
        lugs = " / ".join(f"{hz:.0f}" for hz in row.lugs_hz if hz)
        bought = f", buys {', '.join(row.bought)}" if row.bought else ""
        print(
            f"{number:2d} {row.name}: {row.sentence}\n     lugs {lugs} Hz, {row.minutes:.0f} min"
            f"{bought}"
        )
        for text in row.cautions:
            if not text.startswith("Wear"):
                print(f"     ! {text}")
        for text in row.laughs:
            print(f"     LAUGH {text}")
    print(f"{sum(not row.laughs for row in rows)} of {len(rows)} hold nothing to laugh at")


if __name__ == "__main__":
    main()
