"""Modes of small coupled problems, one by one or stacked."""

import numpy as np

from emblar.core.acoustics.basis import Array


def modes_of(stiffness: Array, mass: Array) -> tuple[Array, Array]:
    """Return ascending eigenvalues and vectors of unit mass of K v = λ M v.

    By the Cholesky factor of M; shapes (..., n, n) in, (..., n) and (..., n, n) out, columns are
    vectors.
    """
    lower = np.linalg.inv(np.linalg.cholesky(mass))
    turned = lower.swapaxes(-1, -2)
    values, vectors = np.linalg.eigh(lower @ stiffness @ turned)
    return values, turned @ vectors
