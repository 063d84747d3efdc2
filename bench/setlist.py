"""Songs on one kit: the order found against the order as it comes: ``python -m bench.setlist``."""

import time

from emblar.core.evening.setlist import MOST_IN_ORDER, plan_setlist
from tests.core.evening.test_setlist import case

SONGS, DRUMS, OFFERS, SEEDS = 6, 5, 6, 5


def setlists() -> None:
    """Print the time of six and of the most songs, and what the best order saves."""
    took, saved = [], []
    for seed in range(SEEDS):
        drums, songs = case(seed, SONGS, DRUMS, OFFERS)
        began = time.perf_counter()
        free = plan_setlist(drums, songs, free_order=True)
        took.append(time.perf_counter() - began)
        saved.append(free.score / plan_setlist(drums, songs, free_order=False).score)
    drums, songs = case(0, MOST_IN_ORDER, DRUMS, OFFERS)
    began = time.perf_counter()
    plan_setlist(drums, songs, free_order=True)
    most = time.perf_counter() - began
    print(
        f"setlist of {SONGS} songs × {DRUMS} drums: {max(took):.2f} s at most (limit 3 s); cost "
        f"over that of the order as it came {sum(saved) / SEEDS:.2f}; {MOST_IN_ORDER} songs "
        f"{most / max(took):.0f} × as long"
    )


if __name__ == "__main__":
    setlists()
