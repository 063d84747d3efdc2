"""Songs on one kit: the order found against the order as it comes: ``python -m bench.setlist``."""

import time

import numpy as np

from emblar.core.catalogue import SHIPPED
from emblar.core.drum import Setup
from emblar.core.evening.setlist import MOST_IN_ORDER, Offer, SetDrum, Song, plan_setlist

TOM = SetDrum("tom", 6)
HEADS = ("single-clear", "double-clear")
LYING = ("tape-flag", "gel-pad", "cotton-four")
SONGS = 6
DRUMS = 5
OFFERS = 6
SEEDS = 5


def case(seed: int, songs: int, drums: int, offers: int) -> tuple[dict[str, SetDrum], list[Song]]:
    """Return made-up drums and songs, each drum with a few ways to set it up."""
    rng = np.random.default_rng(seed)

    def offer() -> Offer:
        dampers = tuple(sorted(d for d in LYING if rng.random() < 0.3))
        hz = float(rng.choice([140.0, 142.0, 160.0]))
        setup = Setup(str(rng.choice(HEADS)), "single-clear", hz, 1.1 * hz, dampers)
        return Offer(setup, float(rng.choice([0.0, 0.4, 1.5, 3.0])))

    names = [f"drum {i}" for i in range(drums)]
    listed = [
        Song(
            f"song {i}",
            {
                n: tuple(offer() for _ in range(rng.integers(1, offers + 1)))
                for n in names
                if rng.random() < 0.85
            },
        )
        for i in range(songs)
    ]
    return dict.fromkeys(names, TOM), listed


def setlists() -> None:
    """Print the time of six and of the most songs, and what the best order saves."""
    took, saved = [], []
    for seed in range(SEEDS):
        drums, songs = case(seed, SONGS, DRUMS, OFFERS)
        began = time.perf_counter()
        free = plan_setlist(SHIPPED, drums, songs, free_order=True)
        took.append(time.perf_counter() - began)
        saved.append(free.score / plan_setlist(SHIPPED, drums, songs, free_order=False).score)
    drums, songs = case(0, MOST_IN_ORDER, DRUMS, OFFERS)
    began = time.perf_counter()
    plan_setlist(SHIPPED, drums, songs, free_order=True)
    most = time.perf_counter() - began
    print(
        f"setlist of {SONGS} songs × {DRUMS} drums: {max(took):.2f} s at most (limit 3 s); cost "
        f"over that of the order as it came {sum(saved) / SEEDS:.2f}; {MOST_IN_ORDER} songs "
        f"{most / max(took):.0f} × as long"
    )


if __name__ == "__main__":
    setlists()
