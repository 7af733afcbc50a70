"""Points that lie together: many at one place cost no more than few."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from archimetra.geometry.arrays import FloatArray, IntArray

FINE = 8.0  # points within this part of the tolerance are looked at as one


def clusters(points: FloatArray, tolerance_mm: float) -> IntArray:
    """For each point (n, k) the number of its cluster: points within the tolerance of each other, or linked by such.

    Looked at on a grid of an eighth of the tolerance, so that a hundred thousand ends in one place are one.
    """
    if not len(points):
        return np.zeros(0, dtype=np.int64)
    cells, which = np.unique(np.round(points * (FINE / tolerance_mm)), axis=0, return_inverse=True)
    pairs = cKDTree(cells).query_pairs(FINE, output_type="ndarray")
    links = coo_matrix((np.ones(len(pairs), dtype=bool), (pairs[:, 0], pairs[:, 1])), shape=(len(cells), len(cells)))
    return np.asarray(connected_components(links, directed=False)[1])[which.ravel()]
