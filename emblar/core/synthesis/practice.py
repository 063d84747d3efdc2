"""The practice drum: rods that nobody sees, a key that turns them, taps that sound.

It stands in for a drum and a microphone in the demo, in tests and in training. Nothing tells what
its rods are set to but its sound.

Conventions
-----------
Rods are numbered from 0 in order round the head. Turns are turns of the key, tightening positive.
A rod's turn stretches the film at its own place most, its neighbours' rim takes a share
(``hoop_sharing``); how much a turn does is drawn per head round the prior (``turn_efficiency``).
"""

import math
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from emblar.core.acoustics.basis import Array
from emblar.core.acoustics.coefficients import Coefficients, prior_coefficients
from emblar.core.acoustics.drum import Drum, Side
from emblar.core.acoustics.forward import Mode, predict
from emblar.core.acoustics.head import lug_pitch_from_tension, tension_from_lug_pitch
from emblar.core.acoustics.inverse import tension_per_turn
from emblar.core.acoustics.one_head import tapped_modes
from emblar.core.acoustics.uneven import rod_pitches_hz, split
from emblar.core.errors import DrumError
from emblar.core.synthesis.stroke import Noise, Partial, Samples, Voice, drum_voice, render_stroke

LOWEST_N_PER_M = 60.0
HIGHEST_FORCE = 4.0
TAP_LEVEL = 0.25
ROOM_NOISE = 2e-4


@dataclass(slots=True)
class PracticeDrum:
    """A drum with hidden rod tensions.

    Parameters
    ----------
    drum
        Shell, heads and dampers.
    tensions
        Tension at each rod in N/m per head, shape (rods,).
    efficiency
        What a turn does over the prior's, per head.
    offset_cents
        How far this drum lies from the model, as real ones do.
    seed
        Of its noises.
    """

    drum: Drum
    tensions: dict[Side, Array]
    efficiency: dict[Side, float]
    offset_cents: float = 0.0
    seed: int = 0
    _strokes: int = field(default=0, init=False)

    def turn(self, side: Side, rod: int, turns: float) -> None:
        """Turn one rod.

        Parameters
        ----------
        side
            ``"batter"`` or ``"reso"``.
        rod
            Which rod, from 0.
        turns
            Turns of the key, tightening positive.

        Raises
        ------
        DrumError
            There is no such rod or head.
        """
        tensions = self._rods(side)
        if not 0 <= rod < len(tensions):
            raise DrumError(f"rod: {rod} is outside 0 to {len(tensions) - 1} on the {side}.")
        k = prior_coefficients()
        per_turn = tension_per_turn(self.drum, side, k).value * self.efficiency[side]
        shares = np.zeros(len(tensions))
        sharing = k["hoop_sharing"]
        for step, share in ((0, 1.0), (1, sharing), (-1, sharing)):
            shares[(rod + step) % len(tensions)] += share
        # Each of n rods turned once adds what one turn of all adds.
        shares /= 1.0 + 2.0 * sharing
        moved = tensions + turns * per_turn * shares
        self.tensions[side] = np.maximum(moved, LOWEST_N_PER_M)

    def rod_pitches_hz(self, side: Side) -> Array:
        """Return the true lug pitch at each rod in Hz, shape (rods,).

        For whoever checks, not for who tunes.
        """
        return rod_pitches_hz(self._rods(side).tolist(), self._lug_hz(side))

    def tap(self, side: Side, rod: int, *, rate: int = 44100, seconds: float = 1.2) -> Samples:
        """Tap next to a rod with the other head silenced; returns samples of shape (n,).

        Parameters
        ----------
        side
            ``"batter"`` or ``"reso"``.
        rod
            Which rod, from 0.
        rate
            Sample rate, Hz.
        seconds
            How long to render, s.
        """
        tensions = self._rods(side)
        k = self._moved()
        modes = tapped_modes(self.drum, side, tensions.tolist(), rod % len(tensions), k)
        gains = np.array([10.0 ** (mode.level_db / 20.0) for mode in modes])
        gains *= TAP_LEVEL / gains.sum()
        partials = [
            Partial(mode.frequency_hz, mode.t60_s, float(gain))
            for mode, gain in zip(modes, gains, strict=True)
        ]
        partials.sort(key=lambda p: -p.amplitude)
        click = Noise(900.0, 6000.0, 0.05 * TAP_LEVEL, 0.0, 0.02)
        return self._sounding(Voice(tuple(partials), (click,), 2.0), rate, 1.0, seconds)

    def strike(self, *, force: float = 1.0, rate: int = 44100, seconds: float = 2.5) -> Samples:
        """Strike the drum, both heads ringing; returns samples of shape (n,).

        Parameters
        ----------
        force
            How hard, over a medium stroke.
        rate
            Sample rate, Hz.
        seconds
            How long to render, s.

        Raises
        ------
        DrumError
            The force is outside 0 to 4 medium strokes.
        """
        if not 0.0 < force <= HIGHEST_FORCE:
            raise DrumError(f"force: {force:g} is outside 0 to {HIGHEST_FORCE:g}.")
        reso = self._lug_hz("reso") if self.drum.reso is not None else None
        result = predict(self.drum, self._lug_hz("batter"), reso, coefficients=self._moved())
        batter = self._rods("batter").tolist()
        modes: list[Mode] = []
        for mode in result.modes:
            if mode.m == 0:
                modes.append(mode)
                continue
            pair = split(batter, mode.m, mode.frequency_hz)
            level = mode.level_db - 3.0
            modes += [
                replace(mode, frequency_hz=hz, level_db=level) for hz in (pair.low_hz, pair.high_hz)
            ]
        voice = drum_voice(replace(result, modes=tuple(modes)), self.drum.kind)
        return self._sounding(voice, rate, force, seconds)

    def _sounding(self, voice: Voice, rate: int, force: float, seconds: float) -> Samples:
        rng = np.random.default_rng([self.seed, self._strokes])
        self._strokes += 1
        out = ROOM_NOISE * rng.standard_normal(round(seconds * rate))
        force *= float(np.exp(rng.normal(0.0, 0.08)))
        sound = render_stroke(
            voice, sample_rate_hz=rate, force=force, rng=rng, length_s=seconds - 0.05
        )
        start = round(0.03 * rate)
        out[start : start + len(sound)] += sound[: len(out) - start]
        return np.asarray(out)

    def _rods(self, side: Side) -> Array:
        if side not in self.tensions:
            raise DrumError(f"side: this drum has no {side} head.")
        return self.tensions[side]

    def _lug_hz(self, side: Side) -> float:
        return lug_pitch_from_tension(
            self.drum, side, float(self._rods(side).mean()), self._moved()
        )

    def _moved(self) -> Coefficients:
        """Return coefficients under which this drum sounds as high as it does."""
        k = prior_coefficients()
        row = k.rows["film_tolerance"]
        by = (2.0 ** (-2.0 * self.offset_cents / 1200.0) - 1.0) * row.value / row.sd
        return _shifted(by) if by else k


