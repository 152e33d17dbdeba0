"""Dressing: stones as bodies, made from their outlines.

An outline is cut back from its neighbours by half a joint, its corners are taken off, and it is drawn out into a body with bevelled edges on the faces
that show. The body is convex in its outline and lies within it, so what does not overlap as outlines does not as stones.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.kernels import kernel
from plough.core.lay.stones import MOST_CORNERS, THROUGH, Stones, cut
from plough.core.rng import stream, symmetric, uniform

_GAP, _EDGE, _PROUD, _DEEP, _FACE, _TONE = (
    stream(f"dressed.{n}") for n in ("gap", "edge", "proud", "deep", "face", "tone")
)
_LEAST = 0.004  # metres: corners and edges nearer to each other than this are one
_RINGS = 2 * MOST_CORNERS  #: points about one outline at most
_CHORD = 0.006  # metres that a corner stands out of its outline, at most, that a coarser level leaves out
_TAPER = 0.88  # of its outline that a stone has left at its back


class Dress(NamedTuple):
    """How stones are dressed; lengths in metres."""

    seed: np.uint64
    gap: float  #: of joints
    rounding: float  #: 0 sharp corners to 1
    rough: float  #: 0 dressed flat to 1 rough from the quarry
    proud: float  #: by which some stand before others
    bevel: float  #: how far edges are taken off


class Blocks(NamedTuple):
    """Vertices and triangles of dressed stones, in the coordinates of their outlines."""

    points: Float64  #: (v, 2) along and up
    side: Int64  #: (v,) the face from which its depth is measured: 1 right, -1 left
    out: Float64  #: (v,) metres out of that face
    normal: Float64  #: (v, 3) along, up, and out of that face
    flat: Float64  #: (v, 2) metres: where in a texture
    shade: Float64  #: (v,) 0 to 1
    edge: Float64  #: (v,) 0 to 1: how near a worn edge
    stone: Int64  #: (v,) row of its stone
    triangles: Int64  #: (t, 3)


@kernel
def inset(corners: Float64, count: int, by: Float64, out: Float64) -> int:
    """What is left of an outline (counter-clockwise) that is cut back by so much behind each of its edges; the number of its corners.

    Args:
        by: (count,) metres behind the edge from each corner to the next.
        out: (MOST_CORNERS * 2, 2) is written to.
    """
    work = np.empty((2 * MOST_CORNERS, 2))
    low0, low1 = corners[:count, 0].min(), corners[:count, 1].min()
    high0, high1 = corners[:count, 0].max(), corners[:count, 1].max()
    out[0], out[1] = (low0, low1), (high0, low1)
    out[2], out[3] = (high0, high1), (low0, high1)
    n = 4
    for e in range(count):
        f = (e + 1) % count
        dx, dy = corners[f, 0] - corners[e, 0], corners[f, 1] - corners[e, 1]
        long = math.sqrt(dx * dx + dy * dy)
        if long < 1e-9:
            continue
        nx, ny = -dy / long, dx / long  # inwards
        level = nx * corners[e, 0] + ny * corners[e, 1] + by[e]
        m = cut(out, n, -nx, -ny, -level, work)
        n = 0
        for k in range(m):
            x, y = work[k, 0], work[k, 1]
            if n == 0 or abs(x - out[n - 1, 0]) + abs(y - out[n - 1, 1]) >= 1e-7:
                out[n, 0], out[n, 1] = x, y
                n += 1
        if n < 3:
            return 0
    return _plain(out, n)


@kernel
def _plain(ring: Float64, n: int) -> int:
    """`ring` (in place) without corners that lie near one before them; the number left, 0 where nothing is."""
    m = 0
    for k in range(n):
        if m and math.hypot(ring[k, 0] - ring[m - 1, 0], ring[k, 1] - ring[m - 1, 1]) < _LEAST:
            continue
        ring[m] = ring[k]
        m += 1
    while m > 2 and math.hypot(ring[m - 1, 0] - ring[0, 0], ring[m - 1, 1] - ring[0, 1]) < _LEAST:
        m -= 1
    return m if m >= 3 else 0


@kernel
def _straight(ring: Float64, n: int, most: float) -> int:
    """`ring` (in place) without corners that stand out of the line past them by no more than so much; the number left, three at least."""
    k = 0
    while k < n and n > 3:
        a, b, c = ring[k - 1 if k else n - 1], ring[k], ring[(k + 1) % n]
        long = math.hypot(c[0] - a[0], c[1] - a[1])
        out = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        if out > most * long:
            k += 1
            continue
        for i in range(k, n - 1):
            ring[i] = ring[i + 1]
        n -= 1
        k = max(0, k - 1)
    return n


@kernel
def _rounded(ring: Float64, n: int, d: Dress, id_: np.uint64, out: Float64, normal: Float64) -> int:
    """`ring` with its corners taken off, and the outward normal of the edge that each point lies on; the number of points."""
    for k in range(n):
        before, here, after = ring[k - 1 if k else n - 1], ring[k], ring[(k + 1) % n]
        for end, other in ((0, before), (1, after)):
            dx, dy = other[0] - here[0], other[1] - here[1]
            long = math.sqrt(dx * dx + dy * dy)
            part = d.rounding * (0.16 + 0.2 * uniform(d.seed, _EDGE, id_ + np.uint64(2 * k + end)))
            part = min(part, 0.03 / long + 0.1 * d.rounding)
            part = min(0.45, max(part, 0.03 * (1.0 - d.rounding)))
            out[2 * k + end, 0] = here[0] + part * dx
            out[2 * k + end, 1] = here[1] + part * dy
            sign = 1.0 if end == 1 else -1.0
            normal[2 * k + end, 0] = sign * dy / long
            normal[2 * k + end, 1] = -sign * dx / long
    return 2 * n


@kernel
def _sizes(
    corners: Float64, count: Int64, ids: UInt64, d: Dress, plain: Int64, detail: int
) -> tuple[Int64, Float64, Float64]:
    """Of each stone the number of points about it, those points, and their normals; its corners are taken off at the nearest level only."""
    n = count.shape[0]
    points, normals = np.zeros((n, _RINGS, 2)), np.zeros((n, _RINGS, 2))
    rings = np.zeros(n, np.int64)
    cut, by = np.empty((2 * MOST_CORNERS, 2)), np.empty(MOST_CORNERS)
    for k in range(n):
        for e in range(count[k]):
            off = 0.3 * symmetric(d.seed, _GAP, ids[k] + np.uint64(e)) if plain[k] == 0 else 0.0
            by[e] = 0.5 * d.gap * (1.0 + off)
        m = inset(corners[k], count[k], by, cut)
        if m > MOST_CORNERS:
            m = 0
        if m and detail == 0:
            rings[k] = _rounded(cut, m, d, ids[k], points[k], normals[k])
        elif m:
            m = _straight(cut, m, _CHORD * detail)
            rings[k] = m
            points[k, :m] = cut[:m]
    return rings, points, normals


@kernel
def _bodies(
    rings: Int64,
    points: Float64,
    normals: Float64,
    side: Int64,
    ids: UInt64,
    deep: Float64,
    proud: Float64,
    d: Dress,
    vertices: int,
    faces: int,
) -> Blocks:
    p, out = np.empty((vertices, 2)), np.empty(vertices)
    sides, owner = np.empty(vertices, np.int64), np.empty(vertices, np.int64)
    normal, flat = np.empty((vertices, 3)), np.empty((vertices, 2))
    shade, edge = np.empty(vertices), np.empty(vertices)
    triangles = np.empty((faces, 3), np.int64)
    v = t = 0
    for k in range(rings.shape[0]):
        n = rings[k]
        if n == 0:
            continue
        first = v
        cx, cy = points[k, :n, 0].mean(), points[k, :n, 1].mean()
        reach = 1e9
        for i in range(n):
            reach = min(
                reach,
                normals[k, i, 0] * (points[k, i, 0] - cx)
                + normals[k, i, 1] * (points[k, i, 1] - cy),
            )
        bevel = min(d.bevel, 0.35 * max(reach, 0.002))
        through = side[k] == THROUGH
        for cap in range(2 if through else 1):
            own = side[k] if not through else (1 if cap == 0 else -1)
            id_ = ids[k] + np.uint64(977 * cap)
            stands = proud[k] + d.proud * symmetric(d.seed, _PROUD, id_)
            tilt_x = 0.10 * d.rough * symmetric(d.seed, _FACE, id_)
            tilt_y = 0.10 * d.rough * symmetric(d.seed, _FACE, id_ + np.uint64(1))
            bulge = d.rough * reach * (0.05 + 0.16 * symmetric(d.seed, _FACE, id_ + np.uint64(2)))
            # the middle, the front ring, and the ring behind its bevel
            middle = v
            p[v, 0], p[v, 1], out[v] = cx, cy, stands + bulge
            shade[v], edge[v] = 1.0, 0.0
            v += 1
            for i in range(n):
                x, y = points[k, i]
                keep = 1.0 - bevel / max(1e-6, math.hypot(x - cx, y - cy))
                p[v, 0], p[v, 1] = cx + keep * (x - cx), cy + keep * (y - cy)
                chip = uniform(d.seed, _FACE, id_ + np.uint64(16 + i))
                out[v] = stands + tilt_x * (x - cx) + tilt_y * (y - cy) - d.rough * bevel * chip
                shade[v], edge[v] = 0.97, 1.0 - chip
                v += 1
            for i in range(n):
                p[v], out[v] = points[k, i], min(out[middle + 1 + i], stands) - bevel
                shade[v], edge[v] = 0.62, 0.4
                v += 1
            for i in range(n):
                j = (i + 1) % n
                a, b = middle + 1 + i, middle + 1 + j
                c, e = a + n, b + n
                for f in range(3):
                    one = middle if f == 0 else a
                    two = a if f == 0 else (c if f == 1 else e)
                    three = b if f == 0 else (e if f == 1 else b)
                    triangles[t, 0] = one
                    triangles[t, 1], triangles[t, 2] = (two, three) if own > 0 else (three, two)
                    t += 1
            for i in range(v - middle):
                sides[middle + i] = own
                owner[middle + i] = k
            _front(p, out, normal, middle, n)
            for i in range(n):
                ring, r = middle + 1 + n + i, middle + 1 + i
                nx, ny, nz = (
                    normals[k, i, 0] + normal[r, 0],
                    normals[k, i, 1] + normal[r, 1],
                    0.35 + normal[r, 2],
                )
                long = math.sqrt(nx * nx + ny * ny + nz * nz)
                normal[ring, 0], normal[ring, 1], normal[ring, 2] = nx / long, ny / long, nz / long
        fx = 7.0 * uniform(d.seed, _TONE, ids[k])
        fy = 7.0 * uniform(d.seed, _TONE, ids[k] + np.uint64(1))
        for i in range(first, v):  # edges are unfolded
            q = (i - first) % (2 * n + 1)
            away = out[i - q] - out[i] if q > n else 0.0
            flat[i, 0] = fx + sides[i] * (p[i, 0] + normal[i, 0] * away)
            flat[i, 1] = fy - p[i, 1] - normal[i, 1] * away
        begin = v
        for end in range(2):
            round_ = 0.0
            for c in range(n + 1):  # the first once more: its texture ends where it began
                i = c % n
                if c:
                    before = points[k, (c - 1) % n]
                    round_ += math.hypot(points[k, i, 0] - before[0], points[k, i, 1] - before[1])
                ring = first + 1 + n + i
                if end == 0:
                    p[v], out[v], sides[v] = p[ring], out[ring], sides[ring]
                    shade[v] = 0.5
                elif through:
                    far = first + (1 + 2 * n) + 1 + n + i
                    p[v], out[v], sides[v] = p[far], out[far], sides[far]
                    shade[v] = 0.5
                else:
                    x, y = points[k, i]
                    p[v, 0], p[v, 1] = cx + _TAPER * (x - cx), cy + _TAPER * (y - cy)
                    out[v], sides[v] = -deep[k], side[k]
                    shade[v] = 0.28
                normal[v, 0], normal[v, 1], normal[v, 2] = normals[k, i, 0], normals[k, i, 1], 0.0
                edge[v], owner[v] = 0.0, k
                flat[v, 0], flat[v, 1] = fx + round_, fy + end * deep[k]
                v += 1
        right = side[k] >= 0
        for i in range(n):
            a, b, c, e = begin + i, begin + i + 1, begin + n + 1 + i, begin + n + 2 + i
            triangles[t, 0] = a
            triangles[t, 1], triangles[t, 2] = (c, e) if right else (e, c)
            triangles[t + 1, 0] = a
            triangles[t + 1, 1], triangles[t + 1, 2] = (e, b) if right else (b, e)
            t += 2
        if not through:
            back = begin + n + 1
            for i in range(1, n - 1):
                triangles[t, 0] = back
                triangles[t, 1], triangles[t, 2] = (
                    (back + i + 1, back + i) if right else (back + i, back + i + 1)
                )
                t += 1
    return Blocks(
        p[:v],
        sides[:v],
        out[:v],
        normal[:v],
        flat[:v],
        shade[:v],
        edge[:v],
        owner[:v],
        triangles[:t],
    )


@kernel
def _prisms(
    rings: Int64,
    points: Float64,
    side: Int64,
    ids: UInt64,
    deep: Float64,
    proud: Float64,
    plain: Int64,
    d: Dress,
    detail: int,
) -> Blocks:
    """As `_bodies` for the distance: flat faces with plain sides, without backs; at the last level only those sides that look up, but for stones with even joints."""
    vertices, faces = 0, 0
    for k in range(rings.shape[0]):
        vertices += 6 * rings[k]
        faces += 4 * rings[k]
    p, out = np.empty((vertices, 2)), np.empty(vertices)
    sides, owner = np.empty(vertices, np.int64), np.empty(vertices, np.int64)
    normal, flat = np.empty((vertices, 3)), np.empty((vertices, 2))
    shade, edge = np.empty(vertices), np.empty(vertices)
    triangles = np.empty((faces, 3), np.int64)
    v = t = 0
    for k in range(rings.shape[0]):
        n = rings[k]
        if n == 0:
            continue
        first = v
        cx, cy = points[k, :n, 0].mean(), points[k, :n, 1].mean()
        through = side[k] == THROUGH
        reach = 1e9
        for i in range(n):
            reach = min(reach, math.hypot(points[k, i, 0] - cx, points[k, i, 1] - cy))
        bevel = min(d.bevel, 0.25 * reach)
        fx = 7.0 * uniform(d.seed, _TONE, ids[k])
        fy = 7.0 * uniform(d.seed, _TONE, ids[k] + np.uint64(1))
        for cap in range(2 if through else 1):
            own = side[k] if not through else (1 if cap == 0 else -1)
            id_ = ids[k] + np.uint64(977 * cap)
            stands = proud[k] + d.proud * symmetric(d.seed, _PROUD, id_)
            tilt_x = 0.10 * d.rough * symmetric(d.seed, _FACE, id_)
            tilt_y = 0.10 * d.rough * symmetric(d.seed, _FACE, id_ + np.uint64(1))
            long = math.sqrt(tilt_x * tilt_x + tilt_y * tilt_y + 1.0)
            for i in range(n):
                keep = 1.0 - (0.5 if detail == 1 else 0.3) * bevel / max(
                    1e-6, math.hypot(points[k, i, 0] - cx, points[k, i, 1] - cy)
                )
                x = cx + keep * (points[k, i, 0] - cx)
                y = cy + keep * (points[k, i, 1] - cy)
                p[v, 0], p[v, 1] = x, y
                out[v] = stands + tilt_x * (x - cx) + tilt_y * (y - cy) - 0.2 * bevel
                normal[v, 0], normal[v, 1], normal[v, 2] = -tilt_x / long, -tilt_y / long, 1 / long
                flat[v, 0], flat[v, 1] = fx + own * x, fy - y
                shade[v], edge[v], sides[v], owner[v] = 0.93, 0.35, own, k
                v += 1
            at = v - n
            for i in range(1, n - 1):
                triangles[t, 0] = at
                triangles[t, 1] = at + (i if own > 0 else i + 1)
                triangles[t, 2] = at + (i + 1 if own > 0 else i)
                t += 1
        right, round_ = side[k] >= 0, 0.0
        for i in range(n):
            j = (i + 1) % n
            dx, dy = points[k, j, 0] - points[k, i, 0], points[k, j, 1] - points[k, i, 1]
            long = max(1e-9, math.hypot(dx, dy))
            round_ += long
            if detail > 1 and plain[k] == 0 and -dx / long < 0.5:
                continue
            for end in range(2):
                for c in range(2):
                    q = j if c else i
                    face = first + q + (n if end else 0)
                    if end == 0 or through:
                        p[v], out[v], sides[v], shade[v] = p[face], out[face], sides[face], 0.5
                    else:
                        p[v], out[v], sides[v], shade[v] = points[k, q], -deep[k], side[k], 0.28
                    normal[v, 0], normal[v, 1], normal[v, 2] = dy / long, -dx / long, 0.0
                    flat[v, 0] = fx + round_ - (0.0 if c else long)
                    flat[v, 1] = fy + end * deep[k]
                    edge[v], owner[v] = 0.0, k
                    v += 1
            a, b, c, e = v - 4, v - 3, v - 2, v - 1
            triangles[t, 0] = a
            triangles[t, 1], triangles[t, 2] = (c, e) if right else (e, c)
            triangles[t + 1, 0] = a
            triangles[t + 1, 1], triangles[t + 1, 2] = (e, b) if right else (b, e)
            t += 2
    return Blocks(
        p[:v],
        sides[:v],
        out[:v],
        normal[:v],
        flat[:v],
        shade[:v],
        edge[:v],
        owner[:v],
        triangles[:t],
    )


@kernel
def _front(p: Float64, out: Float64, normal: Float64, middle: int, n: int) -> None:
    """Normals of a face's middle and ring: the mean of its own triangles, by area; so it is flat up to its bevel."""
    for i in range(n + 1):
        normal[middle + i] = 0.0
    for i in range(n):
        j = (i + 1) % n
        a, b = middle + 1 + i, middle + 1 + j
        ax, ay, az = p[a, 0] - p[middle, 0], p[a, 1] - p[middle, 1], out[a] - out[middle]
        bx, by, bz = p[b, 0] - p[middle, 0], p[b, 1] - p[middle, 1], out[b] - out[middle]
        cx, cy, cz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        for q in (middle, a, b):
            normal[q, 0] += cx
            normal[q, 1] += cy
            normal[q, 2] += cz
    for i in range(n + 1):
        q = normal[middle + i]
        long = math.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2])
        if long < 1e-12:
            q[0], q[1], q[2] = 0.0, 0.0, 1.0
        else:
            q[0], q[1], q[2] = q[0] / long, q[1] / long, q[2] / long


def dressed(
    stones: Stones,
    deep: Float64,
    proud: Float64,
    plain: Int64,
    dress: Dress,
    detail: int = 0,
) -> tuple[Blocks, Int64]:
    """Bodies of stones, and of each how many points are about it: 0 where nothing is left of it.

    Args:
        deep: (n,) metres from its face to its back, or to its other face.
        proud: (n,) metres that it stands before the face.
        plain: (n,) 1 where its joints are even.
        detail: 0 the nearest level; 1 and 2 are open at their backs.
    """
    rings, points, normals = _sizes(stones.corners, stones.count, stones.id, dress, plain, detail)
    if detail:
        own = (stones.side, stones.id, deep, proud, plain, dress, detail)
        return _prisms(rings, points, *own), rings
    through = stones.side == THROUGH
    there = rings > 0
    vertices = int(np.where(through, 6 * rings + 4, 4 * rings + 3)[there].sum())
    faces = int(np.where(through, 8 * rings, 6 * rings - 2)[there].sum())
    args = (stones.side, stones.id, deep, proud, dress, vertices, faces)
    return _bodies(rings, points, normals, *args), rings
