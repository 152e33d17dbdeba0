"""Roofs over outlines of any form, each edge with a slope of its own."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.house.wavefront import DONE, ENDLESS, LOST, OUTSIDE, Planes, grown
from plough.core.kernels import kernel

LADDER = (
    (1e-5, 0.0),
    (1e-7, 0.0),
    (1e-4, 0.0),
    (1e-5, 1e-5),
    (1e-5, 1e-4),
    (1e-6, 3e-4),
    (1e-5, 1e-3),
)
"""Tried one after another: metres that count as one place, and metres that edges are moved by so that fewer things happen at once."""
_ONE = 4e-4  # metres, that nodes are apart at least
_STRAIGHT = 1e-4  # radians, that a corner bends at least
_SUMMED = 1e-3  # of the outline's area, that the plan of all faces may differ from it


class Piece(NamedTuple):
    """A part of an edge's slope."""

    begins: float  #: metres above the eaves
    speed: float  #: metres inwards for each metre up: 0 stands upright


class Face(NamedTuple):
    """A plane part of a roof."""

    edge: int  #: of the outline; -1 for what is flat on top
    piece: int  #: of the edge's slope, the lowest 0
    speed: float
    rings: list[Int64]  #: nodes, counter-clockwise from above; holes clockwise


@dataclass(frozen=True, slots=True, eq=False)
class Roof:
    """What lies over an outline."""

    nodes: Float64  #: (n, 3) metres east, north and up
    faces: list[Face]

    @property
    def height(self) -> float:
        """Metres from the lowest to the highest."""
        return float(np.ptp(self.nodes[:, 2])) if len(self.nodes) else 0.0


@kernel
def area_of(ring: Float64) -> float:
    """Square metres within a ring (n, 2), below 0 where it is clockwise."""
    total, n = 0.0, ring.shape[0]
    for k in range(n):
        m = k + 1 if k + 1 < n else 0
        total += ring[k, 0] * ring[m, 1] - ring[k, 1] * ring[m, 0]
    return 0.5 * total


def normals_of(ring: Float64) -> tuple[Float64, Float64]:
    """(n, 2) unit normals to the left of the edges from each corner to the next, and (n,) their lengths."""
    way = np.concatenate([ring[1:], ring[:1]]) - ring
    long = np.hypot(way[:, 0], way[:, 1])
    way = way / np.maximum(long, 1e-12)[:, None]
    return np.stack([-way[:, 1], way[:, 0]], axis=1), long


def roof_over(
    rings: list[Float64], slopes: list[list[Piece]], low: float = 0.0, top: float = math.inf
) -> Roof | str:
    """A roof over an outline.

    Args:
        rings: (n, 2) corners in metres: the outline counter-clockwise, then courtyards clockwise.
        slopes: of each edge, over all rings: its pieces, the lowest first.
        low: metres up where it begins.
        top: where it is cut flat.

    Returns:
        The roof, its faces planar and together without gap or overlap from above; or why there is none.
    """
    rings, of = _straightened(rings)
    slopes = [slopes[e] for e in of]
    wanted = sum(area_of(r) for r in rings)
    ended = 0
    for k, (near, jitter) in enumerate(LADDER):
        roof, ended = _tried(rings, slopes, low, top, near, jitter, k)
        if roof is not None and abs(_plan(roof) - wanted) <= _SUMMED * wanted:
            return Roof(
                roof.nodes,
                [f._replace(edge=of[f.edge]) if f.edge >= 0 else f for f in roof.faces],
            )
    if ended in (DONE, LOST):
        return "its outline is too intricate: set corners a little further apart"
    return (
        "it never closes: give more edges a slope"
        if ended == ENDLESS
        else "two edges in one line have different slopes: make them alike"
    )


