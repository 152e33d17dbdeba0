"""Standing clear of the ground: a thing is tilted and lifted until its mesh cuts the surface nowhere."""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation

from plough.core.arrays import Float64
from plough.core.ground.surface import Surface
from plough.core.ground.triangles import TriangleSurface
from plough.core.mesh.value import Mesh
from plough.core.vectors import rotations

CLEAR = 0.004  #: metres that the mesh stays above the surface
_GRID = 24  # places a side beneath a thing, where the ground is asked
_CLOSER, _TIGHTEST = 4, 6  # times that it is asked again, twice as close, about the tightest places
_ABOUT = np.stack(np.meshgrid(*2 * [np.arange(-2, 3) / 2.0]), axis=2).reshape(1, -1, 2)
_TILTS = (0.0, 0.25, 0.5, 0.75, 1.0)  # of the way to the slope beneath it
_MOST_TILT = 0.9  # length of the level part of what is up, at most: about 64 degrees


def stand_clear(
    mesh: Mesh, at: Float64, turn: float, up: Float64, scale: Float64, surface: Surface, lift: float
) -> tuple[Float64, float]:
    """What is up for a thing (2,), east and south, and metres of its foot above the ground, so that it is clear of it.

    It is tilted towards the slope beneath it as far as that lets it stand lowest; one that is clear as it stands is not changed.

    Args:
        mesh: of the thing, in its own coordinates.
        at: (2,) metres east and south.
        turn: radians clockwise from north.
        up: (2,) as it stands now.
        scale: (3,)
        lift: metres of its foot above the ground, as it stands now.
    """
    foot = surface.sample(at[:1], at[1:])
    if not foot.hit[0]:
        return up, lift
    ground = float(foot.position[0, 1])
    now = _needed(mesh, at, turn, up, scale, surface) - ground
    if now <= lift + 0.5 * CLEAR:
        return up, lift
    slope = _slope(mesh, at, turn, up, scale, surface)
    best, level = now, up
    for share in _TILTS:
        tilted = up + share * (slope - up)
        need = _needed(mesh, at, turn, tilted, scale, surface) - ground
        if need < best - 1e-3:
            best, level = need, tilted
    return level, max(best, lift if level is up else best)


def _posed(mesh: Mesh, turn: float, up: Float64, scale: Float64) -> Float64:
    """(n, 3) the mesh's corners about its foot, as it stands."""
    q = rotations(np.array([turn]), up[None])[0].astype(np.float64)
    return np.asarray(Rotation.from_quat(q).apply(mesh.positions.astype(np.float64) * scale))


def _needed(
    mesh: Mesh, at: Float64, turn: float, up: Float64, scale: Float64, surface: Surface
) -> float:
    """Metres of height that its foot needs for the mesh to be clear of the surface."""
    corners = _posed(mesh, turn, up, scale)
    x, z = at[0] + corners[:, 0], at[1] + corners[:, 2]
    under = surface.sample(np.ascontiguousarray(x), np.ascontiguousarray(z))
    need = np.where(under.hit, under.position[:, 1] - corners[:, 1], -np.inf).max(initial=-np.inf)
    # between its corners the ground may rise into a face: rays from below find the faces
    low, high = corners.min(axis=0), corners.max(axis=0)
    body = TriangleSurface(
        Mesh(corners.astype(np.float32), mesh.normals, mesh.uv0, mesh.indices, mesh.parts)
    )
    sides = [np.linspace(low[k], high[k], _GRID) for k in (0, 2)]
    place = np.stack([g.ravel() for g in np.meshgrid(*sides)], axis=1)
    spacing = (high - low)[[0, 2]] / (_GRID - 1)
    for _ in range(_CLOSER + 1):
        start = np.stack([place[:, 0], np.full(len(place), low[1] - 1.0), place[:, 1]], axis=1)
        far = body.cast(start, np.tile([0.0, 1.0, 0.0], (len(start), 1))).distance
        there = surface.sample(at[0] + place[:, 0], at[1] + place[:, 1])
        met = np.isfinite(far) & there.hit
        faces = np.where(met, there.position[:, 1] - start[:, 1] - far, -np.inf)
        need = max(need, float(faces.max(initial=-np.inf)))
        # once more about where it is tightest
        tightest = place[np.argsort(-faces, kind="stable")[:_TIGHTEST]]
        place = (tightest[:, None] + _ABOUT * spacing).reshape(-1, 2)
        spacing = spacing / 2
    return float(need) + CLEAR


def _slope(
    mesh: Mesh, at: Float64, turn: float, up: Float64, scale: Float64, surface: Surface
) -> Float64:
    """(2,) east and south parts of what is square to the plane that fits the ground beneath it best."""
    corners = _posed(mesh, turn, up, scale)
    low, high = corners.min(axis=0), corners.max(axis=0)
    east, south = (
        g.ravel() for g in np.meshgrid(*(np.linspace(low[k], high[k], 12) for k in (0, 2)))
    )
    found = surface.sample(at[0] + east, at[1] + south)
    rows = np.stack([east, south, np.ones(len(east))], axis=1)[found.hit]
    if len(rows) < 3:
        return up
    (a, b, _), *_ = np.linalg.lstsq(rows, found.position[found.hit, 1], rcond=None)
    normal = np.array([-a, -b]) / np.sqrt(1.0 + a * a + b * b)
    long = float(np.hypot(*normal))
    return np.asarray(normal * min(1.0, _MOST_TILT / max(long, 1e-9)))
