"""What a drum's own takes teach about it.

Conventions
-----------
Every uncertain coefficient is a standard normal deviation from its prior: x = value + sd·θ, or
value·exp(sd/value·θ) for losses, which are never negative; one more, the drum's own offset, is in
cents. Takes pull, the prior holds: least squares over (take − prediction)/sd and θ, whose Jacobian
at the end gives the posterior covariance (I + JᵀJ)⁻¹. Predictions carry that covariance.

Source: Gauss–Newton (Laplace) approximation of the Bayesian update; any text on inverse problems.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import least_squares

from emblar.core.acoustics.basis import Array
from emblar.core.acoustics.coefficients import Coefficient, Coefficients, prior_coefficients
from emblar.core.acoustics.drum import Drum, Kind
from emblar.core.acoustics.forward import Prediction, outline, predict
from emblar.core.notes import cents, spread_hz
from emblar.core.quantities import Measured

PITCH_NAMES = ("film_tolerance", "coating_mass", "outer_air_share", "edge_inset", "sound_speed")
LOSS_NAMES = ("film_loss", "edge_loss", "ply_rubbing_loss", "wires_resistance", "ring_resistance")
REPEATABILITY_CENTS = 12.0
"""How well a drum's pitch comes back at the same lug pitches (assumption)."""
SUSTAIN_MODEL_SD = 0.15
"""What the model's form leaves open in the log of a sustain, however well calibrated."""
STEP = 0.05


@dataclass(frozen=True, slots=True)
class MeasuredTuning:
    """One tuning of a drum as measured; lug pitches in Hz, pitch in Hz, sustain in s."""

    drum: Drum
    batter_hz: float
    reso_hz: float | None
    pitch: Measured | None = None
    sustain: Measured | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Calibration:
    """What a drum's takes taught: deviations in prior sds, their covariance, how many takes."""

    names: tuple[str, ...]
    deviations: Array
    covariance: Array
    takes: int
    kind: Kind = "tom"

    @property
    def offset_cents(self) -> float:
        """Return how far the drum lies above what the model says of its heads and air."""
        return float(self.deviations[-1] * _offset_sd(self.kind))

    def coefficients(self) -> Coefficients:
        """Return the coefficients as this drum's takes leave them, each with what is left of sd."""
        prior = prior_coefficients()
        left = np.sqrt(np.diag(self.covariance))
        rows = {**_moved(prior, self.names, self.deviations).rows}
        for name, share in zip(self.names, left, strict=False):
            rows[name] = replace(rows[name], sd=prior.rows[name].sd * float(share))
        return Coefficients(rows)

    def learned(self) -> dict[str, float]:
        """Return how much of what was uncertain of each coefficient the takes took away, 0 to 1."""
        left = np.diag(self.covariance)
        names = (*self.names, "offset")
        return {n: float(max(1.0 - v, 0.0)) for n, v in zip(names, left, strict=True)}

    def predict(self, drum: Drum, batter_hz: float, reso_hz: float | None) -> "Calibrated":
        """Predict a tuning of the drum, with the uncertainty that the takes leave.

        Parameters
        ----------
        drum
            The drum, as the model knows it.
        batter_hz
            Lug pitch of the batter, Hz.
        reso_hz
            Lug pitch of the reso, Hz; None without one.
        """
        k = self.coefficients()
        result = predict(drum, batter_hz, reso_hz, coefficients=k)
        rows = _rows(drum, batter_hz, reso_hz, self.names, self.deviations)
        spread = np.einsum("ij,jk,ik->i", rows, self.covariance, rows)
        first = np.einsum("ij,ij->i", rows, rows)
        variance = REPEATABILITY_CENTS**2
        pitch_sd = math.sqrt(float(spread[0]) + variance)
        sustain_sd = math.sqrt(float(spread[1]) + SUSTAIN_MODEL_SD**2)
        higher = 2.0 ** (self.offset_cents / 1200.0)
        hz = result.drum_pitch.value * higher
        modes = tuple(replace(m, frequency_hz=m.frequency_hz * higher) for m in result.modes)
        pitch = Measured(hz, spread_hz(hz, pitch_sd), "Hz")
        sustain = Measured(result.sustain.value, sustain_sd * result.sustain.value, "s")
        return Calibrated(
            replace(
                result,
                drum_pitch=pitch,
                drum_pitch_sd_cents=pitch_sd,
                sustain=sustain,
                modes=modes,
            ),
            measured_share={
                "pitch": float(1.0 - (spread[0] + variance) / (first[0] + variance)),
                "sustain": float(
                    1.0 - (spread[1] + SUSTAIN_MODEL_SD**2) / (first[1] + SUSTAIN_MODEL_SD**2)
                ),
            },
        )


