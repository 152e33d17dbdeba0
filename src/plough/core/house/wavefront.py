"""An outline that shrinks as it rises: what its edges sweep are the faces of a roof.

The weighted straight skeleton (Aichholzer et al. 1995; Eppstein and Erickson 1999), by height: the outline goes on to where its topology changes next; there corners that
meet are joined, what has no width left becomes a ridge, and where a corner meets an edge or another corner the outline is paired anew.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64
from plough.core.kernels import kernel

OUTSIDE = -1  #: beyond the outline
DONE, LOST, ENDLESS, PARALLEL = range(4)  #: how it ended
_ANTI = -1.0 + 1e-9  # cosine between two edges that run against each other
_WEDGE = 1e-6  # radians


class Planes(NamedTuple):
    """What edges move in: (p,) each, those of one edge one after another, the lowest first."""

    normal: Float64  #: (p, 2) into the outline
    level: Float64  #: along it, at the height `begins`
    speed: Float64  #: metres inwards for each metre up
    begins: Float64  #: metres up
    ends: Float64  #: where the next takes over; infinite for the last


class _State(NamedTuple):
    """Corners of the outline, and what they have left behind."""

    at: Float64  # (c, 2)
    way: Float64  # (c, 2) for each metre up
    left: Int64  # (c,) the plane of the edge that comes to it
    right: Int64  # (c,) and of that which goes on
    before: Int64  # (c,)
    after: Int64  # (c,)
    born: Int64  # (c,) node
    alive: Bool  # (c,)
    nodes: Float64  # (n, 3)
    arcs: Int64  # (a, 4) nodes from and to, planes to the left and to the right
    used: Int64  # (3,) corners, nodes, arcs


@kernel
def _node(s: _State, x: float, y: float, z: float, near: float) -> int:
    k = s.used[1] - 1
    while k >= 0 and s.nodes[k, 2] >= z - near:
        if abs(s.nodes[k, 0] - x) <= near and abs(s.nodes[k, 1] - y) <= near:
            return int(k)
        k -= 1
    k = s.used[1]
    s.nodes[k, 0], s.nodes[k, 1], s.nodes[k, 2] = x, y, z
    s.used[1] += 1
    return int(k)


@kernel
def _arc(s: _State, a: int, b: int, left: int, right: int) -> None:
    if a == b:
        return
    k = s.used[2]
    s.arcs[k, 0], s.arcs[k, 1], s.arcs[k, 2], s.arcs[k, 3] = a, b, left, right
    s.used[2] += 1


@kernel
def _end(s: _State, k: int, node: int) -> None:
    """A corner's way ends in a node."""
    _arc(s, s.born[k], node, s.left[k], s.right[k])
    s.born[k] = node


@kernel
def _corner(s: _State, x: float, y: float, left: int, right: int, node: int) -> int:
    k = s.used[0]
    s.used[0] += 1
    s.at[k, 0], s.at[k, 1] = x, y
    s.left[k], s.right[k], s.born[k], s.alive[k] = left, right, node, True
    return int(k)


@kernel
def _link(s: _State, a: int, b: int) -> None:
    s.after[a], s.before[b] = b, a


@kernel
def _replace(s: _State, first: int, last: int, by: int) -> None:
    """One corner takes the place of a run of corners, none of whose neighbours are among them."""
    a, b = s.before[first], s.after[last]
    k = first
    while True:
        following = s.after[k]
        s.alive[k] = False
        if k == last:
            break
        k = following
    _link(s, a, by)
    _link(s, by, b)


@kernel
def _apart(s: _State, a: int, b: int) -> float:
    return math.hypot(s.at[a, 0] - s.at[b, 0], s.at[a, 1] - s.at[b, 1])


@kernel
def _angle(s: _State, p: Planes, k: int) -> tuple[float, float]:
    """Where the inside at a corner begins, and how wide it is; radians, counter-clockwise."""
    f, g = s.left[k], s.right[k]
    start = math.atan2(-p.normal[g, 0], p.normal[g, 1])
    end = math.atan2(p.normal[f, 0], -p.normal[f, 1])
    return start, (end - start) % (2.0 * math.pi)


