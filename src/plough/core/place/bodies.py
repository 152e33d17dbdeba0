"""Convex bodies that things are taken for, and how far two of them are apart.

A body is the hull of points and all that is within a distance of it: two points make a rounded rod.
The distance of two is found by the method of Gilbert, Johnson and Keerthi (1988).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64, UInt32
from plough.core.kernels import kernel
from plough.core.place.placements import Placements

_EXACT = 1e-9  #: share of a distance that need not be known
_TRIED, _FACES = (
    6,
    12,
)  #: directions that are followed to where two meet least, and for how many steps
_MOST = 48  #: rounds of a search; what has not ended then is as near as numbers can tell


class Body(NamedTuple):
    """One convex body, in its thing's own coordinates."""

    points: Float64  #: (n, 3) metres
    round: float = 0.0  #: metres about their hull that belong to it
    blocks: bool = True  #: nothing else may be where it is; else it only carries


class Stop(NamedTuple):
    """What of a body stops somebody who walks, seen from above."""

    ring: Float64  #: (n, 2) corners of its outline, metres to the right and to the front
    round: float  #: metres about that


_CORNERS = 16  #: of an outline at most
_STEP_OVER, _HEAD = 0.3, 1.8  #: metres between which a body is in the way of one who walks


def stop_of(body: Body) -> Stop | None:
    """The part of a body that lies between the knees and the head of one who walks; None where none does."""
    from scipy.spatial import ConvexHull, QhullError

    low, high = _STEP_OVER - body.round, _HEAD + body.round
    points = np.asarray(body.points, np.float64)
    within = points[(points[:, 1] >= low) & (points[:, 1] <= high)]
    a, b = (points[i] for i in np.triu_indices(len(points), 1))
    cuts = [within]
    for level in (low, high):
        across = (a[:, 1] - level) * (b[:, 1] - level) < 0
        t = (level - a[across, 1]) / (b[across, 1] - a[across, 1])
        cuts.append(a[across] + t[:, None] * (b[across] - a[across]))
    flat = np.unique(np.concatenate(cuts)[:, [0, 2]].round(4), axis=0)
    if not len(flat):
        return None
    try:
        flat = flat[ConvexHull(flat).vertices]
        if len(flat) > _CORNERS:  # those that lie farthest to so many sides
            turn = np.arange(_CORNERS) * 2 * math.pi / _CORNERS
            sides = np.stack([np.cos(turn), np.sin(turn)])
            flat = flat[np.unique((flat @ sides).argmax(axis=0))]
    except (QhullError, ValueError):  # in one line: its ends are enough
        order = np.lexsort(flat.T)
        flat = flat[order[[0, -1]]] if len(flat) > 1 else flat
    return Stop(flat, body.round)


@dataclass(frozen=True, eq=False)
class Shapes:
    """The bodies of several variants."""

    points: Float64  #: (p, 3) metres
    starts: Int64  #: (b + 1,) first point of each body
    round: Float64  #: (b,) metres
    blocks: Bool  #: (b,)
    first: Int64  #: (variants + 1,) first body of each variant

    @staticmethod
    def of(variants: Sequence[Sequence[Body]]) -> Shapes:
        """From the bodies of each variant."""
        every = [body for bodies in variants for body in bodies]
        points = [np.asarray(b.points, np.float64).reshape(-1, 3) for b in every]
        return Shapes(
            np.concatenate([np.empty((0, 3)), *points]),
            np.cumsum([0, *map(len, points)]).astype(np.int64),
            np.array([b.round for b in every], np.float64),
            np.array([b.blocks for b in every], bool),
            np.cumsum([0, *map(len, variants)]).astype(np.int64),
        )

    def reach(self) -> Float64:
        """(variants,) metres from the foot of each to its farthest corner; 0 where it has no body."""
        far = np.linalg.norm(self.points, axis=1) + np.repeat(self.round, np.diff(self.starts))
        of = np.repeat(np.arange(len(self.first) - 1), np.diff(self.starts[self.first]))
        out = np.zeros(len(self.first) - 1)
        np.maximum.at(out, of, far)
        return out

    def stood(self, placed: Placements) -> Stood:
        """The bodies of placements, where they stand."""
        counts = np.diff(self.first)[placed.variant]
        thing = np.repeat(np.arange(placed.count), counts)
        within = np.arange(len(thing)) - np.repeat(np.cumsum(counts) - counts, counts)
        body = self.first[placed.variant[thing]] + within
        sizes = np.diff(self.starts)[body]
        starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
        points, low, high, about = _stood(
            self.points,
            self.starts,
            self.round,
            body,
            thing,
            starts,
            placed.position,
            placed.rotation,
            placed.scale,
        )
        return Stood(points, starts, about, thing, self.blocks[body], low, high)