def _straightened(rings: list[Float64]) -> tuple[list[Float64], list[int]]:
    """Rings without corners at which nothing bends, and of each edge that is left the first of those that it was."""
    out, of, first = [], [], 0
    for ring in rings:
        way = np.roll(ring, -1, axis=0) - ring
        come = np.roll(way, 1, axis=0)
        turn = np.arctan2(come[:, 0] * way[:, 1] - come[:, 1] * way[:, 0], (come * way).sum(axis=1))
        keep = np.nonzero(np.abs(turn) > _STRAIGHT)[0]
        out.append(ring[keep])
        of += [first + int(k) for k in keep]
        first += len(ring)
    return out, of


def _tried(
    rings: list[Float64],
    slopes: list[list[Piece]],
    low: float,
    top: float,
    near: float,
    jitter: float,
    attempt: int,
) -> tuple[Roof | None, int]:
    starts, afters, firsts = [], [], []
    normal: list[Float64] = []
    level: list[float] = []
    speed: list[float] = []
    begins: list[float] = []
    ends: list[float] = []
    own: list[tuple[int, int]] = []
    edge = count = 0
    for ring in rings:
        n = len(ring)
        normals, _ = normals_of(ring)
        # a cheap hash of edge and attempt, the same everywhere
        by = np.modf(np.sin((np.arange(n) + edge + 1) * 12.9898 + attempt) * 43758.5453)[0]
        offset = np.einsum("ij,ij->i", normals, ring) + jitter * by
        before = np.roll(np.arange(n), 1)
        starts.append(_crossings(normals[before], offset[before], normals, offset, ring))
        afters.append(np.roll(np.arange(n), -1) + count)
        count += n
        for e in range(n):
            firsts.append(len(level))
            at, height = float(offset[e]), low
            pieces = slopes[edge]
            for k, piece in enumerate(pieces):
                until = pieces[k + 1].begins + low if k + 1 < len(pieces) else math.inf
                normal.append(normals[e])
                level.append(at)
                speed.append(piece.speed)
                begins.append(height)
                ends.append(until)
                own.append((edge, k))
                if until < math.inf:
                    at, height = at + piece.speed * (until - height), until
            edge += 1
    planes = Planes(
        np.array(normal),
        np.array(level),
        np.array(speed),
        np.array(begins),
        np.array(ends),
    )
    ended, nodes, arcs = grown(
        np.concatenate(starts), np.concatenate(afters), np.array(firsts), planes, low, top, near
    )
    if ended != DONE:
        return None, ended
    faces: list[Face] = []
    for k, loops in _loops(nodes, arcs, len(level)).items():
        if loops is None:
            return None, ended
        e, row = own[k] if k < len(own) else (-1, 0)
        faces.append(Face(e, row, math.inf if e < 0 else speed[k], loops))
    return _welded(Roof(nodes, faces)), ended


