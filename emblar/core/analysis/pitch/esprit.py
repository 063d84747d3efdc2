"""Damped sinusoids in short pieces of sound, by a subspace fit, many pieces at once.

Conventions
-----------
Real input at a low rate (decimated). Frequencies in Hz, decay rates γ in 1/s (amplitude falls as
exp(−γt)), amplitudes at the first sample. Every piece of a batch has the same length.

Source: Roy & Kailath 1989 (ESPRIT); Hua & Sarkar 1990 for the damped case.
"""

from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

Array = NDArray[np.float64]
SHORTEST = 16
"""Samples of a piece at least."""
RIDGE = 1e-9
"""Added to the subspace's product, so that it can always be inverted."""
LARGEST_POLE = 1.05
SMALLEST_POLE = 0.5
"""Poles that grow faster, or die within two samples, are no partials."""


@dataclass(frozen=True, slots=True)
class Fits:
    """Sinusoids of each piece, shape (pieces, count); where ``used`` is False there is none."""

    frequency_hz: Array
    decay_rate: Array
    amplitude: Array
    energy: Array
    used: NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class DampedSinusoid:
    """Hz, decay rate in 1/s, amplitude at the first sample, and energy within the piece."""

    frequency_hz: float
    decay_rate: float
    amplitude: float
    energy: float


def fit_pieces(pieces: Array, sample_rate_hz: float, *, count: int = 6, rows: int = 0) -> Fits:
    """Fit up to ``count`` damped sinusoids to each piece.

    Parameters
    ----------
    pieces
        Real samples, shape (pieces, n), n ≥ 16.
    sample_rate_hz
        Samples per second.
    count
        How many sinusoids the model has; each takes two dimensions of the signal subspace.
    rows
        Length of the subspace's vectors; half of n if 0. Fewer are faster and less exact.
    """
    n = pieces.shape[1]
    rows = rows or n // 2
    order = min(2 * count, rows - 1)
    matrix = sliding_window_view(pieces, rows, axis=1)
    # Vectors from the small symmetric product: faster than a full decomposition, and the weakest
    # vectors, where precision is lost, are not used.
    product = matrix.transpose(0, 2, 1) @ matrix
    _, vectors = np.linalg.eigh(product)
    signal = vectors[:, :, : -order - 1 : -1]
    early, late = signal[:, :-1], signal[:, 1:]
    gram = early.transpose(0, 2, 1) @ early
    shift = np.linalg.solve(gram + RIDGE * np.eye(order), early.transpose(0, 2, 1) @ late)
    poles = np.linalg.eigvals(shift).astype(np.complex128)
    size = np.abs(poles)
    used = (size < LARGEST_POLE) & (size > SMALLEST_POLE)
    poles = np.where(used, poles, 0.0)
    amplitudes = _amplitudes(pieces, poles)
    size = np.maximum(np.abs(poles), 1e-12)
    length = 2.0 * np.abs(amplitudes)
    total = np.where(
        np.abs(size - 1.0) < 1e-9, float(n), (1.0 - size ** (2 * n)) / (1.0 - size**2 + 1e-300)
    )
    frequency = np.angle(poles) * sample_rate_hz / (2.0 * np.pi)
    return Fits(
        frequency,
        -np.log(size) * sample_rate_hz,
        length,
        0.5 * length**2 * total,
        used & (frequency > 1.0),
    )


def _amplitudes(pieces: Array, poles: NDArray[np.complex128]) -> NDArray[np.complex128]:
    """Return least-squares amplitudes of each piece's poles, shape (pieces, order)."""
    n = pieces.shape[1]
    basis = np.cumprod(
        np.concatenate(
            [np.ones((*poles.shape, 1)), np.repeat(poles[:, :, None], n - 1, axis=2)], axis=2
        ),
        axis=2,
    )
    # Every pole at unit length: next to one that grows, the others would drown in the ridge.
    length = np.linalg.norm(basis, axis=2)
    basis /= length[:, :, None]
    gram = basis.conj() @ basis.transpose(0, 2, 1) + RIDGE * np.eye(poles.shape[1])
    right = basis.conj() @ pieces[:, :, None].astype(np.complex128)
    return np.asarray(np.linalg.solve(gram, right)[:, :, 0] / length)


def fit_damped_sinusoids(
    window: Array, sample_rate_hz: float, *, count: int = 6
) -> list[DampedSinusoid]:
    """Fit one piece; return those with a positive frequency, strongest first.

    Parameters
    ----------
    window
        The piece, shape (n,).
    sample_rate_hz
        Sample rate, Hz.
    count
        How many partials at most.
    """
    if len(window) < SHORTEST or not np.any(window):
        return []
    fits = fit_pieces(np.asarray(window)[None, :], sample_rate_hz, count=count)
    result = [
        DampedSinusoid(
            float(fits.frequency_hz[0, i]),
            float(fits.decay_rate[0, i]),
            float(fits.amplitude[0, i]),
            float(fits.energy[0, i]),
        )
        for i in np.nonzero(fits.used[0])[0]
    ]
    return sorted(result, key=lambda s: -s.energy)