@dataclass(frozen=True, eq=False)
class Stood:
    """Bodies in the scene: b of them, of n things."""

    points: Float64  #: (p, 3) metres
    starts: Int64  #: (b + 1,)
    round: Float64  #: (b,) metres
    thing: Int64  #: (b,) the row of the thing that each is of
    blocks: Bool  #: (b,)
    low: Float64  #: (b, 3) metres, least corner
    high: Float64  #: (b, 3) metres, greatest corner

    def taken(self, rows: Int64) -> Stood:
        """Those in `rows` alone."""
        sizes = np.diff(self.starts)[rows]
        starts = np.cumsum([0, *sizes.tolist()]).astype(np.int64)
        at = np.repeat(self.starts[rows] - starts[:-1], sizes) + np.arange(starts[-1])
        parts = (self.round, self.thing, self.blocks, self.low, self.high)
        return Stood(self.points[at], starts, *(part[rows] for part in parts))  # type: ignore[arg-type]

    def moved(self, which: Bool, by: Float64) -> Stood:
        """With some of the things (n,) moved by so many metres (3,)."""
        own = which[self.thing]
        of_points = np.repeat(own, np.diff(self.starts))
        shift = own[:, None] * by
        points = self.points + of_points[:, None] * by
        return replace(self, points=points, low=self.low + shift, high=self.high + shift)

    def meeting(self, rank: UInt32 | Int64, own: Bool, least: float) -> Met:
        """Pairs of things whose blocking bodies go more than `least` metres into each other.

        Args:
            rank: (n,) of each thing; of a pair the one of higher rank comes second.
            own: (n,) whether pairs are wanted in which it comes second.
        """
        rows = np.nonzero(self.blocks)[0]
        order = rows[np.argsort(self.low[rows, 0], kind="stable")]
        parts = _meeting(
            self.points,
            self.starts,
            self.round,
            self.thing,
            self.low,
            self.high,
            order,
            np.asarray(rank, np.int64),
            own,
            least,
        )
        return Met(*parts).deepest()


class Met(NamedTuple):
    """Pairs of things that go into each other."""

    first: Int64  #: (m,) rows of things
    second: Int64  #: (m,)
    depth: Float64  #: (m,) metres
    axis: Float64  #: (m, 3) unit, along which the second comes out by so much

    def deepest(self) -> Met:
        """Each pair once, with the bodies that go deepest."""
        order = np.lexsort((-self.depth, self.second, self.first))
        pairs = np.stack([self.first, self.second], axis=1)[order]
        fresh = np.ones(len(order), bool)
        fresh[1:] = (pairs[1:] != pairs[:-1]).any(axis=1)
        rows = order[fresh]
        return Met(self.first[rows], self.second[rows], self.depth[rows], self.axis[rows])


@kernel
def turned(q: Float32, p: Float64, out: Float64) -> None:
    """Turn the point `p` (3,) by the quaternion `q` (4,) into `out`."""
    x, y, z, w = float(q[0]), float(q[1]), float(q[2]), float(q[3])
    tx = 2.0 * (y * p[2] - z * p[1])
    ty = 2.0 * (z * p[0] - x * p[2])
    tz = 2.0 * (x * p[1] - y * p[0])
    out[0] = p[0] + w * tx + y * tz - z * ty
    out[1] = p[1] + w * ty + z * tx - x * tz
    out[2] = p[2] + w * tz + x * ty - y * tx