@kernel
def _overlap(a: float, wide_a: float, b: float, wide_b: float) -> bool:
    """Whether two angles, by where they begin and how wide they are, have more in common than a side; or each is all that the other is not, and nothing is left between."""
    turn = 2.0 * math.pi
    on, back = (b - a) % turn, (a - b) % turn
    if abs(on - wide_a) < _WEDGE and abs(back - wide_b) < _WEDGE:
        return True
    if min(on, turn - on) < _WEDGE:
        return bool(min(wide_a, wide_b) > _WEDGE)
    return bool(on < wide_a - _WEDGE or back < wide_b - _WEDGE)


@kernel
def _joined(s: _State, p: Planes, z: float, near: float) -> bool:
    """Join what has come together along the outline; whether anything had."""
    acted = False
    for k in range(s.at.shape[0]):
        if k >= s.used[0]:
            break
        if not s.alive[k]:
            continue
        a = s.after[k]
        if a == k:
            _end(s, k, _node(s, s.at[k, 0], s.at[k, 1], z, near))
            s.alive[k] = False
            acted = True
            continue
        if s.after[a] == k:
            # two edges on each other: a ridge
            one = _node(s, s.at[k, 0], s.at[k, 1], z, near)
            two = _node(s, s.at[a, 0], s.at[a, 1], z, near)
            _end(s, k, one)
            _end(s, a, two)
            _arc(s, one, two, s.right[a], s.right[k])
            s.alive[k] = s.alive[a] = False
            acted = True
            continue
        if _apart(s, k, a) <= near:
            node = _node(s, s.at[k, 0], s.at[k, 1], z, near)
            _end(s, k, node)
            _end(s, a, node)
            c = _corner(s, s.at[k, 0], s.at[k, 1], s.left[k], s.right[a], node)
            _replace(s, k, a, c)
            acted = True
            continue
        f, g = s.left[k], s.right[k]
        if p.normal[f, 0] * p.normal[g, 0] + p.normal[f, 1] * p.normal[g, 1] < _ANTI:
            # a spike: both edges at it lie on each other as far as the shorter goes
            b = s.before[k]
            tip = _node(s, s.at[k, 0], s.at[k, 1], z, near)
            _end(s, k, tip)
            back, on = _apart(s, k, b), _apart(s, k, a)
            if abs(back - on) <= near:
                node = _node(s, s.at[b, 0], s.at[b, 1], z, near)
                _end(s, b, node)
                _end(s, a, node)
                _arc(s, tip, node, f, g)
                c = _corner(s, s.at[b, 0], s.at[b, 1], s.left[b], s.right[a], node)
                if s.before[b] == a:
                    # nothing but the spike was left
                    s.alive[k] = s.alive[a] = s.alive[b] = s.alive[c] = False
                else:
                    _replace(s, b, a, c)
            elif back < on:
                node = _node(s, s.at[b, 0], s.at[b, 1], z, near)
                _end(s, b, node)
                _arc(s, tip, node, f, g)
                c = _corner(s, s.at[b, 0], s.at[b, 1], s.left[b], g, node)
                _replace(s, b, k, c)
            else:
                node = _node(s, s.at[a, 0], s.at[a, 1], z, near)
                _end(s, a, node)
                _arc(s, tip, node, f, g)
                c = _corner(s, s.at[a, 0], s.at[a, 1], f, s.right[a], node)
                _replace(s, k, a, c)
            acted = True
    return acted


