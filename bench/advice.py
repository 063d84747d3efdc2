"""What a plan keeps to, held against plans: ``python -m bench.advice``.

The rules stand where each can be read: catalogue and styles as data, the rest in ``planning``.
Counted on the twenty plans of ``bench.independent`` and on a few of its own.
"""

from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from typing import Any

from bench.independent import SITUATIONS, Read, read
from bench.kick_readings import kick
from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Wish
from emblar.core.planning.alike import family
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.cautions import HEARING
from emblar.core.planning.kick_window import kick_window
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.plan_drum import DrumPlan, Task, plan_drum, plan_drums
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.quantities.registry import steps
from emblar.formats.plan import drum_plan_file
from emblar.steps.plan.actions.by_hand import changed_by_hand, held

KICKS = 40
TOM = OwnedDrum(
    "Rack 12", "tom", 12, 8, 6, "flanged", "maple-lacquer", "double-clear", "single-clear"
)
SNARE = OwnedDrum(
    "Snare 14", "snare", 14, 6.5, 10, "flanged", "maple-lacquer", "single-coated", "snare-side"
)
KICK = OwnedDrum(
    "Kick 22", "kick", 22, 16, 10, "wood", "maple-lacquer", "single-clear", "front-opaque"
)
REACHED = {
    "patch": "patch",
    "gel or tape on a kick batter": "gel-pad-kick",
    "tissue on a front": "tissue-front",
    "tape on a snare's reso": "tape-flag-snare-side",
    "damper on both heads": "tape-both",
    "a number of cotton balls": "cotton-twelve",
    "a number of pads": "three-gel-pads",
    "stuffed": "stuffed",
    "eased lug": "eased-lug",
    "two lugs down": "two-lugs-down",
    "alternate lugs": "alternate-lugs",
}
HEADS = {
    "bought ported front": "front-ported-opaque",
    "double-ply reso": "double-reso-clear",
    "double ply with dot": "double-dot-clear",
    "vented doubles": "double-vented-coated",
}
BEATERS = {"taped beater": "beater-felt-taped", "felted beater": "beater-wood-pad"}


@dataclass(frozen=True, slots=True)
class Rule:
    """One rule of practice's: its number, what it says, where it stands, and the check."""

    number: int
    says: str
    where: str
    check: Callable[[], tuple[str, bool]]


RULES: list[Rule] = []


def rule(number: int, says: str, where: str) -> Callable[..., Callable[[], tuple[str, bool]]]:
    """Enter a function as the check of one rule."""

    def register(check: Callable[[], tuple[str, bool]]) -> Callable[[], tuple[str, bool]]:
        RULES.append(Rule(number, says, where, check))
        return check

    return register


@lru_cache(maxsize=1)
def plans() -> tuple[Read, ...]:
    """Return the twenty plans."""
    return tuple(read(number) for number in range(len(SITUATIONS)))


def _of_kind(kind: str) -> list[Read]:
    return [p for p, s in zip(plans(), SITUATIONS, strict=True) if s.drum.kind == kind]


def _target(voice: str, **values: float) -> Target:
    measured = {n: Measured(v, 0.05 * abs(v), steps()[n].unit) for n, v in values.items()}
    return Target(voice, measured, {})


def _count(matches: list[Read], laugh: str) -> int:
    return sum(not any(laugh in text for text in p.laughs) for p in matches)


@rule(1, "Snare side: snare-side films only", "`catalogue.constructions_for`, `planning/search`")
def snare_sides() -> tuple[str, bool]:
    """Count snares with snare-side film."""
    result = _of_kind("snare")
    good = _count(result, "snare-side")
    return f"{good} of {len(result)} snares", good == len(result)


@rule(
    2,
    "Kick: front at or above the batter, lug pitches inside the window of its size; a damped "
    "kick's lowest strong mode is its pitch, and competing readings are asked",
    "`planning/kick.toml`, `planning/target.readings`, `analysis/modes`",
)
def kicks() -> tuple[str, bool]:
    """Count kicks in their window, and notes told or asked."""
    result = [(p, s) for p, s in zip(plans(), SITUATIONS, strict=True) if s.drum.kind == "kick"]
    good = 0
    for plan, request in result:
        window, (batter, front) = kick_window(request.drum.diameter_in), plan.lugs_hz
        inside = window.low_hz * 0.99 <= batter <= window.high_hz * 1.01
        good += inside and (front is None or front >= batter * 0.999)
    known = sum(kick(seed).outcome != "missed" for seed in range(KICKS))
    says = f"{good} of {len(result)} kicks; of {KICKS} rendered kicks {known} notes told or asked"
    return says, good == len(result) and known >= 0.97 * KICKS


@rule(
    3,
    "A school, a style, the engineer's hole, “never cut”, “buy nothing” are promises: kept, or "
    "broken out loud",
    "`planning/promises`",
)
def promises() -> tuple[str, bool]:
    """Count plans that keep what the brief promises."""
    words = ("no hole", "cuts", "buys more")
    good = sum(not any(w in t for t in p.laughs for w in words) for p in plans())
    return f"{good} of {len(plans())} plans", good == len(plans())


@rule(4, "Style means something", "`planning/styles.toml`")
def styles() -> tuple[str, bool]:
    """Count plans without anything their style shuns."""
    good = _count(list(plans()), "shuns")
    return f"{good} of {len(plans())} plans", good == len(plans())