@kernel
def _stood(
    points: Float64,
    starts: Int64,
    about: Float64,
    body: Int64,
    thing: Int64,
    into: Int64,
    position: Float32,
    rotation: Float32,
    scale: Float32,
) -> tuple[Float64, Float64, Float64, Float64]:
    out = np.empty((into[-1], 3))
    low, high = np.full((len(body), 3), np.inf), np.full((len(body), 3), -np.inf)
    wide = np.empty(len(body))
    own, there = np.empty(3), np.empty(3)
    for k in range(len(body)):
        b, i = body[k], thing[k]
        wide[k] = about[b] * max(scale[i, 0], scale[i, 2])
        for j in range(starts[b + 1] - starts[b]):
            for axis in range(3):
                own[axis] = points[starts[b] + j, axis] * scale[i, axis]
            turned(rotation[i], own, there)
            for axis in range(3):
                value = there[axis] + position[i, axis]
                out[into[k] + j, axis] = value
                low[k, axis] = min(low[k, axis], value - wide[k])
                high[k, axis] = max(high[k, axis], value + wide[k])
    return out, low, high, wide


@kernel
def _farthest(points: Float64, first: int, last: int, d: Float64) -> int:
    """The row of the point that lies farthest along `d`."""
    best, row = -np.inf, first
    for i in range(first, last):
        along = points[i, 0] * d[0] + points[i, 1] * d[1] + points[i, 2] * d[2]
        if along > best:
            best, row = along, i
    return row


@kernel
def _dot(a: Float64, b: Float64) -> float:
    return float(a[0] * b[0] + a[1] * b[1] + a[2] * b[2])


@kernel
def _of_segment(w: Float64, v: Float64) -> int:
    """The point `v` of the segment between the first two of `w` that is nearest to the origin; how many corners bear it, which come first in `w`."""
    long, along = 0.0, 0.0
    for c in range(3):
        e = w[1, c] - w[0, c]
        long += e * e
        along -= w[0, c] * e
    t = along / long if long > 0.0 else 0.0
    if t >= 1.0:
        for c in range(3):
            w[0, c] = w[1, c]
    count = 2 if 0.0 < t < 1.0 else 1
    for c in range(3):
        v[c] = w[0, c] + (t * (w[1, c] - w[0, c]) if count == 2 else 0.0)
    return count


@kernel
def _row(w: Float64, to: int, of: int) -> None:
    for c in range(3):
        w[to, c] = w[of, c]


@kernel
def _of_triangle(w: Float64, v: Float64) -> int:
    """As `_of_segment`, of the triangle of the first three, by the regions that its corners and edges are nearest in."""
    d1 = d2 = d3 = d4 = d5 = d6 = 0.0
    for c in range(3):
        ab, ac = w[1, c] - w[0, c], w[2, c] - w[0, c]
        d1 -= ab * w[0, c]
        d2 -= ac * w[0, c]
        d3 -= ab * w[1, c]
        d4 -= ac * w[1, c]
        d5 -= ab * w[2, c]
        d6 -= ac * w[2, c]
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    if va > 0.0 and vb > 0.0 and vc > 0.0:
        whole = va + vb + vc
        for c in range(3):
            v[c] = w[0, c] + (w[1, c] - w[0, c]) * (vb / whole) + (w[2, c] - w[0, c]) * (vc / whole)
        return 3
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        return _of_segment(w, v)
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        _row(w, 1, 2)
        return _of_segment(w, v)
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        _row(w, 0, 1)
        _row(w, 1, 2)
        return _of_segment(w, v)
    # a corner: the first, the second or the third
    if d3 >= 0.0 and d4 <= d3:
        _row(w, 0, 1)
    elif d6 >= 0.0 and d5 <= d6:
        _row(w, 0, 2)
    for c in range(3):
        v[c] = w[0, c]
    return 1