@kernel
def _paired(s: _State, p: Planes, z: float, near: float) -> bool:
    """Pair the outline anew at the first corner that has met an edge or another corner; whether one had."""
    for v in range(s.used[0]):
        if not s.alive[v]:
            continue
        x, y = s.at[v, 0], s.at[v, 1]
        start, wide = _angle(s, p, v)
        for k in range(s.used[0]):
            q = s.after[k]
            if not s.alive[k] or v in (k, q) or s.after[v] == k:
                continue
            e = s.right[k]
            nx, ny = p.normal[e, 0], p.normal[e, 1]
            off = nx * (x - s.at[k, 0]) + ny * (y - s.at[k, 1])
            if abs(off) > near:
                continue
            along = ny * (x - s.at[k, 0]) - nx * (y - s.at[k, 1])
            long = ny * (s.at[q, 0] - s.at[k, 0]) - nx * (s.at[q, 1] - s.at[k, 1])
            if along < -near or along > long + near or _apart(s, v, q) <= near:
                continue  # that corner is looked at by itself
            t = k
            if _apart(s, v, k) <= near:
                first, own = _angle(s, p, k)
                if not _overlap(start, wide, first, own):
                    continue
            else:
                if not _overlap(start, wide, math.atan2(-nx, ny), math.pi):
                    continue
                t = _corner(s, x, y, e, e, _node(s, x, y, z, near))
                _link(s, k, t)
                _link(s, t, q)
            node = _node(s, x, y, z, near)
            _end(s, v, node)
            _end(s, t, node)
            one = _corner(s, x, y, s.left[v], s.right[t], node)
            two = _corner(s, x, y, s.left[t], s.right[v], node)
            bv, av, bt, at = s.before[v], s.after[v], s.before[t], s.after[t]
            _link(s, bv, one)
            _link(s, one, at)
            _link(s, bt, two)
            _link(s, two, av)
            s.alive[v] = s.alive[t] = False
            return True
    return False


@kernel
def _started(s: _State, p: Planes) -> bool:
    """The way of each corner; false where two edges run on in one line at two speeds."""
    for k in range(s.used[0]):
        if not s.alive[k]:
            continue
        f, g = s.left[k], s.right[k]
        a, b, c, d = p.normal[f, 0], p.normal[f, 1], p.normal[g, 0], p.normal[g, 1]
        u, v = p.speed[f], p.speed[g]
        whole = a * d - b * c
        if abs(whole) > 1e-9:
            s.way[k, 0], s.way[k, 1] = (u * d - v * b) / whole, (a * v - c * u) / whole
        elif a * c + b * d > 0 and abs(u - v) < 1e-9:
            s.way[k, 0], s.way[k, 1] = a * u, b * u
        else:
            return False
    return True


@kernel
def _next(s: _State, p: Planes, z: float, near: float) -> float:
    """Metres up to where something happens."""
    best = np.inf
    for k in range(s.used[0]):
        if not s.alive[k]:
            continue
        q, e = s.after[k], s.right[k]
        best = min(best, max(0.0, p.ends[e] - z))
        nx, ny = p.normal[e, 0], p.normal[e, 1]
        long = ny * (s.at[q, 0] - s.at[k, 0]) - nx * (s.at[q, 1] - s.at[k, 1])
        rate = ny * (s.way[q, 0] - s.way[k, 0]) - nx * (s.way[q, 1] - s.way[k, 1])
        if rate < -1e-12:
            best = min(best, max(0.0, -long / rate))
        for v in range(s.used[0]):
            if not s.alive[v] or v in (k, q):
                continue
            off = nx * (s.at[v, 0] - s.at[k, 0]) + ny * (s.at[v, 1] - s.at[k, 1])
            closing = nx * s.way[v, 0] + ny * s.way[v, 1] - p.speed[e]
            if closing > -1e-12 or off <= near:  # who touches it by now has been looked at
                continue
            t = -off / closing
            if t >= best:
                continue
            x, y = s.at[v, 0] + t * s.way[v, 0], s.at[v, 1] + t * s.way[v, 1]
            x -= s.at[k, 0] + t * s.way[k, 0]
            y -= s.at[k, 1] + t * s.way[k, 1]
            along = ny * x - nx * y
            if -near <= along <= long + t * rate + near:
                best = t
    return best