def _welded(roof: Roof) -> Roof:
    """A roof whose nodes that all but lie on each other are one."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    n = len(roof.nodes)
    pairs = cKDTree(roof.nodes).query_pairs(_ONE, output_type="ndarray")
    if not len(pairs):
        return roof
    near = coo_array((np.ones(len(pairs)), pairs.T), shape=(n, n))
    count, of = connected_components(near, directed=False)
    first = np.full(count, n)
    np.minimum.at(first, of, np.arange(n))
    own = first[of]
    faces = []
    for face in roof.faces:
        rings = [_without_repeats(own[ring].tolist()) for ring in face.rings]
        kept = [np.array(r) for r in rings if len(r) > 2]
        if kept:
            faces.append(face._replace(rings=kept))
    return Roof(roof.nodes, faces)


def _without_repeats(ring: list[int]) -> list[int]:
    """A ring without corners that follow themselves, or ways there and back again."""
    out: list[int] = []
    for k in ring:
        if out and out[-1] == k:
            continue
        if len(out) > 1 and out[-2] == k:
            out.pop()
            continue
        out.append(k)
    while len(out) > 1 and out[0] == out[-1]:
        out.pop()
    while len(out) > 2 and (out[1] == out[-1] or out[0] == out[-2]):
        # the spike is where the ring begins
        out = out[1:-1] if out[1] == out[-1] else out[:-2]
    return out


def _crossings(n: Float64, a: Float64, m: Float64, b: Float64, corner: Float64) -> Float64:
    """(k, 2) where lines n x = a and m x = b cross; where they run alike, the corner between them."""
    whole = n[:, 0] * m[:, 1] - n[:, 1] * m[:, 0]
    fine = np.abs(whole) > 1e-6
    safe = np.where(fine, whole, 1.0)
    x = (a * m[:, 1] - b * n[:, 1]) / safe
    y = (n[:, 0] * b - m[:, 0] * a) / safe
    return np.where(fine[:, None], np.stack([x, y], axis=1), corner)


def _loops(nodes: Float64, arcs: Int64, planes: int) -> dict[int, list[Int64] | None]:
    """Of each plane the closed ways round its parts; None where one does not close."""
    sides: dict[int, dict[int, list[int]]] = {}
    for a, b, left, right in arcs.tolist():
        if left != OUTSIDE:
            sides.setdefault(left, {}).setdefault(a, []).append(b)
        if right != OUTSIDE:
            sides.setdefault(right, {}).setdefault(b, []).append(a)
    out: dict[int, list[Int64] | None] = {}
    for plane in sorted(sides):
        out[plane] = _walked(sides[plane], nodes)
    return out


def _walked(after: dict[int, list[int]], nodes: Float64) -> list[Int64] | None:
    # a way there and back again encloses nothing
    for a in list(after):
        for b in list(after[a]):
            if a in after.get(b, ()) and b in after[a]:
                after[a].remove(b)
                after[b].remove(a)
    loops = []
    for first in sorted(after):
        while after[first]:
            ring, at = [first], after[first].pop()
            while at != first:
                onward = after.get(at)
                if not onward:
                    return None
                ring.append(at)
                at = onward.pop(_sharpest(ring[-2], at, onward, nodes) if len(onward) > 1 else 0)
            if len(ring) > 2:
                loops.append(np.array(ring))
    return loops


def _sharpest(before: int, at: int, onward: list[int], nodes: Float64) -> int:
    """Which way on turns most to the left, so that a face is left as soon as it can be."""
    back = math.atan2(*(nodes[before, :2] - nodes[at, :2])[::-1])
    turns = [
        (back - math.atan2(*(nodes[b, :2] - nodes[at, :2])[::-1])) % (2 * math.pi) for b in onward
    ]
    return int(np.argmin(turns))


def _plan(roof: Roof) -> float:
    return sum(area_of(roof.nodes[ring, :2]) for face in roof.faces for ring in face.rings)


def tapered(rings: list[Float64]) -> list[bool]:
    """Of each edge whether it is an end: between corners that go out, shorter than one of its neighbours, and none of these is an end too."""
    out: list[bool] = []
    for ring in rings:
        _, long = normals_of(ring)
        n = len(ring)
        convex = [
            area_of(np.stack([ring[k - 1], ring[k], ring[(k + 1) % n]])) > 0 for k in range(n)
        ]
        ends = [False] * n
        for k in np.argsort(long.round(6), kind="stable").tolist():
            after = (k + 1) % n
            goes_out = convex[k] and convex[after]
            shorter = long[k] < max(long[k - 1], long[after]) - 1e-6
            ends[k] = goes_out and shorter and not (ends[k - 1] or ends[after])
        out += ends
    return out


def sides_of(faces: Sequence[Face]) -> list[tuple[int, int]]:
    """The sides that only one of some faces has, as it runs along them."""
    out: dict[tuple[int, int], int] = {}
    for face in faces:
        for ring in face.rings:
            for a, b in pairwise([*ring.tolist(), int(ring[0])]):
                if out.get((b, a), 0):
                    out[b, a] -= 1
                else:
                    out[a, b] = out.get((a, b), 0) + 1
    return [side for side, count in out.items() for _ in range(count)]


def rim_of(faces: Sequence[Face]) -> list[Int64]:
    """The rings along which faces end: what would close them, seen from below, runs back along them."""
    after: dict[int, list[int]] = {}
    for a, b in sides_of(faces):
        after.setdefault(a, []).append(b)
    rings = []
    for first in sorted(after):
        while after[first]:
            ring, at = [first], after[first].pop()
            while at != first and after.get(at):
                ring.append(at)
                at = after[at].pop()
            rings.append(np.array(ring))
    return rings


@kernel
def _ears(points: Float64, ring: Int64, out: Int64) -> int:
    """Cut a simple ring (n,), counter-clockwise, into triangles, the best-shaped ear first; how many, or -1 where none is left to cut."""
    n = ring.shape[0]
    before, after = np.empty(n, np.int64), np.empty(n, np.int64)
    for k in range(n):
        before[k], after[k] = (k - 1) % n, (k + 1) % n
    left, at, count = n, 0, 0
    while left > 3:
        best, found, k = 0.0, -1, at
        for _ in range(left):
            i, j = before[k], after[k]
            ax, ay = points[ring[i], 0], points[ring[i], 1]
            bx, by = points[ring[k], 0], points[ring[k], 1]
            cx, cy = points[ring[j], 0], points[ring[j], 1]
            area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
            ab = (bx - ax) ** 2 + (by - ay) ** 2
            bc = (cx - bx) ** 2 + (cy - by) ** 2
            ca = (ax - cx) ** 2 + (ay - cy) ** 2
            shape = area / max(ab, bc, ca)
            if shape > best and area > 1e-9:
                free, m = True, after[j]
                while m != i and free:
                    px, py = points[ring[m], 0], points[ring[m], 1]
                    same = (
                        (px == ax and py == ay)
                        or (px == bx and py == by)
                        or (px == cx and py == cy)
                    )
                    if not same:
                        near = -1e-12
                        free = not (
                            (bx - ax) * (py - ay) - (by - ay) * (px - ax) >= near
                            and (cx - bx) * (py - by) - (cy - by) * (px - bx) >= near
                            and (ax - cx) * (py - cy) - (ay - cy) * (px - cx) >= near
                        )
                    m = after[m]
                if free:
                    best, found = shape, k
            k = j
        if found < 0:
            return -1
        i, j = before[found], after[found]
        out[count, 0], out[count, 1], out[count, 2] = ring[i], ring[found], ring[j]
        count += 1
        after[i], before[j] = j, i
        at, left = i, left - 1
    out[count, 0], out[count, 1], out[count, 2] = ring[before[at]], ring[at], ring[after[at]]
    return count + 1


@kernel
def _joined(points: Float64, ring: Int64, hole: Int64) -> Int64:
    """A ring with a hole (clockwise) in it as one ring: out and back where it is shortest from one to the other without crossing either; empty where there is no such way."""
    n, m = ring.shape[0], hole.shape[0]
    best, one, other = np.inf, -1, -1
    for k in range(n):
        a = points[ring[k]]
        for j in range(m):
            b = points[hole[j]]
            long = (a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2
            if long >= best:
                continue
            free = True
            for e in range(n + m):
                c = points[ring[e] if e < n else hole[e - n]]
                d = points[ring[(e + 1) % n] if e < n else hole[(e - n + 1) % m]]
                ends = e == k or (e + 1) % n == k if e < n else e - n == j or (e - n + 1) % m == j
                if ends:
                    continue
                here = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
                there = (b[0] - a[0]) * (d[1] - a[1]) - (b[1] - a[1]) * (d[0] - a[0])
                left = (d[0] - c[0]) * (a[1] - c[1]) - (d[1] - c[1]) * (a[0] - c[0])
                right = (d[0] - c[0]) * (b[1] - c[1]) - (d[1] - c[1]) * (b[0] - c[0])
                if here * there <= 0.0 and left * right <= 0.0:
                    free = False
                    break
            if free:
                best, one, other = long, k, j
    if one < 0:
        return np.empty(0, np.int64)
    out = np.empty(n + m + 2, np.int64)
    for k in range(n + 1):
        out[k] = ring[(one + k) % n]
    for j in range(m + 1):
        out[n + 1 + j] = hole[(other + j) % m]
    return out


def _eared(points: Float64, ring: Int64) -> Int64 | None:
    """(t, 3) the triangles of a simple ring; None where that fails."""
    if len(ring) < 3:
        return None
    out = np.empty((len(ring) - 2, 3), np.int64)
    count = _ears(points, ring, out)
    return out if count == len(out) else None


def triangles_of(points: Float64, rings: Sequence[Int64]) -> Int64:
    """(t, 3) triangles, counter-clockwise, of a flat part with holes, over rows of points (n, 2)."""
    points = np.ascontiguousarray(points)
    outer = rings[0]
    if len(rings) <= 2 and len(outer) >= 3 and area_of(points[outer]) > 0:
        if len(rings) == 2:
            outer = _joined(points, outer, rings[1])
        found = _eared(points, outer)
        if found is not None:
            return found
    return np.array(_cut_up(points, list(rings)), np.int64).reshape(-1, 3)


def _cut_up(points: Float64, rings: list[Int64]) -> list[tuple[int, int, int]]:
    """Triangles of any rings."""
    from shapely import GEOSException, Polygon, constrained_delaunay_triangles, get_coordinates

    outer: list[Int64] = []
    holes: list[Int64] = []
    for ring in rings:
        (outer if area_of(points[ring]) > 0 else holes).append(ring)
    found: list[tuple[int, int, int]] = []
    for ring in sorted(outer, key=lambda r: -area_of(points[r])):
        own = ring.tolist()
        shape = Polygon(points[ring])
        inside = [h for h in holes if shape.contains(Polygon(points[h]))]
        rows = {tuple(points[k].tolist()): int(k) for r in (ring, *inside) for k in r}
        whole = Polygon(points[ring], [points[h] for h in inside])
        try:
            cut = constrained_delaunay_triangles(whole)
        except GEOSException:  # no wider than a hair
            found += [(own[0], own[k], own[k + 1]) for k in range(1, len(own) - 1)]
            continue
        places = get_coordinates(cut).reshape(-1, 4, 2)[:, :3]
        for t in places.tolist():
            a, b, c = (rows[tuple(p)] for p in t)
            turned = area_of(points[[a, b, c]]) < 0
            found.append((a, c, b) if turned else (a, b, c))
    return found


def height_along(roof: Roof, a: Float64, b: Float64) -> Float64:
    """(k, 2) metres from `a` towards `b` and the height of the roof there, wherever it bends on the way."""
    way = b - a
    long = math.hypot(*way)
    way = way / long
    side = np.array([-way[1], way[0]])
    found: dict[float, float] = {}
    for face in roof.faces:
        if face.speed == 0.0:
            continue
        for ring in face.rings:
            points = roof.nodes[ring]
            s, d = (points[:, :2] - a) @ way, (points[:, :2] - a) @ side
            for (s0, d0, z0), (s1, d1, z1) in pairwise(
                [*zip(s, d, points[:, 2], strict=True), (s[0], d[0], points[0, 2])]
            ):
                near = 1e-6
                if abs(d0) <= near:
                    found[round(float(s0), 6)] = float(z0)
                if (d0 < -near and d1 > near) or (d0 > near and d1 < -near):
                    t = d0 / (d0 - d1)
                    found[round(float(s0 + t * (s1 - s0)), 6)] = float(z0 + t * (z1 - z0))
    inside = sorted((s, z) for s, z in found.items() if -1e-5 <= s <= long + 1e-5)
    return np.array(inside).reshape(-1, 2)