@kernel
def _of_solid(w: Float64, v: Float64, room: Float64) -> int:
    """As `_of_segment`, of the tetrahedron of all four; 4 where the origin is within. `room` (3, 3, 3) is written over."""
    best, count = np.inf, 4
    kept, side, near = room[0], room[1], room[2, 0]
    for k in range(4):
        # the side without corner k
        j = 0
        for i in range(4):
            if i != k:
                for c in range(3):
                    side[j, c] = w[i, c]
                j += 1
        inner = outer = long = 0.0
        for c in range(3):
            m, n = (c + 1) % 3, (c + 2) % 3
            normal = (side[1, m] - side[0, m]) * (side[2, n] - side[0, n]) - (
                side[1, n] - side[0, n]
            ) * (side[2, m] - side[0, m])
            inner += normal * (w[k, c] - side[0, c])
            outer -= normal * side[0, c]
            long += normal * normal
        if inner * inner > 1e-24 * long and inner * outer > 0.0:
            continue  # the origin lies on this side's inner side
        n_side = _of_triangle(side, near)
        away = _dot(near, near)
        if away < best:
            best, count = away, n_side
            for c in range(3):
                v[c] = near[c]
                for i in range(3):
                    kept[i, c] = side[i, c]
    if count < 4:
        for i in range(3):
            for c in range(3):
                w[i, c] = kept[i, c]
    return count


@kernel
def _depth(points: Float64, a0: int, a1: int, b0: int, b1: int, axis: Float64, tried: int) -> float:
    """Metres by which the second of two hulls that meet is to be moved, and along which `axis`, to be clear of the first.

    Moved just out along any direction, the two face each other along another, by which it is less
    far; that is followed from the best of many directions until it ends.
    """
    best = np.inf
    start, found = np.empty((27, 3)), np.empty(27)
    k = 0
    for i in range(-1, 2):
        for j in range(-1, 2):
            for m in range(-1, 2):
                start[k, 0], start[k, 1], start[k, 2] = i, j, m
                k += 1
    for i in range(3):  # in place of no direction at all: from middle to middle
        start[13, i] = points[b0:b1, i].mean() - points[a0:a1, i].mean()
    for k in range(27):
        long = math.sqrt(_dot(start[k], start[k]))
        found[k] = np.inf
        if long > 1e-12:
            start[k] /= long
            found[k] = reach_over(points, a0, a1, b0, b1, start[k])
    for k in np.argsort(found)[:tried]:
        here = out_along(points, a0, a1, b0, b1, start[k], _FACES)
        if here < best:
            best = here
            axis[:] = start[k]
    return best


@kernel
def out_along(
    points: Float64, a0: int, a1: int, b0: int, b1: int, axis: Float64, steps: int
) -> float:
    """Metres by which the second of two hulls that meet is to be moved along `axis` to be clear of the first; the axis is followed to a shorter way for so many steps at most."""
    face = np.empty(3)
    here = reach_over(points, a0, a1, b0, b1, axis)
    for _ in range(steps):
        out = here + 1e-3 * (1e-3 + abs(here))
        if gap(points, a0, a1, b0, b1, out * axis, face) <= 0.0:
            break
        there = reach_over(points, a0, a1, b0, b1, face)
        if there >= here * (1.0 - 1e-6):
            break
        here = there
        axis[:] = face
    return here


@kernel
def reach_over(points: Float64, a0: int, a1: int, b0: int, b1: int, d: Float64) -> float:
    """How far the first hull reaches over the beginning of the second along `d`."""
    last, first = -np.inf, np.inf
    for i in range(a0, a1):
        along = points[i, 0] * d[0] + points[i, 1] * d[1] + points[i, 2] * d[2]
        last = max(last, along)
    for i in range(b0, b1):
        along = points[i, 0] * d[0] + points[i, 1] * d[1] + points[i, 2] * d[2]
        first = min(first, along)
    return last - first


