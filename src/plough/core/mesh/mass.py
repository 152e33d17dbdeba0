"""Mass of solid bodies: how much, about which point, and how it resists being turned."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64

_CANONICAL = (np.ones((3, 3)) + np.eye(3)) / 120.0  # of the tetrahedron of the unit axes


@dataclass(frozen=True, slots=True)
class Mass:
    """Of a body."""

    mass: float  #: kg
    centre: Float64  #: (3,) metres
    inertia: Float64  #: (3, 3) kg m² about its centre, along the axes in which it is told


def mass_of(pieces: Sequence[Float32 | Float64], density: float) -> Mass:
    """Of convex pieces, as if they did not overlap.

    Args:
        pieces: each (n, 3) metres, corners.
        density: kg/m³.

    Raises:
        ValueError: there are none.
    """
    if not pieces:
        raise ValueError("no volume")
    tetrahedra = np.concatenate([_cut(np.asarray(p, np.float64)) for p in pieces])
    share = np.abs(np.linalg.det(tetrahedra[:, 1:] - tetrahedra[:, :1])) / 6.0
    total = float(share.sum())
    centre = (share[:, None] * tetrahedra.mean(axis=1)).sum(axis=0) / total
    # second moments of tetrahedra about the centre, one by one (Blow and Binstock 2004)
    at = tetrahedra - centre
    edges = at[:, 1:] - at[:, :1]
    low, mean = at[:, 0], edges.sum(axis=1) / 24.0
    about = np.einsum("kia,ij,kjb->kab", edges, _CANONICAL, edges)
    mixed = np.einsum("ka,kb->kab", low, mean)
    square = np.einsum("ka,kb->kab", low, low) / 6.0
    moment = (6.0 * share[:, None, None] * (about + mixed + mixed.transpose(0, 2, 1) + square)).sum(
        0
    )
    inertia = np.trace(moment) * np.eye(3) - moment
    return Mass(density * total, centre, density * inertia)


def _cut(points: Float64) -> Float64:
    """(t, 4, 3) tetrahedra that make up the hull of points (n, 3)."""
    from scipy.spatial import ConvexHull

    hull = ConvexHull(points)
    middle = points[hull.vertices].mean(axis=0)
    faces = points[hull.simplices]
    return np.concatenate([np.broadcast_to(middle, (len(faces), 1, 3)), faces], axis=1)
