"""A practice drum standing in for a drum of a kit, with the heads that the bench says are on it."""

import numpy as np

from emblar.core.acoustics.coefficients import prior_coefficients
from emblar.core.acoustics.drum import Side
from emblar.core.acoustics.head import tension_from_lug_pitch
from emblar.core.catalogue import SHIPPED
from emblar.core.planning.kit import model
from emblar.core.synthesis.practice import PracticeDrum
from emblar.platform.sound.encode import wav_bytes
from emblar.steps.bench.actions.state import Bench
from tests.recordings import RATE

SLACK_SHARE = 0.35
APART = 0.12


class DrumInTheRoom:
    """The drum that is tapped, struck and turned; nothing tells its tensions but its sound."""

    def __init__(
        self,
        now: Bench,
        seed: int,
        *,
        offset_cents: float = 0.0,
        slack: float = SLACK_SHARE,
        apart: float = APART,
    ) -> None:
        self.rng, self.slack, self.apart = np.random.default_rng(seed), slack, apart
        made: dict[Side, str] = {side: head.made for side, head in now.heads.items()}
        self.drum = model(SHIPPED, now.drum.owned, batter=made["batter"], reso=made.get("reso"))
        self.goals = {side: head.planned_hz for side, head in now.heads.items()}
        tensions = {side: self._slack(side) for side in made}
        strength = {side: float(self.rng.uniform(0.7, 1.4)) for side in made}
        self.hidden = PracticeDrum(self.drum, tensions, strength, offset_cents, seed)

    def _slack(self, side: Side) -> np.ndarray:
        k = prior_coefficients()
        goal = tension_from_lug_pitch(self.drum, side, self.goals[side], k)
        return goal * self.slack * (1.0 + self.apart * self.rng.standard_normal(self.drum.rods))

    def fit(self, now: Bench, side: Side) -> None:
        """Have the head on that the bench fitted just now, its rods finger-tight."""
        made: dict[Side, str] = {s: head.made for s, head in now.heads.items()}
        self.drum = self.hidden.drum = model(
            SHIPPED, now.drum.owned, batter=made["batter"], reso=made.get("reso")
        )
        self.hidden.tensions[side] = self._slack(side)

    def turn(self, side: Side, rod: int, turns: float) -> None:
        self.hidden.turn(side, rod, turns * (1.0 + 0.15 * float(self.rng.standard_normal())))

    def tap(self, side: Side, rod: int) -> bytes:
        return wav_bytes(self.hidden.tap(side, rod, rate=RATE, seconds=0.8), RATE)

    def taps(self, side: Side, rods: tuple[int, ...]) -> bytes:
        return wav_bytes(np.concatenate([self.hidden.tap(side, r, rate=RATE) for r in rods]), RATE)

    def strike(self) -> bytes:
        return wav_bytes(self.hidden.strike(rate=RATE), RATE)

    def off_cents(self, side: Side, goal_hz: float) -> np.ndarray:
        return 1200.0 * np.log2(self.hidden.rod_pitches_hz(side) / goal_hz)