@kernel
def gap(
    points: Float64, a0: int, a1: int, b0: int, b1: int, shift: Float64, axis: Float64
) -> float:
    """Metres between two hulls, the second moved by `shift` (3,), and the `axis` from the first to it; 0 where they meet."""
    w, v, d = np.empty((4, 3)), np.empty(3), np.empty(3)
    room = np.empty((3, 3, 3))
    for c in range(3):
        w[0, c] = points[a0, c] - points[b0, c] - shift[c]
        v[c] = w[0, c]
    n = 1
    # numbers of the size of the things themselves cannot tell less
    small = 1e-18 * (1.0 + _dot(v, v))
    for _ in range(_MOST):
        away = _dot(v, v)
        if away <= small:
            return 0.0
        for c in range(3):
            d[c] = -v[c]
        i, j = _farthest(points, a0, a1, d), _farthest(points, b0, b1, v)
        for c in range(3):
            w[n, c] = points[i, c] - points[j, c] - shift[c]
        if away - _dot(v, w[n]) <= _EXACT * away:
            break
        n += 1
        if n == 2:
            n = _of_segment(w, v)
        elif n == 3:
            n = _of_triangle(w, v)
        else:
            n = _of_solid(w, v, room)
        if n == 4:
            return 0.0
        if _dot(v, v) >= away:
            break
    long = math.sqrt(_dot(v, v))
    for c in range(3):
        axis[c] = -v[c] / long
    return long


@kernel
def apart_by(
    points: Float64,
    a0: int,
    a1: int,
    ra: float,
    b0: int,
    b1: int,
    rb: float,
    axis: Float64,
    tried: int = _TRIED,
) -> float:
    """Metres between two bodies, less than 0 where they meet: then the second is clear of the first once it is moved by so much along `axis`.

    Args:
        points: of all; those of the first are the rows `a0` to before `a1`.
        ra: metres about the hull of the first.
        axis: (3,) unit, from the first to the second; written.
        tried: ways out that are followed to where they are shortest, where the two meet.
    """
    long = gap(points, a0, a1, b0, b1, np.zeros(3), axis)
    if long <= 0.0:
        long = -_depth(points, a0, a1, b0, b1, axis, tried)
    return long - ra - rb


@kernel
def _meeting(
    points: Float64,
    starts: Int64,
    about: Float64,
    thing: Int64,
    low: Float64,
    high: Float64,
    order: Int64,
    rank: Int64,
    own: Bool,
    least: float,
) -> tuple[Int64, Int64, Float64, Float64]:
    room, count = 64, 0
    first, second = np.empty(room, np.int64), np.empty(room, np.int64)
    depth, axes = np.empty(room), np.empty((room, 3))
    axis = np.empty(3)
    for k in range(len(order)):
        one = order[k]
        for m in range(k + 1, len(order)):
            two = order[m]
            if low[two, 0] > high[one, 0]:
                break
            if low[two, 2] > high[one, 2] or low[one, 2] > high[two, 2]:
                continue
            if low[two, 1] > high[one, 1] or low[one, 1] > high[two, 1]:
                continue
            a, b = (one, two) if rank[thing[one]] < rank[thing[two]] else (two, one)
            if thing[a] == thing[b] or not own[thing[b]]:
                continue
            away = apart_by(
                points, starts[a], starts[a + 1], about[a], starts[b], starts[b + 1], about[b], axis
            )
            if -away <= least:
                continue
            if count == room:
                room *= 2
                first, second = _grown(first, room), _grown(second, room)
                more, other = np.empty(room), np.empty((room, 3))
                more[:count], other[:count] = depth[:count], axes[:count]
                depth, axes = more, other
            first[count], second[count], depth[count] = thing[a], thing[b], -away
            axes[count] = axis
            count += 1
    return first[:count], second[:count], depth[:count], axes[:count]


@kernel
def _grown(values: Int64, room: int) -> Int64:
    out = np.empty(room, np.int64)
    out[: len(values)] = values
    return out
