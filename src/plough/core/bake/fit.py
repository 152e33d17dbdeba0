"""How well colliders stand for what is seen: how much of its surface they hold, and how much more room they take."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float64
from plough.core.collider import Capsule
from plough.core.kinds import Product
from plough.core.mesh.convex import holds
from plough.core.mesh.value import Mesh

POINTS = 4096  #: of the surface, that are looked at
NEAR = 0.02  #: metres beside a body, and the share of the thing's size, that still counts as held


@dataclass(frozen=True, slots=True)
class Fit:
    """Of one asset's colliders."""

    bodies: int
    cover: float  #: share of what is solid of its surface that lies in a body, or just beside
    volume: float | None  #: volume of the bodies over the mesh's, where that is closed


def fit_of(product: Product) -> Fit | None:
    """Measures the colliders of a product; None where it has none."""
    collider = product.collider
    if not collider.count:
        return None
    solid = [p for p in product.mesh.parts if not _cut_out(product, p.material)]
    mesh = product.mesh
    rows = np.concatenate(
        [np.arange(p.first, p.first + p.count) for p in solid] or [np.empty(0, np.int64)]
    )
    if not len(rows):
        return Fit(collider.count, 0.0, None)
    corners = mesh.positions.astype(np.float64)[mesh.indices[rows]]
    points = surface_points(corners, POINTS)
    low, high = mesh.bounds()
    near = NEAR * max(1.0, float(np.max(high - low)))
    held = np.zeros(len(points), bool)
    for piece in collider.pieces:
        held |= holds(piece, points, near)
    for capsule in collider.capsules:
        held |= _in_capsule(capsule, points, near)
    own = _volume(mesh, corners) if len(rows) == mesh.triangles else None
    volume = None if own is None else round(_bodies(product) / own, 3)
    return Fit(collider.count, round(float(held.mean()), 3), volume)


def _cut_out(product: Product, slot: str) -> bool:
    material = product.materials.get(slot)
    return material is not None and material.cutout


def surface_points(corners: Float64, many: int) -> Float64:
    """(many, 3) points spread evenly over triangles (t, 3, 3), always the same ones (additive recurrence, Roberts 2018)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    upto = np.cumsum(area)
    at = (np.arange(many) + 0.5) / many * upto[-1]
    row = np.minimum(np.searchsorted(upto, at), len(upto) - 1)
    u, v = (np.arange(1, many + 1) * [[0.7548776662466927], [0.5698402909980532]]) % 1.0
    over = u + v > 1.0
    u, v = np.where(over, 1.0 - u, u)[:, None], np.where(over, 1.0 - v, v)[:, None]
    points: Float64 = a[row] + u * (b - a)[row] + v * (c - a)[row]
    return points


def _in_capsule(capsule: Capsule, points: Float64, near: float) -> Bool:
    a, b = np.array(capsule.start), np.array(capsule.end)
    axis = b - a
    long = float(axis @ axis)
    t = np.clip((points - a) @ axis / long, 0.0, 1.0) if long else np.zeros(len(points))
    away = np.linalg.norm(points - a - t[:, None] * axis, axis=1)
    inside: Bool = away <= capsule.radius + near
    return inside


def _bodies(product: Product) -> float:
    """m³ of all bodies, as if they did not overlap."""
    from scipy.spatial import ConvexHull

    pieces = sum(ConvexHull(p.astype(np.float64)).volume for p in product.collider.pieces)
    rods = 0.0
    for c in product.collider.capsules:
        long = float(np.linalg.norm(np.subtract(c.end, c.start)))
        rods += np.pi * c.radius**2 * (long + 4.0 / 3.0 * c.radius)
    return float(pieces + rods)


def _volume(mesh: Mesh, corners: Float64) -> float | None:
    """m³ that a mesh encloses; None where it is not closed."""
    _, welded = np.unique(mesh.positions, axis=0, return_inverse=True)
    faces = welded.reshape(-1)[mesh.indices]
    ends = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    ends = ends[ends[:, 0] != ends[:, 1]]
    there, back = (np.sort(e[:, 0].astype(np.int64) << 32 | e[:, 1]) for e in (ends, ends[:, ::-1]))
    if not np.array_equal(there, back):
        return None
    volume = float(
        np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])).sum() / 6.0
    )
    return volume if volume > 0.0 else None
