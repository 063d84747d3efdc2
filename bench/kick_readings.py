"""Which note does a rendered kick have? ``python -m bench.kick_readings [--kicks N] [--seed S]``.

Random kicks over size, depth, heads, damping, port, front on or off, relation and tension, struck
once and measured like a recording. *Told*: what is planned for lies within ``NEAR_CENTS`` of the
true note. *Asked*: another of the readings that a person may choose does. *Missed*: none does.
"""

import argparse
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from emblar.core.acoustics.forward import predict
from emblar.core.analysis.pipeline import analyse
from emblar.core.analysis.signal.audio import Audio
from emblar.core.catalogue import SHIPPED
from emblar.core.notes import cents
from emblar.core.planning.kick_window import kick_window
from emblar.core.planning.kit import OwnedDrum, model
from emblar.core.planning.target import readings
from emblar.core.synthesis.stroke import drum_voice, render_stroke

RATE = 44100
NEAR_CENTS = 50.0
STEPS_UP = 12
LOWEST_HZ = 34.0
"""No kick is tuned to a lower note; what comes out lower is tuned up."""
SIZES = ((18.0, 14.0), (20.0, 16.0), (22.0, 16.0), (22.0, 20.0), (24.0, 14.0), (26.0, 14.0))
PORTS = (None, None, 4.0, 5.0, 6.0, 8.0)


@dataclass(frozen=True, slots=True)
class Kick:
    """One kick: its note and what was read of it."""

    says: str
    true_hz: float
    read_hz: tuple[float, ...]

    @property
    def outcome(self) -> str:
        """Return ``told``, ``asked`` or ``missed``."""
        near = [abs(cents(hz, self.true_hz)) < NEAR_CENTS for hz in self.read_hz]
        if near[:1] == [True]:
            return "told"
        return "asked" if any(near) else "missed"


def kick(seed: int) -> Kick:
    """Render and read one random kick."""
    rng = np.random.default_rng([31, seed])
    diameter, depth = SIZES[int(rng.integers(len(SIZES)))]
    batter = str(rng.choice([c.id for c in SHIPPED.constructions_for("kick", "batter")]))
    reso = str(
        rng.choice([c.id for c in SHIPPED.constructions_for("kick", "reso") if not c.hole_in])
    )
    front = rng.random() > 0.12
    owned = OwnedDrum(
        "Kick",
        "kick",
        diameter,
        depth,
        10,
        "wood",
        "maple-lacquer",
        batter,
        reso if front else None,
        PORTS[int(rng.integers(len(PORTS)))] if front else None,
    )
    free = [d.id for d in SHIPPED.dampers_for("kick") if d.side == "batter" or front]
    count = int(rng.choice([0, 1, 1, 2]))
    on_it = tuple(str(d) for d in rng.choice(free, count, replace=False))
    drum = model(SHIPPED, owned, dampers=on_it)
    window = kick_window(diameter)
    lug = float(window.low_hz * (window.high_hz / window.low_hz) ** rng.uniform(0.15, 0.95))
    above = float(rng.integers(0, 5))
    for _ in range(STEPS_UP):
        prediction = predict(drum, lug, lug * 2.0 ** (above / 12.0) if front else None)
        voice = drum_voice(prediction, "kick")
        if voice.settled_hz() >= LOWEST_HZ:
            break
        lug *= 1.08
    stroke = render_stroke(voice, sample_rate_hz=RATE, force=1.0, rng=rng, length_s=3.0)
    sound = np.concatenate([np.zeros(RATE // 5), 0.5 * stroke, np.zeros(RATE // 10)])
    sound += 1e-5 * rng.standard_normal(len(sound))
    result = analyse(Audio(sound[:, None], RATE), kind="hit", voice="kick").voices
    rows = readings(result[0]) if result else []
    ordered = sorted(rows, key=lambda r: not r.planned)
    port = f", port {owned.port_in:g}" if owned.port_in else "" if front else ", no front"
    says = f"{diameter:g} × {depth:g} {batter}{port}, {' + '.join(on_it) or 'bare'}, lug {lug:.0f}"
    return Kick(says, voice.settled_hz(), tuple(r.hz for r in ordered))


def main() -> None:
    """Print how many kicks are told, asked and missed, and which are missed."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--kicks", type=int, default=100)
    parser.add_argument("--seed", type=int, default=0)
    arguments = parser.parse_args()
    with ProcessPoolExecutor(2) as pool:
        rows = list(pool.map(kick, range(arguments.seed, arguments.seed + arguments.kicks)))
    count = Counter(row.outcome for row in rows)
    print(
        f"{arguments.kicks} kicks: {count['told']} told, {count['asked']} asked, "
        f"{count['missed']} missed"
    )
    for row in rows:
        if row.outcome == "missed":
            read = ", ".join(f"{hz:.1f}" for hz in row.read_hz) or "nothing"
            print(f"  {row.true_hz:.1f} Hz read as {read}: {row.says}")


if __name__ == "__main__":
    main()
