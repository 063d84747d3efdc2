"""Damped sinusoids in a short piece of sound, by a subspace fit.

Conventions
-----------
Real input at a low rate (decimated). Frequencies in Hz, decay rates γ in 1/s (amplitude falls as
exp(−γt)), amplitudes at the first sample.

Source: Roy & Kailath 1989 (ESPRIT); Hua & Sarkar 1990 for the damped case.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import eigh, hankel, lstsq

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class DampedSinusoid:
    """Hz, decay rate in 1/s, amplitude at the first sample, and energy within the window."""

    frequency_hz: float
    decay_rate: float
    amplitude: float
    energy: float


def fit_damped_sinusoids(
    window: Array, sample_rate_hz: float, *, count: int = 6
) -> list[DampedSinusoid]:
    """Fit up to ``count`` damped sinusoids.

    Parameters
    ----------
    window
        Real samples, shape (n,), n ≥ 16.
    sample_rate_hz
        Samples per second of the window.
    count
        How many sinusoids the model has; each takes two dimensions of the signal subspace.

    Returns
    -------
    sinusoids
        Those with a positive frequency and a believable decay, strongest first.
    """
    n = len(window)
    if n < 16 or not np.any(window):
        return []
    rows = n // 2
    matrix = hankel(window[:rows], window[rows - 1 :])
    # Left singular vectors from the small symmetric product: faster than the full SVD, and the
    # weakest vectors, where precision is lost, are not used.
    values, vectors = eigh(matrix @ matrix.T, check_finite=False)
    order = min(2 * count, int(np.count_nonzero(values > 1e-12 * values[-1])), rows - 1)
    if order < 2:
        return []
    signal = vectors[:, ::-1][:, :order]
    shift, *_ = lstsq(signal[:-1], signal[1:], check_finite=False)
    poles = np.linalg.eigvals(shift)
    poles = poles[(np.abs(poles) < 1.05) & (np.abs(poles) > 0.5)]
    if len(poles) == 0:
        return []
    basis = poles[None, :] ** np.arange(n)[:, None]
    amplitudes, *_ = lstsq(basis, window.astype(np.complex128), check_finite=False)
    found = []
    for pole, amplitude in zip(poles, amplitudes, strict=True):
        frequency = float(np.angle(pole)) * sample_rate_hz / (2.0 * np.pi)
        if frequency <= 1.0:
            continue
        size = 2.0 * float(np.abs(amplitude))
        energy = 0.5 * size**2 * float(np.sum(np.abs(pole) ** (2 * np.arange(n))))
        rate = -float(np.log(np.abs(pole))) * sample_rate_hz
        found.append(DampedSinusoid(frequency, rate, size, energy))
    return sorted(found, key=lambda s: -s.energy)
