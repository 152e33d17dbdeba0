"""How triangles hang together: open edges, which way they face, holes and their filling."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.kernels import kernel

SAME = 1e-6  #: of the size: vertices nearer than that are one point
FLAT = 1e-7  #: of the longest edge: triangles thinner than that have no area
_NEARLY = 0.03  #: of the sides: with fewer open ones a surface is as good as closed
_LID = 0.1  #: of a body's surface, that its holes may come to
_RIM = 0.1  #: of a body's triangles: a longer loop of edges is its rim
MOST_HOLE = 400  #: edges of a hole that is closed


_ODD = np.uint64(0x9E3779B97F4A7C15)


@kernel
def _numbered(keys: UInt64, held: Int64, of: Int64, first: Int64) -> int:
    """Number keys as they come; `held`, all -1, has room for more than there are, a power of two."""
    room = np.uint64(held.shape[0] - 1)
    count = 0
    for k in range(keys.shape[0]):
        mixed = keys[k] * _ODD
        at = (mixed ^ (mixed >> np.uint64(32))) & room
        while held[at] >= 0 and keys[first[held[at]]] != keys[k]:
            at = (at + np.uint64(1)) & room
        if held[at] < 0:
            held[at] = count
            first[count] = k
            count += 1
        of[k] = held[at]
    return count


def numbered(keys: UInt64) -> tuple[Int64, Int64]:
    """Keys numbered as they come: the (d,) rows in which each is met first, and the (n,) number of each."""
    held = np.full(2 << max(len(keys), 1).bit_length(), -1, np.int64)
    of, first = np.empty(len(keys), np.int64), np.empty(len(keys), np.int64)
    return first[: _numbered(keys, held, of, first)].copy(), of


def welded_points(positions: Float64, size: float) -> tuple[Int64, int]:
    """(n,) the point that each vertex is at, and the number of points; `size` is the mesh's, in its unit."""
    if not len(positions):
        return np.zeros(0, np.int64), 0
    step = max(SAME * size, 1e-12)
    x, y, z = np.rint((positions - positions.min(axis=0)) / step).astype(np.int64).T
    room = int(1.0 / SAME) + 2
    first, point = numbered(((x * room + y) * room + z).astype(np.uint64))
    return point, len(first)


def flat_triangles(positions: Float64, faces: Int64) -> Bool:
    """(m,) whether a triangle has no area: two corners are one, or all lie on a line."""
    a, b, c = (positions[faces[:, k]] for k in range(3))
    doubled = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    longest = np.max([((p - q) ** 2).sum(axis=1) for p, q in ((a, b), (b, c), (c, a))], axis=0)
    return np.asarray(doubled <= FLAT * longest)


@dataclass(frozen=True, slots=True)
class Edges:
    """Edges between points, each once."""

    ends: Int64  #: (e, 2) points, the lesser first
    uses: Int64  #: (e,) triangles at each
    of: Int64  #: (3 m,) the edge of each side: of triangle t, from its corner k to the next, at 3 t + k
    forward: Bool  #: (3 m,) whether the side runs from the lesser point


@kernel
def _by_point(corner: Int64, start: Int64, out: Int64) -> None:
    """Corners by point, as they come; `start` (p + 1,) is where each point's begin."""
    at = start[:-1].copy()
    for c in range(corner.shape[0]):
        p = corner[c]
        out[at[p]] = c
        at[p] += 1