@kernel
def _moved(s: _State, p: Planes, by: float, z: float) -> None:
    """All corners so far up, to the height `z`."""
    for k in range(s.used[0]):
        if not s.alive[k]:
            continue
        f, g = s.left[k], s.right[k]
        a, b, c, d = p.normal[f, 0], p.normal[f, 1], p.normal[g, 0], p.normal[g, 1]
        whole = a * d - b * c
        if abs(whole) > 1e-3:
            u = p.level[f] + p.speed[f] * (z - p.begins[f])
            v = p.level[g] + p.speed[g] * (z - p.begins[g])
            s.at[k, 0], s.at[k, 1] = (u * d - v * b) / whole, (a * v - c * u) / whole
        else:
            s.at[k, 0] += by * s.way[k, 0]
            s.at[k, 1] += by * s.way[k, 1]


@kernel
def _taken_over(s: _State, p: Planes, z: float, near: float) -> None:
    """Where planes end, the next ones take over."""
    for k in range(s.used[0]):
        if not s.alive[k]:
            continue
        q, e = s.after[k], s.right[k]
        if p.ends[e] > z + 1e-9:
            continue
        one = _node(s, s.at[k, 0], s.at[k, 1], z, near)
        two = _node(s, s.at[q, 0], s.at[q, 1], z, near)
        _end(s, k, one)
        _end(s, q, two)
        _arc(s, one, two, e + 1, e)
        s.right[k] = s.left[q] = e + 1


@kernel
def _grown(s: _State, p: Planes, low: float, top: float, near: float) -> int:
    z = low
    for k in range(s.used[0]):
        s.born[k] = _node(s, s.at[k, 0], s.at[k, 1], z, 0.0)
    for k in range(s.used[0]):
        _arc(s, s.born[k], s.born[s.after[k]], s.right[k], OUTSIDE)
    most = s.at.shape[0] - 8
    for _ in range(most):
        while _joined(s, p, z, near) or _paired(s, p, z, near):
            if s.used[0] >= most or s.used[2] >= s.arcs.shape[0] - 4 * most:
                return LOST
        left = 0
        for k in range(s.used[0]):
            left += s.alive[k]
        if not left:
            return DONE
        if not _started(s, p):
            return PARALLEL
        by = _next(s, p, z, near)
        if by == np.inf and top == np.inf:
            return ENDLESS
        if z + by >= top:
            _moved(s, p, top - z, top)
            for k in range(s.used[0]):
                if s.alive[k]:
                    _end(s, k, _node(s, s.at[k, 0], s.at[k, 1], top, near))
            for k in range(s.used[0]):
                if s.alive[k]:
                    _arc(s, s.born[k], s.born[s.after[k]], len(p.level), s.right[k])
            return DONE
        z += by
        _moved(s, p, by, z)
        _taken_over(s, p, z, near)
    return LOST


def grown(
    start: Float64, after: Int64, of: Int64, planes: Planes, low: float, top: float, near: float
) -> tuple[int, Float64, Int64]:
    """What is left behind by an outline that shrinks from the height `low` until nothing is left of it, or to `top`.

    Args:
        start: (c, 2) its corners: counter-clockwise, courtyards clockwise.
        after: (c,) the corner after each.
        of: (c,) the plane of the edge that goes on from each.
        near: metres apart, that count as one place.

    Returns:
        How it ended; (n, 3) nodes; (a, 4) arcs: nodes from and to, planes to the left and to the right, `OUTSIDE` or one beyond the last for what is at the `top`.
    """
    c = len(start)
    room = 40 * c + 64
    before = np.empty(c, np.int64)
    before[after] = np.arange(c)
    left, right, links, back, born = np.zeros((5, room), np.int64)
    s = _State(
        np.zeros((room, 2)),
        np.zeros((room, 2)),
        left,
        right,
        back,
        links,
        born,
        np.zeros(room, np.bool_),
        np.zeros((4 * room, 3)),
        np.zeros((12 * room, 4), np.int64),
        np.array([c, 0, 0]),
    )
    s.at[:c], s.right[:c], s.left[:c] = start, of, of[before]
    s.after[:c], s.before[:c], s.alive[:c] = after, before, True
    ended = _grown(s, planes, low, top, near)
    return ended, s.nodes[: s.used[1]].copy(), s.arcs[: s.used[2]].copy()
