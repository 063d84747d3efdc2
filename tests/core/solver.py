"""An independent solution: finite volumes of two films and the air column, in vacuo outside.

Axisymmetric cells in r and z; the pressure in the air and the displacement of both films are
unknowns of one sparse generalised eigenproblem. Shares no code with the model.
"""

from typing import Any

import numpy as np
from scipy.sparse import bmat, coo_matrix, csc_matrix, csr_matrix, diags
from scipy.sparse.linalg import LinearOperator, eigs, splu


def _radial(n: int, a: float) -> tuple[np.ndarray, np.ndarray, float]:
    edges = np.linspace(0.0, a, n + 1)
    return edges, np.pi * np.diff(edges**2), a / n


def _membrane_stiffness(n: int, a: float) -> csr_matrix:
    edges, _, dr = _radial(n, a)
    flux = 2.0 * np.pi * edges[1:-1] / dr
    main = np.zeros(n)
    main[:-1] += flux
    main[1:] += flux
    main[-1] += 2.0 * np.pi * a / (dr / 2.0)
    return diags([main, -flux, -flux], [0, 1, -1], format="csr")


def _air_stiffness(n: int, m: int, a: float, depth: float) -> csr_matrix:
    edges, areas, dr = _radial(n, a)
    dz = depth / m
    rows, cols, values = [], [], []

    def couple(i: int, j: int, k: float) -> None:
        rows.extend([i, j, i, j])
        cols.extend([i, j, j, i])
        values.extend([k, k, -k, -k])

    for z in range(m):
        for r in range(n):
            here = z * n + r
            if r + 1 < n:
                couple(here, here + 1, 2.0 * np.pi * edges[r + 1] * dz / dr)
            if z + 1 < m:
                couple(here, here + n, areas[r] / dz)
    return coo_matrix(
        (np.array(values), (np.array(rows), np.array(cols))), shape=(n * m, n * m)
    ).tocsr()


def axial_modes_hz(
    a: float,
    depth: float,
    tensions: tuple[float, float],
    densities: tuple[float, float],
    *,
    air: float = 1.2,
    speed: float = 343.5,
    near_hz: float,
    count: int = 3,
    cells: tuple[int, int] = (48, 40),
) -> np.ndarray:
    """Return the m = 0 frequencies nearest to ``near_hz``, ascending."""
    n, m = cells
    _, areas, _ = _radial(n, a)
    dz = depth / m
    film = _membrane_stiffness(n, a)
    volume = np.tile(areas, m) * dz
    area = diags(areas)
    pick_low = csr_matrix((np.ones(n), (np.arange(n), np.arange(n))), shape=(n, n * m))
    last = np.arange(n) + n * (m - 1)
    pick_high = csr_matrix((np.ones(n), (np.arange(n), last)), shape=(n, n * m))
    restoring: list[list[Any]] = [
        [_air_stiffness(n, m, a, depth), None, None],
        [-area @ pick_low, tensions[0] * film, None],
        [-area @ pick_high, None, tensions[1] * film],
    ]
    stiffness = bmat(restoring, format="csc")
    own = [diags((density + air * dz / 2.0) * areas) for density in densities]
    mass = bmat(
        [
            [diags(volume / speed**2), air * pick_low.T @ area, air * pick_high.T @ area],
            [None, own[0], None],
            [None, None, own[1]],
        ],
        format="csc",
    )
    # Shift and invert by hand: the mass matrix is not symmetric, which the library would assume.
    sigma = (2.0 * np.pi * near_hz) ** 2
    factor = splu(csc_matrix(stiffness) - sigma * csc_matrix(mass))
    size = stiffness.shape[0]
    inverse = LinearOperator((size, size), matvec=lambda x: factor.solve(mass @ x))
    found = sigma + 1.0 / eigs(inverse, count, return_eigenvectors=False)
    return np.sort(np.sqrt(np.maximum(found.real, 0.0)) / (2.0 * np.pi))