@kernel
def _edges(faces: Int64, start: Int64, sides: Int64, of: Int64, ends: Int64, uses: Int64) -> int:
    """Number the edges by their points: `sides` are those of each lesser point, which are put in order by the greater."""
    count = 0
    for p in range(start.shape[0] - 1):
        first = count
        for n in range(start[p], start[p + 1]):
            # insert it among the few that are in order
            s, m = sides[n], n
            t, k = s // 3, s % 3
            far = max(faces[t, k], faces[t, (k + 1) % 3])
            while m > start[p]:
                u, j = sides[m - 1] // 3, sides[m - 1] % 3
                if max(faces[u, j], faces[u, (j + 1) % 3]) <= far:
                    break
                sides[m] = sides[m - 1]
                m -= 1
            sides[m] = s
        for n in range(start[p], start[p + 1]):
            t, k = sides[n] // 3, sides[n] % 3
            far = max(faces[t, k], faces[t, (k + 1) % 3])
            if count == first or ends[count - 1, 1] != far:
                ends[count, 0], ends[count, 1] = p, far
                uses[count] = 0
                count += 1
            uses[count - 1] += 1
            of[sides[n]] = count - 1
    return count


def edges_of(faces: Int64) -> Edges:
    """The edges of (m, 3) triangles over points, by the lesser point and then by the other."""
    a, b = faces.reshape(-1), np.roll(faces, -1, axis=1).reshape(-1)
    start, sides = _lists(np.minimum(a, b), int(faces.max(initial=-1)) + 1)
    of, uses = np.empty(len(a), np.int64), np.empty(len(a), np.int64)
    ends = np.empty((len(a), 2), np.int64)
    count = _edges(faces, start, sides, of, ends, uses)
    return Edges(ends[:count].copy(), uses[:count].copy(), of, a < b)


def about_points(faces: Int64, count: int) -> tuple[Int64, Int64]:
    """Where the corners at each of `count` points begin, (count + 1,), in a list of corners (3 m,) by point: 3 t + k for corner k of triangle t."""
    return _lists(faces.reshape(-1), count)


def _lists(corner: Int64, count: int) -> tuple[Int64, Int64]:
    start = np.zeros(count + 1, np.int64)
    np.cumsum(np.bincount(corner, minlength=count), out=start[1:])
    out = np.empty(len(corner), np.int64)
    _by_point(corner, start, out)
    return start, out


@kernel
def _root(parent: Int64, parity: Int64, x: int) -> tuple[int, int]:
    at, turned = x, 0
    while parent[at] != at:
        turned ^= parity[at]
        at = parent[at]
    # shorten the way for the next
    walk, left = x, turned
    while parent[walk] != at and walk != at:
        step, own = parent[walk], parity[walk]
        parent[walk], parity[walk] = at, left
        left ^= own
        walk = step
    return at, turned


@kernel
def _agreed(first: Int64, second: Int64, against: Int64, count: int) -> tuple[Int64, Int64]:
    """(count,) the group of each triangle and whether it is turned against its group's first: pairs share an edge, `against` where they run along it alike."""
    parent, parity = np.arange(count), np.zeros(count, np.int64)
    for k in range(first.shape[0]):
        a, pa = _root(parent, parity, first[k])
        b, pb = _root(parent, parity, second[k])
        if a == b:
            continue
        if b < a:
            a, b = b, a
        parent[b] = a
        parity[b] = pa ^ pb ^ against[k]
    group, turned = np.empty(count, np.int64), np.empty(count, np.int64)
    for t in range(count):
        group[t], turned[t] = _root(parent, parity, t)
    return group, turned