@dataclass(frozen=True, slots=True)
class Calibrated:
    """A prediction, and how much of its prior uncertainty the drum's own takes took away."""

    prediction: Prediction
    measured_share: dict[str, float]


def _offset_sd(kind: Kind) -> float:
    return prior_coefficients().rows[f"{kind}_pitch_error"].sd


def _moved(k: Coefficients, names: Sequence[str], deviations: Array) -> Coefficients:
    rows: dict[str, Coefficient] = {**k.rows}
    for name, by in zip(names, deviations, strict=False):
        row = rows[name]
        if name in LOSS_NAMES:
            value = row.value * math.exp(float(by) * row.sd / row.value)
        else:
            value = row.value + float(by) * row.sd
        rows[name] = replace(row, value=value)
    return Coefficients(rows)


def _predicted(
    drum: Drum, batter_hz: float, reso_hz: float | None, names: Sequence[str], deviations: Array
) -> Array:
    """Return pitch in cents re 1 Hz and log sustain, shape (2,)."""
    result = outline(drum, batter_hz, reso_hz, _moved(prior_coefficients(), names, deviations))
    offset = float(deviations[-1]) * _offset_sd(drum.kind)
    return np.array([cents(result.drum_pitch_hz, 1.0) + offset, math.log(result.sustain_s)])


def _rows(
    drum: Drum, batter_hz: float, reso_hz: float | None, names: Sequence[str], deviations: Array
) -> Array:
    """Return what one prior sd of each coefficient does to pitch and log sustain, (2, θ)."""
    current = _predicted(drum, batter_hz, reso_hz, names, deviations)
    columns = []
    for index in range(len(deviations)):
        moved = deviations.copy()
        moved[index] += STEP
        columns.append((_predicted(drum, batter_hz, reso_hz, names, moved) - current) / STEP)
    return np.stack(columns, axis=1)


def calibrate(takes: Sequence[MeasuredTuning]) -> Calibration:
    """Update a drum's coefficients by its takes.

    Parameters
    ----------
    takes
        Of one drum; heads, dampers and tuning may differ from take to take. None is allowed: the
        result is the prior.
    """
    names = (*PITCH_NAMES, *LOSS_NAMES)
    size = len(names) + 1
    lug_sd = prior_coefficients().rows["lug_reading_error"].sd

    def off(deviations: Array) -> Array:
        rows: list[float] = []
        for take in takes:
            pitch, sustain = _predicted(take.drum, take.batter_hz, take.reso_hz, names, deviations)
            if take.pitch is not None:
                sd = cents(take.pitch.value + take.pitch.sd, take.pitch.value)
                sd = math.hypot(sd, lug_sd, REPEATABILITY_CENTS)
                rows.append((cents(take.pitch.value, 1.0) - pitch) / sd)
            if take.sustain is not None:
                sd = math.hypot(take.sustain.sd / take.sustain.value, SUSTAIN_MODEL_SD)
                rows.append((math.log(take.sustain.value) - sustain) / sd)
        return np.array([*rows, *deviations])

    result = least_squares(off, np.zeros(size), x_scale=1.0, max_nfev=20)
    jacobian = np.asarray(result.jac, np.float64)
    covariance = np.linalg.inv(jacobian.T @ jacobian)
    kind: Kind = takes[0].drum.kind if takes else "tom"
    return Calibration(names, np.asarray(result.x), np.asarray(covariance), len(takes), kind)
