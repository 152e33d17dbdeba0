"""One closed skin over everything that stands in each other: a surface drawn at a distance from all of it and pulled back onto it.

Distances are known on a grid near the source (`plough.core.mesh.voxels`); the skin is where they are equal (marching cubes, Lewiner et al. 2003), so that
it is closed and does not cross itself. Its points then go back onto the source, edges are sharpened (after Kobbelt et al. 2001), and wherever a triangle
turns over or crosses another, its points go back towards where the grid put them, where nothing does.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt8
from plough.core.kernels import kernel, together
from plough.core.mesh.crossing import crossing
from plough.core.mesh.simplify import simplified
from plough.core.mesh.topology import edges_of
from plough.core.mesh.value import Mesh, Part
from plough.core.mesh.voxels import (
    Band,
    Grid,
    Nearest,
    band,
    grid_about,
    inside_votes,
    nearest_of,
    settled_votes,
    signed,
)
from plough.core.progress import Step, untold
from plough.core.vectors import lengths, normals_of, unit

_THIN = 0.9  # of a cell: all that has a surface is found at this distance
_SHELL = 0.6  # of a cell: how thick a sheet becomes
_RELAXED = 4  # times that points slide along the surface to where their neighbours are
_AGREED = 4  # times that points in a cleft go by their neighbours
_UPRIGHT = 0.1  # cosine between a triangle and the surface about it, at least
_SLIVER = 1e-4  # of a cell's face, the area of a triangle at least
_SPANS = 0.2  # of a cell from the source, where a skin spans a gap
_SNAP = 1.2  # of a cell that a point goes to an edge, at most
_TRIES = 8  # times that what turns over goes half the way back
_ASKEW = np.array([0.48, 0.64, 0.6])  # a direction that few faces are square to
_ONE = 0.01  # of a cell, that two points are apart at least
_ROUNDS = 20  # times that crossings are looked for
_FEWEST = 4  # triangles that a closed surface is of
_THINNED = 6  # times that triangles are thinned, where some come to cross
_FLAT = 0.004  # of a cell that a flat part departs from a plane, at most


@dataclass(frozen=True, slots=True)
class FuseRule:
    """How a skin is made; lengths in metres."""

    cell: float  #: between the points of the grid
    grow: float  #: gaps up to twice as wide are closed
    thin: bool  #: what is thinner than a cell is kept
    smooth: int  #: passes
    sharp: float  #: degrees between faces that meet in an edge, at least; none from 180 on
    flat: float  #: 0 to 1: how much fewer triangles are on flat parts
    triangles: int  #: at most about so many; 0: as many as there are


class Skin(NamedTuple):
    """A closed surface."""

    points: Float64  #: (p, 3) metres
    faces: Int64  #: (t, 3)
    away: Float64  #: (p,) metres from the source
    of: Int64  #: (t,) the nearest triangle of the source
    at: Int64  #: (p,) that of each point
    share: Float64  #: (p, 3) and how near to each of its corners, together 1
    greatest: float  #: metres from the source, over points and the middles of triangles
    mean: float


def fused(triangles: Float64, rule: FuseRule, told: Step = untold) -> Skin | None:
    """A skin over triangles.

    Args:
        triangles: (t, 3, 3) metres, of any number of bodies and sheets, which may stand in each other.
        rule: how.
        told: is told how far it is.

    Returns:
        None where nothing is left: all of it is thinner than a cell, and what is thin is dropped.
    """
    told(0.02, "Measuring distances")
    level = max(rule.grow, _THIN * rule.cell if rule.thin else 0.0)
    reach = level + 2.0 * rule.cell
    low, high = triangles.reshape(-1, 3).min(axis=0), triangles.reshape(-1, 3).max(axis=0)
    grid = grid_about(low, high, rule.cell, reach)
    found = band(triangles, grid, reach)
    told(0.2, "Telling inside from outside")
    votes = settled_votes(inside_votes(triangles, grid), found)
    told(0.3, "Drawing the skin")
    drawn = _drawn(found, votes, grid, level)
    if drawn is None:
        return None
    raw, faces = drawn
    told(0.45, "Pulling it back")
    facing, ends = _normals(raw, faces), edges_of(faces).ends
    about = _about(ends, len(raw))
    points = _relaxed(raw, about, facing)
    near = nearest_of(points, triangles, grid, found)
    back = _pulled(points, near, triangles, rule.cell)
    if level > 0:  # else it spans no gaps
        back = _agreed(points, back, about, rule.cell)
    points = _smoothed(back, about, rule.smooth)
    known = np.isfinite(nearest_of(points, triangles, grid, found).away)
    points = np.where(known[:, None], points, raw)
    pulled = points = _settled(raw, points, faces, facing, rule.cell)
    if rule.sharp < 180.0:
        told(0.55, "Sharpening edges")
        points = _sharpened(points, ends, triangles, grid, found, rule)
        points = _settled(pulled, points, faces, facing, rule.cell)
    points = _uncrossed(raw, pulled, points, faces, rule.cell, told)
    if rule.flat > 0 or rule.triangles:
        told(0.8, "Thinning triangles")
        points, faces = _thinned(points, faces, rule, told)
    told(0.95, "Measuring")
    return _measured(points, faces, triangles, grid, found)


def _drawn(found: Band, votes: UInt8, grid: Grid, level: float) -> tuple[Float64, Int64] | None:
    """Points and triangles of the surface at a distance."""
    from skimage.measure import marching_cubes

    field = signed(found, votes, grid, level)
    if not (field < 0).any():
        return None
    points, faces, _, _ = marching_cubes(field, 0.0, allow_degenerate=False)  # type: ignore[no-untyped-call]
    return points.astype(np.float64) * grid.cell + grid.origin, faces.astype(np.int64)


def _normals(points: Float64, faces: Int64) -> Float64:
    """(p, 3) unit normals of points, by area."""
    flat = normals_of(points, faces)
    corner = faces.reshape(-1)
    summed = [np.bincount(corner, np.repeat(flat[:, k], 3), len(points)) for k in range(3)]
    return unit(np.stack(summed, axis=1))


class _About(NamedTuple):
    """The points next to each."""

    start: Int64  #: (p + 1,) where those of each begin
    next: Int64  #: (2 e,)


@kernel
def _filled(ends: Int64, start: Int64, out: Int64) -> None:
    """The other end of each edge, by point; `start` is left where those of each end."""
    for e in range(ends.shape[0]):
        for k in range(2):
            p = ends[e, k]
            out[start[p]] = ends[e, 1 - k]
            start[p] += 1


def _about(ends: Int64, count: int) -> _About:
    start = np.zeros(count + 1, np.int64)
    np.cumsum(np.bincount(ends.reshape(-1), minlength=count), out=start[1:])
    out = np.empty(2 * len(ends), np.int64)
    _filled(ends, start[:-1].copy(), out)
    return _About(start, out)


@kernel
def _mean(values: Float64, start: Int64, near: Int64, p: int, out: Float64) -> None:
    """The mean of the neighbours of a point in `out` (3,)."""
    many = start[p + 1] - start[p]
    for c in range(3):
        total = 0.0
        for n in range(start[p], start[p + 1]):
            total += values[near[n], c]
        out[c] = total / max(many, 1)


@kernel
def _slid(
    points: Float64, facing: Float64, start: Int64, near: Int64, first: int, last: int, out: Float64
) -> None:
    mean = np.empty(3)
    for p in range(first, last):
        _mean(points, start, near, p, mean)
        along = 0.0
        for c in range(3):
            along += (mean[c] - points[p, c]) * facing[p, c]
        for c in range(3):
            out[p, c] = points[p, c] + 0.6 * (mean[c] - points[p, c] - along * facing[p, c])


@kernel
def _neared(
    way: Float64, cell: float, start: Int64, near: Int64, first: int, last: int, out: Float64
) -> None:
    mean = np.empty(3)
    for p in range(first, last):
        _mean(way, start, near, p, mean)
        apart = 0.0
        for c in range(3):
            apart += (way[p, c] - mean[c]) ** 2
        share = min(max(2.0 * math.sqrt(apart) / cell - 0.5, 0.0), 1.0)
        for c in range(3):
            out[p, c] = way[p, c] + share * (mean[c] - way[p, c])


@kernel
def _nearer(
    points: Float64, by: float, start: Int64, near: Int64, first: int, last: int, out: Float64
) -> None:
    mean = np.empty(3)
    for p in range(first, last):
        _mean(points, start, near, p, mean)
        for c in range(3):
            out[p, c] = points[p, c] + by * (mean[c] - points[p, c])


def _passed(step: Callable[..., None], values: Float64, told: Any, about: _About) -> Float64:
    """(p, 3) values after a kernel's pass over all points, half of them in each of two threads."""
    out, n = np.empty_like(values), len(values)
    halves = ((0, n // 2), (n // 2, n))
    together(*(partial(step, values, told, *about, first, last, out) for first, last in halves))
    return out


def _relaxed(points: Float64, about: _About, facing: Float64) -> Float64:
    """Points that have slid along the surface towards the middle of their neighbours."""
    for _ in range(_RELAXED):
        points = _passed(_slid, points, facing, about)
    return points


def _pulled(points: Float64, near: Nearest, triangles: Float64, cell: float) -> Float64:
    """Points on the source; behind a sheet they keep off it, so that it has two sides."""
    way = points - near.place
    long = lengths(way)
    way = way / np.maximum(long, 1e-12)[:, None]
    front = _planes(triangles, near.of)
    behind = np.clip(-2.0 * np.einsum("ij,ij->i", way, front) - 0.6, 0.0, 1.0)
    off = np.minimum(long, _SHELL * cell * behind)
    return np.where((near.of >= 0)[:, None], near.place + off[:, None] * way, points)


def _agreed(points: Float64, back: Float64, about: _About, cell: float) -> Float64:
    """Points pulled back, those in a cleft between two parts, which are drawn to either by turns, midway."""
    way = back - points
    for _ in range(_AGREED):
        way = _passed(_neared, way, cell, about)
    return points + way


def _smoothed(points: Float64, about: _About, passes: int) -> Float64:
    """Points smoothed without shrinking (Taubin 1995)."""
    for _ in range(passes):
        for by in (0.5, -0.53):
            points = _passed(_nearer, points, by, about)
    return points


def _sharpened(
    points: Float64, ends: Int64, triangles: Float64, grid: Grid, found: Band, rule: FuseRule
) -> Float64:
    """Points near an edge of the source on it: where the planes about them meet."""
    near = nearest_of(points, triangles, grid, found)
    normal = _planes(triangles, near.of)
    # beside a cleft, where it spans a gap, it is round
    outside = np.einsum("ij,ij->i", points - near.place, normal) > 0
    off = (near.of < 0) | (outside & (near.away > _SPANS * rule.cell))
    edge = _bent(ends, normal, off, math.cos(math.radians(rule.sharp)))
    rows = np.nonzero(edge)[0]
    matrix, right = _meeting(points, ends, normal, near.place, near.of, rows)
    solved = np.linalg.solve(matrix + 0.03 * np.eye(3), right[..., None])
    way = solved[..., 0].astype(np.float64)
    fits = lengths(way) < _SNAP * rule.cell
    out = points.copy()
    out[rows[fits]] += way[fits]
    return out


def _planes(triangles: Float64, of: Int64) -> Float64:
    """(n, 3) unit normals of those triangles; of any where there is none."""
    own = triangles[np.maximum(of, 0)]
    return unit(normals_of(own.reshape(-1, 3), np.arange(3 * len(own)).reshape(-1, 3)))


@kernel
def _bent(ends: Int64, normal: Float64, off: Bool, least: float) -> Bool:
    """(p,) points whose planes and a neighbour's bend by more than a cosine, none of them off."""
    bent, near_off = np.zeros(normal.shape[0], np.bool_), off.copy()
    for e in range(ends.shape[0]):
        a, b = ends[e, 0], ends[e, 1]
        dot = (
            normal[a, 0] * normal[b, 0] + normal[a, 1] * normal[b, 1] + normal[a, 2] * normal[b, 2]
        )
        if dot < least:
            bent[a] = bent[b] = True
        if off[a] or off[b]:
            near_off[a] = near_off[b] = True
    return bent & ~near_off


@kernel
def _meeting(
    points: Float64, ends: Int64, normal: Float64, place: Float64, of: Int64, rows: Int64
) -> tuple[Float64, Float64]:
    """Of some points the sums (n, 3, 3) and (n, 3) over their own and their neighbours' planes, whose solution is the way to where those meet."""
    row = np.full(points.shape[0], -1)
    for k in range(rows.shape[0]):
        row[rows[k]] = k
    matrix, right = np.zeros((rows.shape[0], 3, 3)), np.zeros((rows.shape[0], 3))
    many = ends.shape[0]
    for n in range(2 * many + rows.shape[0]):
        if n < 2 * many:
            a, b = ends[n % many, n // many], ends[n % many, 1 - n // many]
        else:
            a = b = rows[n - 2 * many]
        k = row[a]
        if k < 0 or of[b] < 0:
            continue
        lacks = 0.0
        for c in range(3):
            lacks += normal[b, c] * (place[b, c] - points[a, c])
        for i in range(3):
            right[k, i] += normal[b, i] * lacks
            for j in range(3):
                matrix[k, i, j] += normal[b, i] * normal[b, j]
    return matrix, right


@kernel
def _upright(points: Float64, faces: Int64, facing: Float64, cell: float, out: Bool) -> None:
    """Which triangles have an area and look the way that the surface does about them."""
    for t in range(faces.shape[0]):
        i, j, k = faces[t, 0], faces[t, 1], faces[t, 2]
        size, about, along = 0.0, 0.0, 0.0
        for c in range(3):
            d, e = (c + 1) % 3, (c + 2) % 3
            normal = (points[j, d] - points[i, d]) * (points[k, e] - points[i, e]) - (
                points[j, e] - points[i, e]
            ) * (points[k, d] - points[i, d])
            mean = facing[i, c] + facing[j, c] + facing[k, c]
            size += normal * normal
            about += mean * mean
            along += normal * mean
        size = math.sqrt(size)
        out[t] = size > _SLIVER * cell**2 and along > _UPRIGHT * size * math.sqrt(about)


def _settled(base: Float64, moved: Float64, faces: Int64, facing: Float64, cell: float) -> Float64:
    """Points as near to where they were moved to as lets no triangle turn over that did not before."""
    share, fine = np.ones(len(base)), np.empty(len(faces), bool)
    points = moved
    for k in range(2 * _TRIES):
        _upright(points, faces, facing, cell, fine)
        wrong = faces[~fine]
        wrong = np.unique(wrong[(share[wrong] > 0).any(axis=1)])
        if not len(wrong):
            break
        share[wrong] *= 0.5 if k < _TRIES else 0.0
        points = base + share[:, None] * (moved - base)
    return points


@kernel
def _meeting_others(points: Float64, far: Float64, order: Int64, by: float, out: Bool) -> None:
    """Marks points that lie no farther than that from others; `order` is theirs by how `far` they lie along a line."""
    for n in range(order.shape[0]):
        i = order[n]
        for m in range(n + 1, order.shape[0]):
            j = order[m]
            if far[j] - far[i] > by:
                break
            dx = points[j, 0] - points[i, 0]
            dy, dz = points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
            if dx * dx + dy * dy + dz * dz <= by * by:
                out[i] = out[j] = True


def _uncrossed(
    raw: Float64, pulled: Float64, points: Float64, faces: Int64, cell: float, told: Step
) -> Float64:
    """Points of which those that meet others, or whose triangles cross others, go back to where they were before, and at last to where nothing does."""
    # as exact as they will be written
    raw, pulled, points = (p.astype(np.float32).astype(np.float64) for p in (raw, pulled, points))
    for k in range(_ROUNDS):
        told(0.6 + 0.2 * k / _ROUNDS, "Looking for crossings")
        own = np.zeros(len(raw), bool)
        own[faces[crossing(points, faces)]] = True
        far = points @ _ASKEW
        _meeting_others(points, far, np.argsort(far, kind="stable"), _ONE * cell, own)
        if not own.any():
            return points
        # each time more of what is about them
        for _ in range(k // 2):
            own[faces[own[faces].any(axis=1)]] = True
        if k < 2:
            points[own] = pulled[own]
        elif k < 4:
            half = 0.5 * (pulled[own] + raw[own])
            points[own] = half.astype(np.float32)
        else:
            points[own] = raw[own]
    return raw


def _thinned(points: Float64, faces: Int64, rule: FuseRule, told: Step) -> tuple[Float64, Int64]:
    """With fewer triangles, none of which crosses another."""
    mesh = _plain(points, faces)
    told(0.82, "Thinning triangles")
    if rule.flat > 0:
        within = _FLAT * rule.cell * 10.0 ** (2.0 * rule.flat - 1.0)
        mesh = _fewer(mesh, _FEWEST, within, rule.cell)
    told(0.9, "Thinning triangles")
    if rule.triangles:
        mesh = _fewer(mesh, rule.triangles, np.inf, rule.cell)
    return mesh.positions.astype(np.float64), mesh.indices.astype(np.int64)


def coarser(skin: Skin, target: int, cell: float) -> Skin:
    """A skin with about so many triangles; what it was measured by comes from the nearest place of the finer one."""
    from scipy.spatial import cKDTree

    less = _fewer(_plain(skin.points, skin.faces), target, np.inf, cell)
    points, faces = less.positions.astype(np.float64), less.indices.astype(np.int64)
    _, near = cKDTree(skin.points).query(points)
    _, about = cKDTree(skin.points[skin.faces].mean(axis=1)).query(points[faces].mean(axis=1))
    return skin._replace(
        points=points,
        faces=faces,
        away=skin.away[near],
        of=skin.of[about],
        at=skin.at[near],
        share=skin.share[near],
    )


def _plain(points: Float64, faces: Int64) -> Mesh:
    n = len(points)
    return Mesh(
        points.astype(np.float32),
        np.tile(np.array([0, 1, 0], np.float32), (n, 1)),
        np.zeros((n, 2), np.float32),
        faces.astype(np.uint32),
        (Part("skin", 0, len(faces)),),
    )


def _fewer(mesh: Mesh, target: int, within: float, cell: float) -> Mesh:
    """With fewer triangles, as `simplified`; what would come to cross stays as it was."""
    points = mesh.positions.astype(np.float64)
    held = np.zeros(len(points), bool)
    for k in range(_THINNED):
        less = simplified(mesh, target, within, held)
        found, ends = less.positions.astype(np.float64), less.indices.astype(np.int64)
        wrong = crossing(found, ends)
        if not wrong.any():
            return less
        corners = found[ends[wrong]]
        places = np.concatenate([corners.reshape(-1, 3), corners.mean(axis=1)])
        held |= _near(points, places, (2.0 + k) * cell)
    return mesh


def _near(points: Float64, places: Float64, far: float) -> Bool:
    """(p,) which points are no farther than that from one of some places."""
    from scipy.spatial import cKDTree

    away, _ = cKDTree(places).query(points, distance_upper_bound=far)
    return np.asarray(np.isfinite(away))


def _measured(points: Float64, faces: Int64, triangles: Float64, grid: Grid, found: Band) -> Skin:
    a, b, c = (points[faces[:, k]] for k in range(3))
    area = 0.5 * lengths(normals_of(points, faces))
    own = _known(points, triangles, grid, found)
    middle = _known((a + b + c) / 3.0, triangles, grid, found)
    # large triangles are measured all over
    wide = np.maximum(np.maximum(lengths(b - a), lengths(c - b)), lengths(a - c))
    large = np.nonzero(wide > 1.5 * grid.cell)[0]
    s, t = (v.ravel() / 5.0 for v in np.meshgrid(np.arange(6), np.arange(6)))
    s, t = s[s + t <= 1.0], t[s + t <= 1.0]
    spots = a[large, None] + s[:, None] * (b - a)[large, None] + t[:, None] * (c - a)[large, None]
    over = _known(spots.reshape(-1, 3), triangles, grid, found).away
    each = middle.away.copy()
    each[large] = over.reshape(len(large), len(s)).mean(axis=1)
    return Skin(
        points,
        faces,
        own.away,
        middle.of,
        own.of,
        _shares(own.place, triangles, own.of),
        float(max(own.away.max(), middle.away.max(), over.max(initial=0.0))),
        float((each * area).sum() / max(area.sum(), 1e-30)),
    )


@kernel
def _shares(places: Float64, triangles: Float64, of: Int64) -> Float64:
    """(n, 3) barycentric coordinates of places in those of the triangles (t, 3, 3)."""
    out, n = np.empty(places.shape), np.empty(3)
    for p in range(places.shape[0]):
        own, whole = triangles[of[p]], 0.0
        for c in range(3):
            d, e = (c + 1) % 3, (c + 2) % 3
            n[c] = (own[1, d] - own[0, d]) * (own[2, e] - own[0, e])
            n[c] -= (own[1, e] - own[0, e]) * (own[2, d] - own[0, d])
            whole += n[c] * n[c]
        v, w = 0.0, 0.0
        for c in range(3):
            d, e = (c + 1) % 3, (c + 2) % 3
            x, y = places[p, d] - own[0, d], places[p, e] - own[0, e]
            v += n[c] * (x * (own[2, e] - own[0, e]) - y * (own[2, d] - own[0, d]))
            w += n[c] * ((own[1, d] - own[0, d]) * y - (own[1, e] - own[0, e]) * x)
        v, w = v / max(whole, 1e-30), w / max(whole, 1e-30)
        out[p] = min(max(1.0 - v - w, 0.0), 1.0), min(max(v, 0.0), 1.0), min(max(w, 0.0), 1.0)
        out[p] /= out[p, 0] + out[p, 1] + out[p, 2]
    return out


def _known(points: Float64, triangles: Float64, grid: Grid, found: Band) -> Nearest:
    """As `nearest_of`, on ever coarser grids for points that are too far away for that."""
    near = nearest_of(points, triangles, grid, found)
    cell = grid.cell
    while not np.isfinite(near.away).all():
        rows = np.nonzero(~np.isfinite(near.away))[0]
        cell *= 3.0
        corners = np.concatenate([triangles.reshape(-1, 3), points[rows]])
        coarse = grid_about(corners.min(axis=0), corners.max(axis=0), cell, 4.0 * cell)
        more = nearest_of(points[rows], triangles, coarse, band(triangles, coarse, 4.0 * cell))
        for mine, theirs in zip(near, more, strict=True):
            mine[rows] = theirs
    return near