def _bodies(edges: Edges, count: int) -> tuple[Int64, Int64]:
    """(count,) the body of each triangle, connected over edges that two share, and whether it runs against its body's first."""
    sides = np.argsort(edges.of, kind="stable")
    start = np.cumsum(edges.uses) - edges.uses
    pairs = start[edges.uses == 2]
    one, two = sides[pairs], sides[pairs + 1]
    alike = (edges.forward[one] == edges.forward[two]).astype(np.int64)
    return _agreed(one // 3, two // 3, alike, count)


def facing_wrong(positions: Float64, faces: Int64, told: Float64 | None) -> Bool:
    """(m,) which triangles are to be turned, so that neighbours agree and bodies face outwards.

    A body, closed but for small holes, faces outwards when its volume is positive; one that lies within another (a hollow) may stay as it is. An open surface takes the
    side of the normals that came with it, without any the side of most of its area.

    Args:
        positions: (n, 3) of the points.
        faces: (m, 3) points.
        told: (m, 3) the normals that came along, each the mean of a triangle's corners.
    """
    m = len(faces)
    edges = edges_of(faces)
    group, turned = _bodies(edges, m)
    a, b, c = (positions[faces[:, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    middle = positions.mean(axis=0) if len(positions) else np.zeros(3)
    sign = 1.0 - 2.0 * turned
    volume = np.bincount(
        group, sign * np.einsum("ij,ij->i", a - middle, np.cross(b - middle, c - middle)), m
    )
    gaps = np.bincount(group, (edges.uses[edges.of] != 2).reshape(m, 3).sum(axis=1), m)
    area = np.linalg.norm(normal, axis=1)
    # the normals of a body come to nothing, but for those of its holes
    lid = [np.bincount(group, sign * normal[:, k], m) for k in range(3)]
    wide = np.linalg.norm(lid, axis=0) > _LID * np.bincount(group, area, m)
    open_ = wide | (gaps > _NEARLY * 3 * np.bincount(group, minlength=m))
    weight = np.bincount(group, sign * area, m)
    if told is not None:
        agreed = np.bincount(group, sign * np.einsum("ij,ij->i", normal, told), m)
        weight = np.where(agreed != 0, agreed, weight)
    turn = np.where(open_, weight < 0, volume < 0)
    for g in np.unique(group[~open_[group]]):
        if turn[g] and weight[g] > 0 and _lies_within(g, group, positions, faces, open_):
            turn[g] = False
    return np.asarray((turned == 1) != turn[group])


def closed_volume(corners: Float64, faces: Int64) -> float:
    """Within all bodies that are closed; (m, 3, 3) corners of triangles and the (m, 3) points that they are at."""
    m = len(faces)
    edges = edges_of(faces)
    group, _ = _bodies(edges, m)
    open_ = np.bincount(group, (edges.uses[edges.of] != 2).reshape(m, 3).any(axis=1), m) > 0
    a, b, c = (corners - corners.reshape(-1, 3).mean(axis=0)).transpose(1, 0, 2)
    volumes = np.bincount(group, np.einsum("ij,ij->i", a, np.cross(b, c)), m) / 6.0
    return float(np.abs(volumes[~open_]).sum())


def _lies_within(g: int, group: Int64, positions: Float64, faces: Int64, open_: Bool) -> bool:
    own = positions[faces[group == g]].reshape(-1, 3)
    low, high = own.min(axis=0), own.max(axis=0)
    for other in np.unique(group):
        if other == g or open_[other]:
            continue
        about = positions[faces[group == other]].reshape(-1, 3)
        if (about.min(axis=0) < low).all() and (about.max(axis=0) > high).all():
            return True
    return False


def holes(faces: Int64) -> list[Int64]:
    """The loops of points about each hole of at most `MOST_HOLE` edges, in the order in which a triangle that fills it runs.

    The rim of a sheet is no hole: a loop has at most a tenth as many edges as the body that it is in has triangles.
    """
    edges = edges_of(faces)
    alone = np.flatnonzero(edges.uses[edges.of] == 1)
    a = faces.reshape(-1)[alone]
    b = np.roll(faces, -1, axis=1).reshape(-1)[alone]
    group, _ = _bodies(edges, len(faces))
    size_at = np.zeros(int(faces.max(initial=0)) + 1, np.int64)
    size_at[faces.reshape(-1)] = np.repeat(np.bincount(group, minlength=len(faces))[group], 3)
    following: dict[int, list[int]] = {}
    for p, q in zip(a.tolist(), b.tolist(), strict=True):
        following.setdefault(q, []).append(p)
    out = []
    for begin in sorted(following):
        while following[begin]:
            loop, at = [begin], following[begin].pop()
            while at != begin and following.get(at):
                loop.append(at)
                at = following[at].pop()
            if at == begin and 3 <= len(loop) <= min(MOST_HOLE, _RIM * size_at[begin]):
                out.append(np.array(loop, np.int64))
    return out