@rule(5, "One change by hand changes one thing; what follows is said", "`actions/by_hand`")
def one_thing() -> tuple[str, bool]:
    """Change one thing after the other on a tom, and see what else moves."""
    target = _target("tom-1", pitch=120.0, sustain=0.9, length=0.22)
    before = plan_drum(SHIPPED, TOM, target, Wish(), thorough=False)
    current = drum_plan_file(before)
    changes = {
        "batter": "double-coated",
        "dampers": ["gel-pad"],
        "striker": "stick-light",
        "reso": "single-coated",
        "pitch_hz": 112.0,
    }
    good = 0
    for name, value in changes.items():
        wish: dict[str, Any] = {name: value}
        kept: dict[str, Any] = held(wish, changed_by_hand({}, wish), current, TOM) or wish
        request: dict[str, Any] = {**kept, "dampers": tuple(kept["dampers"])}
        after = plan_drum(SHIPPED, TOM, target, Wish(**request), thorough=False)
        ours, theirs = (asdict(p.setup) for p in (before, after))
        free = {name, "batter_hz", "reso_hz"}
        good += all(ours[key] == theirs[key] for key in ours if key not in free)
    return f"{good} of {len(changes)} changes leave the rest", good == len(changes)


@rule(
    6,
    "The same kind of damper on all toms before a different one on each, unless it buys a clear "
    "step",
    "`planning/alike`",
)
def toms() -> tuple[str, bool]:
    """Plan toms of one record together."""
    sizes = ((10.0, 7.0, 6, 150.0), (12.0, 8.0, 6, 122.0), (16.0, 16.0, 8, 76.0))
    kits, alike = 0, 0
    for length in (0.18, 0.22, 0.27, 0.32):
        tasks = [
            Task(
                replace(TOM, name=f"Tom {d:g}", diameter_in=d, depth_in=deep, rods=rods),
                _target(f"tom-{i}", pitch=hz, length=length * (1.0 + 0.15 * i)),
                Wish(),
            )
            for i, (d, deep, rods, hz) in enumerate(sizes, 1)
        ]
        shelf = Shelf((), (), tuple(SHIPPED.dampers), catalogue=SHIPPED)
        result = plan_drums(tasks, brief=Brief(budget_heads=0), shelf=shelf, thorough=False)
        worn = {family(SHIPPED, p.setup.dampers) for p in result if isinstance(p, DrumPlan)}
        kits, alike = kits + 1, alike + (len(worn - {frozenset()}) <= 1)
    return f"{alike} of {kits} kits wear one kind; the others gain a clear step", alike * 2 >= kits


@rule(7, "Wires: medium unless the record says otherwise clearly", "`planning/search._settings`")
def wires() -> tuple[str, bool]:
    """Count snares whose wires stay, or have a clear reason."""
    result = _of_kind("snare")
    good = _count(result, "wires")
    return f"{good} of {len(result)} snares", good == len(result)


@rule(
    8,
    "Warnings are few; “notes run together” only where a fastest figure was entered",
    "`planning/why.fit_warnings`",
)
def warnings() -> tuple[str, bool]:
    """Count warnings besides that of hearing."""
    each = [sum(text != HEARING for text in p.cautions) for p in plans()]
    together = sum("run together" in text for p in plans() for text in p.cautions)
    says = f"{sum(each) / len(each):.1f} a plan, {max(each)} at most; {together} run together"
    return says, sum(each) <= len(each) and together == 0


@rule(9, "Everything practitioners reach for can be reached", "`catalogue/data`, `planning/search`")
def reached() -> tuple[str, bool]:
    """Count what can be chosen, by hand and by the search."""
    available = [i in SHIPPED.dampers for i in REACHED.values()] + [
        i in SHIPPED.constructions for i in HEADS.values()
    ]
    available += [i in SHIPPED.strikers for i in BEATERS.values()]
    target = _target("kick", pitch=56.0, length=0.15)
    brief = Brief(never_cut=False)
    for port, off, hole in (("off", True, False), ("ring", False, True), ("cut", False, True)):
        wish = Wish(port=port)  # type: ignore[arg-type]
        recipe = plan_drum(SHIPPED, KICK, target, wish, brief=brief, thorough=False).setup
        available.append((recipe.reso is None) == off and (recipe.port_in is not None) == hole)
    holed = replace(KICK, shell_hole_in=4.0)
    available.append(
        plan_drum(SHIPPED, holed, target, Wish(), thorough=False).setup.batter_hz > 0.0
    )
    return f"{sum(available)} of {len(available)}", all(available)


@rule(10, "Uncertainty per kind and tension", "`acoustics/head.pitch_error_cents`")
def doubts() -> tuple[str, bool]:
    """Say how sure a pitch is by kind and tension."""

    def doubt(owned: OwnedDrum, batter: float, reso: float) -> float:
        return predict(model(SHIPPED, owned), batter, reso).drum_pitch_sd_cents

    tom, kick_ = doubt(TOM, 200.0, 220.0), doubt(KICK, 80.0, 90.0)
    low, high = doubt(SNARE, 250.0, 300.0), doubt(SNARE, 420.0, 480.0)
    says = f"tom ± {tom:.0f} ct, snare ± {low:.0f}, tuned high ± {high:.0f}, kick ± {kick_:.0f}"
    return says, tom < 60.0 <= low < high and kick_ > 60.0


def main() -> None:
    """Print every rule and what was counted."""
    result = [(one, *one.check()) for one in RULES]
    for one, says, good in result:
        print(
            f"{'ok ' if good else 'NOT'} B{one.number:<2d} {one.says}\n       {says} ({one.where})"
        )
    print(f"{sum(good for *_, good in result)} of {len(result)} kept")


if __name__ == "__main__":
    main()