@lru_cache(maxsize=64)
def _shifted(by: float) -> Coefficients:
    """Return the prior with another film, always the same object for the same number."""
    return prior_coefficients().shifted("film_tolerance", by_sd=by)


def practice_drum(
    drum: Drum, batter_hz: float, reso_hz: float | None, *, uneven: float, seed: int
) -> PracticeDrum:
    """Return a practice drum near two lug pitches, its rods uneven.

    Parameters
    ----------
    drum
        Shell, heads, dampers.
    batter_hz, reso_hz
        Mean lug pitches in Hz, the other head silenced.
    uneven
        Standard deviation of one rod's tension over the mean, 0 for perfectly even.
    seed
        Draws the unevenness, what a turn does, the offset from the model, and all noises.
    """
    rng = np.random.default_rng(seed)
    k = prior_coefficients()
    row = k.rows["turn_efficiency"]
    pitches: list[tuple[Side, float | None]] = [("batter", batter_hz), ("reso", reso_hz)]
    tensions: dict[Side, Array] = {}
    efficiency: dict[Side, float] = {}
    for side, pitch in pitches:
        if drum.film(side) is None or pitch is None:
            continue
        mean = tension_from_lug_pitch(drum, side, pitch, k)
        scatter = 1.0 + uneven * rng.standard_normal(drum.rods)
        tensions[side] = mean * np.maximum(scatter / scatter.mean(), 0.05)
        efficiency[side] = math.exp(float(rng.normal(0.0, 0.6 * row.sd / row.value)))
    offset = float(rng.normal(0.0, 25.0))
    return PracticeDrum(drum, tensions, efficiency, offset, seed)
