"""Speed of the model and of the search: ``python -m bench.planning``."""

import itertools
import time
from dataclasses import replace

import numpy as np

from emblar.core.acoustics.forward import predict
from emblar.core.catalogue import SHIPPED, Catalogue
from emblar.core.drum import Wish
from emblar.core.planning.assign import plan_kit
from emblar.core.planning.brief import Brief, OwnedHead, Shelf
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.outlook import Field
from emblar.core.planning.plan_drum import plan_drum
from emblar.core.planning.problem import Problem
from emblar.core.planning.target import Target
from emblar.core.quantities import Measured
from emblar.core.synthesis.played import played
from emblar.core.synthesis.stroke import drum_voice

RATE = 44100
DAMPERS = 40
TOM = OwnedDrum(
    "Tom 12", "tom", 12, 8, 6, "flanged", "maple-lacquer", "double-clear", "single-clear"
)
RECORD = {
    "kick": {"pitch": 60.0, "sustain": 0.5, "length": 0.2, "click": 600.0, "body": -3.0},
    "snare": {"pitch": 195.0, "sustain": 0.4, "length": 0.12, "click": 4000.0, "wires": 0.0},
    "tom-1": {"pitch": 150.0, "sustain": 1.1, "length": 0.25, "bend": 40.0},
    "tom-2": {"pitch": 110.0, "sustain": 1.3, "length": 0.3, "bend": 40.0},
    "tom-3": {"pitch": 80.0, "sustain": 1.5, "length": 0.35},
}


def targets() -> list[Target]:
    """Return a made-up record's five voices."""
    return [
        Target(v, {n: Measured(x, 0.05 * abs(x) + 0.1, "") for n, x in values.items()}, {})
        for v, values in RECORD.items()
    ]


def shelf(catalogue: Catalogue, times: int) -> Shelf:
    """Return twelve drums and sixty heads, times so many, and every damper."""
    drums: list[OwnedDrum] = []
    for copy in range(times):
        tag = f" {copy}"
        for d, port in ((18, None), (20, None), (22, 5.0)):
            drums.append(
                OwnedDrum(
                    f"Kick {d}{tag}",
                    "kick",
                    d,
                    16,
                    10,
                    "wood",
                    "maple-lacquer",
                    "double-clear",
                    "front-opaque",
                    port,
                )
            )
        drums += [
            OwnedDrum(
                f"Snare {deep}{tag}",
                "snare",
                d,
                deep,
                10,
                "flanged",
                "steel",
                "single-coated",
                "snare-side",
            )
            for d, deep in ((14, 5.5), (14, 6.5), (13, 6.0))
        ]
        drums += [
            replace(TOM, name=f"Tom {d}{tag}", diameter_in=d, depth_in=0.75 * d)
            for d in (10, 12, 13, 14, 16, 18)
        ]
    kinds = (
        "single-clear",
        "single-coated",
        "double-coated",
        "double-ring-clear",
        "woven",
        "single-heavy-coated",
        "single-dot-coated",
        "double-dot-clear",
    )
    sizes = (10, 12, 13, 14, 16, 18, 20, 22)
    heads = [OwnedHead(c, float(d), times) for c, d in itertools.product(kinds, sizes)][:60]
    return Shelf(
        tuple(drums),
        tuple(heads),
        tuple(catalogue.dampers),
        tuple(catalogue.strikers),
        catalogue=catalogue,
    )


def candidates() -> None:
    """Candidates a second, card included, against solving each whole by ``scipy.linalg.eigh``."""
    field = Field(
        SHIPPED,
        TOM,
        [c.id for c in SHIPPED.constructions_for("tom", "batter")],
        [c.id for c in SHIPPED.constructions_for("tom", "reso")],
        [(), *((d.id,) for d in SHIPPED.dampers_for("tom"))],
        [s.id for s in SHIPPED.strikers_for("tom")][:2],
        ["medium"],
    )
    options = field.grid([-3.0, -1.0, 0.0, 2.0, 5.0])
    known = field.outlook(options, 130.0)
    began = time.perf_counter()
    modes = field.batch(options, known.batter_n_per_m, known.reso_n_per_m).modes()
    field._card(options, modes)
    ours = (time.perf_counter() - began) / len(options)
    began = time.perf_counter()
    field.outlook(options, 130.0)
    solved = (time.perf_counter() - began) / len(options)
    drum = model(SHIPPED, TOM)
    began = time.perf_counter()
    for i in range(40):
        predict(drum, 200.0 + i / 10, 233.0)
    theirs = (time.perf_counter() - began) / 40
    print(
        f"candidates with card: {1.0 / ours:.0f} a second, tuned to a pitch first "
        f"{1.0 / solved:.0f}; one whole by eigh takes {theirs / ours:.0f} × as long"
    )


def rendering() -> None:
    """Render two seconds of a stroke."""
    voice = drum_voice(predict(model(SHIPPED, TOM), 200.0, 230.0), "tom")
    began = time.perf_counter()
    for _ in range(5):
        played(voice, "tom", "stroke", sample_rate_hz=RATE)
    took = (time.perf_counter() - began) / 5
    print(f"a stroke of 2 s: {1000 * took:.0f} ms, {2.0 / took:.0f} × real time")


def enough_dampers() -> Catalogue:
    """Return a catalogue with own dampers until there are ``DAMPERS``, cut otherwise from them."""
    shipped = list(SHIPPED.dampers.values())
    more = itertools.islice(itertools.cycle(shipped), DAMPERS - len(shipped))
    return Catalogue(
        tuple(
            ("damper", replace(d, id=f"own-{i}", name=f"own {i}", resistance=1.3 * d.resistance))
            for i, d in enumerate(more)
        )
    )


def search() -> None:
    """A five-drum kit from shelves of growing size, and one drum planned again by hand."""
    took = []
    catalogue = enough_dampers()
    for times in (1, 2, 4):
        began = time.perf_counter()
        plan = plan_kit(Problem(targets(), shelf(catalogue, times), Brief(only_owned=True)))
        took.append(time.perf_counter() - began)
    print(
        f"five drums from 12 drums, 60 heads and {len(catalogue.dampers)} dampers: "
        f"{took[0]:.2f} s; twice, four times the shelf: "
        f"{took[1] / took[0]:.1f}, {took[2] / took[0]:.1f} × ({plan.candidates} finalists)"
    )
    again = []
    for request in (Wish(relation="equal"), Wish(batter="single-coated")):
        began = time.perf_counter()
        plan_drum(catalogue, TOM, targets()[3], request, thorough=False)
        again.append(time.perf_counter() - began)
    print(f"one drum planned again: {1000 * float(np.mean(again)):.0f} ms")


def main() -> None:
    """Run all."""
    candidates()
    rendering()
    search()


if __name__ == "__main__":
    main()
