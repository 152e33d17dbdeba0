"""Pushing apart: things that stand into each other are moved, as little as need be, until none does.

Rounds of pairs, one after the other (Gauss-Seidel): the two of a pair share the way out between
them, the heavier one moving less. Nothing is turned.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float64, Int64
from plough.core.kernels import kernel
from plough.core.place.bodies import Stood, apart_by, gap, out_along, reach_over

GAP = 0.002  #: metres that those that have been moved are clear of each other
_ROUNDS = 400  #: at most
_SHARE = 0.8  # of the way out that a pair goes at once: all of it would throw some about
_MARGIN = 0.3  # of the mean size: how far boxes may be apart of pairs that are kept in mind
_STEPS = 2  # that a way out is followed from where it was before
_WAYS = 16  # directions on the level that are tried


@dataclass(frozen=True, slots=True)
class Apart:
    """Where things are moved to."""

    by: Float64  #: (n, 3) metres that each is moved
    left: Int64  #: (m, 2) rows of pairs that still stand into each other
    rounds: int


Follow = Callable[[Float64], Float64]
"""Metres by which each of n things rises or falls with the ground where it has been moved by (n, 2) east and south."""


def push_apart(
    stood: Stood,
    count: int,
    free: Bool,
    level: bool = False,
    follow: Follow | None = None,
    check: Callable[[], None] = lambda: None,
    rounds: int = _ROUNDS,
) -> Apart:
    """Move things until none stands into another.

    Args:
        stood: the bodies of all `count` things; those that block nothing count as well.
        free: (n,) those that may be moved; the others stay.
        level: they are only moved east and south.
        follow: how they rise and fall with the ground then.
        check: called in every round; may raise to stop.
        rounds: at most.
    """
    points = stood.points.copy()
    low, high = stood.low.copy(), stood.high.copy()
    size = np.zeros(count)
    np.maximum.at(size, stood.thing, (stood.high - stood.low).max(axis=1, initial=0.0))
    mass = np.where(free, np.maximum(size, 1e-6) ** 3, np.inf)
    first, last = _bodies_of(stood.thing, count)
    by = np.zeros((count, 3))
    rise = np.zeros(count)
    gone = np.zeros(count)
    shape = stood.starts, stood.round, stood.thing, first, last
    margin = _MARGIN * float(size.mean()) if count else 0.0
    near = _Near.of(low, high, stood.thing, mass, margin, gone)
    for step in range(rounds):
        check()
        pushed = _round(points, *shape, low, high, *near.parts, gone, mass, by, level)
        if follow is not None and pushed:
            now = follow(by[:, [0, 2]])
            _shift(points, stood.starts, low, high, first, last, now - rise)
            by[:, 1] += now - rise
            gone += np.abs(now - rise)
            rise = now
        if 2.0 * float((gone - near.gone).max(initial=0.0)) > margin:
            near = near.again(_Near.of(low, high, stood.thing, mass, margin, gone))
        elif not pushed:
            return Apart(by, np.empty((0, 2), np.int64), step)
    order = np.argsort(low[:, 0], kind="stable")
    left = _left(points, stood.starts, stood.round, stood.thing, low, high, order)
    movable = free[left[:, 0]] | free[left[:, 1]] if len(left) else np.empty(0, bool)
    return Apart(by, np.unique(left[movable], axis=0), rounds)


@dataclass(frozen=True, slots=True, eq=False)
class _Near:
    """Pairs of bodies that can meet while no thing goes further than half the margin, and what is known of each."""

    pairs: Int64  #: (m, 2) rows of bodies
    axis: Float64  #: (m, 3) from the first to the second; 0 where none is known
    room: Float64  #: (m,) metres that the two of a pair may go together before they can meet
    since: Float64  #: (m,) metres that they had gone then
    gone: Float64  #: (n,) metres that each thing had gone when the pairs were found

    @staticmethod
    def of(
        low: Float64, high: Float64, thing: Int64, mass: Float64, margin: float, gone: Float64
    ) -> _Near:
        """As they stand now, in the order in which they stand from west to east."""
        order = np.argsort(low[:, 0], kind="stable")
        pairs = _pairs(low, high, thing, mass, order, margin + GAP)
        m = len(pairs)
        return _Near(pairs, np.zeros((m, 3)), np.full(m, -1.0), np.zeros(m), gone.copy())

    @property
    def parts(self) -> tuple[Int64, Float64, Float64, Float64]:
        """What a round reads and writes."""
        return self.pairs, self.axis, self.room, self.since

    def again(self, fresh: _Near) -> _Near:
        """`fresh`, with what is known of the pairs that were there before."""
        every = int(max(self.pairs.max(initial=0), fresh.pairs.max(initial=0))) + 1
        old, new = (np.sort(p, axis=1) @ [every, 1] for p in (self.pairs, fresh.pairs))
        order = np.argsort(old, kind="stable")
        at = np.minimum(np.searchsorted(old, new, sorter=order), max(0, len(old) - 1))
        if not len(old) or not len(new):
            return fresh
        rows = order[at]
        same = old[rows] == new
        turned = self.pairs[rows, 0] != fresh.pairs[:, 0]
        fresh.axis[same] = np.where(turned[:, None], -1.0, 1.0)[same] * self.axis[rows[same]]
        fresh.room[same], fresh.since[same] = self.room[rows[same]], self.since[rows[same]]
        return fresh


def _bodies_of(thing: Int64, count: int) -> tuple[Int64, Int64]:
    """The first body of each thing, and that after its last; bodies of one thing follow each other."""
    rows = np.arange(count)
    return np.searchsorted(thing, rows), np.searchsorted(thing, rows, "right")


@kernel
def _way_out(
    points: Float64,
    a0: int,
    a1: int,
    ra: float,
    b0: int,
    b1: int,
    rb: float,
    level: bool,
    known: bool,
    axis: Float64,
) -> float:
    """Metres by which the second of two bodies is in the first, and the `axis` along which it comes out; less than 0 where they are apart.

    Args:
        known: `axis` is one along which it came out before; from there the way is found sooner.
    """
    way = axis.copy()
    if known:
        depth = -gap(points, a0, a1, b0, b1, np.zeros(3), axis)
        if depth >= 0.0:
            axis[:] = way
            depth = out_along(points, a0, a1, b0, b1, axis, _STEPS)
        depth += ra + rb
    else:
        depth = -apart_by(points, a0, a1, ra, b0, b1, rb, axis, 1)
    if depth <= -GAP or not level:
        return depth
    best = np.inf
    flat = math.sqrt(axis[0] * axis[0] + axis[2] * axis[2])
    for k in range(_WAYS + 1):
        turn = 2.0 * math.pi * k / _WAYS
        way[0], way[1], way[2] = math.cos(turn), 0.0, math.sin(turn)
        if k == _WAYS:
            if flat < 1e-6:
                continue
            way[0], way[2] = axis[0] / flat, axis[2] / flat
        out = reach_over(points, a0, a1, b0, b1, way) + ra + rb
        if out < best:
            best = out
            axis[0], axis[1], axis[2] = way[0], way[1], way[2]
    return best


@kernel
def _from_middles(points: Float64, a0: int, a1: int, b0: int, b1: int, axis: Float64) -> bool:
    """The `axis` from the middle of the first of two bodies to that of the second; False where they are one."""
    for c in range(3):
        axis[c] = 0.0
    for i in range(a0, a1):
        for c in range(3):
            axis[c] -= points[i, c] / (a1 - a0)
    for i in range(b0, b1):
        for c in range(3):
            axis[c] += points[i, c] / (b1 - b0)
    long = math.sqrt(axis[0] * axis[0] + axis[1] * axis[1] + axis[2] * axis[2])
    for c in range(3):
        axis[c] /= max(long, 1e-9)
    return long > 1e-9


@kernel
def _pairs(
    low: Float64, high: Float64, thing: Int64, mass: Float64, order: Int64, margin: float
) -> Int64:
    """(m, 2) bodies of two things, not both fixed, whose boxes are no further apart than `margin` on any axis."""
    out, count = np.empty((256, 2), np.int64), 0
    for k in range(len(order)):
        a = order[k]
        for m in range(k + 1, len(order)):
            b = order[m]
            if low[b, 0] > high[a, 0] + margin:
                break
            i, j = thing[a], thing[b]
            if i == j or (mass[i] == np.inf and mass[j] == np.inf):
                continue
            if _box_room(low, high, a, b) > margin:
                continue
            if count == len(out):
                more = np.empty((2 * count, 2), np.int64)
                more[:count] = out
                out = more
            out[count, 0], out[count, 1] = a, b
            count += 1
    return out[:count]


@kernel
def _box_room(low: Float64, high: Float64, a: int, b: int) -> float:
    """Metres between two boxes along the axis on which they are furthest apart; less than 0 where they meet."""
    best = -np.inf
    for c in range(3):
        best = max(best, low[b, c] - high[a, c], low[a, c] - high[b, c])
    return best


@kernel
def _round(
    points: Float64,
    starts: Int64,
    about: Float64,
    thing: Int64,
    first: Int64,
    last: Int64,
    low: Float64,
    high: Float64,
    pairs: Int64,
    axes: Float64,
    room: Float64,
    since: Float64,
    gone: Float64,
    mass: Float64,
    by: Float64,
    level: bool,
) -> int:
    """Every pair once; how many were pushed.

    Two that were apart need no look until they may have come together, and then first one along
    the axis that told them apart.
    """
    pushed = 0
    axis = np.empty(3)
    for k in range(len(pairs)):
        a, b = pairs[k, 0], pairs[k, 1]
        i, j = thing[a], thing[b]
        moved = gone[i] + gone[j]
        if moved - since[k] < room[k]:
            continue
        since[k] = moved
        room[k] = _box_room(low, high, a, b) - GAP
        if room[k] > 0.0:
            continue
        a0, a1, b0, b1 = starts[a], starts[a + 1], starts[b], starts[b + 1]
        ra, rb = about[a], about[b]
        known = axes[k, 0] != 0.0 or axes[k, 1] != 0.0 or axes[k, 2] != 0.0
        if known or _from_middles(points, a0, a1, b0, b1, axes[k]):
            room[k] = -reach_over(points, a0, a1, b0, b1, axes[k]) - ra - rb - GAP
            if room[k] > 0.0:
                continue
        axis[:] = axes[k]
        depth = _way_out(points, a0, a1, ra, b0, b1, rb, level, known, axis)
        axes[k] = axis
        room[k] = -depth - 0.5 * GAP
        if room[k] >= 0.0:
            continue
        pushed += 1
        # what is in deep comes out by and by; the last bit at once
        way = max(_SHARE * (depth + GAP), min(depth + GAP, 0.02))
        if mass[i] == np.inf:
            of_second = 1.0
        elif mass[j] == np.inf:
            of_second = 0.0
        else:
            of_second = mass[i] / (mass[i] + mass[j])
        _move(points, starts, low, high, first[i], last[i], axis, -way * (1.0 - of_second))
        _move(points, starts, low, high, first[j], last[j], axis, way * of_second)
        gone[i] += way * (1.0 - of_second)
        gone[j] += way * of_second
        for c in range(3):
            by[i, c] -= axis[c] * way * (1.0 - of_second)
            by[j, c] += axis[c] * way * of_second
    return pushed


@kernel
def _move(
    points: Float64,
    starts: Int64,
    low: Float64,
    high: Float64,
    first: int,
    last: int,
    axis: Float64,
    by: float,
) -> None:
    if by == 0.0:
        return
    for b in range(first, last):
        for c in range(3):
            low[b, c] += axis[c] * by
            high[b, c] += axis[c] * by
        for p in range(starts[b], starts[b + 1]):
            for c in range(3):
                points[p, c] += axis[c] * by


@kernel
def _shift(
    points: Float64,
    starts: Int64,
    low: Float64,
    high: Float64,
    first: Int64,
    last: Int64,
    up: Float64,
) -> None:
    axis = np.array([0.0, 1.0, 0.0])
    for i in range(len(up)):
        _move(points, starts, low, high, first[i], last[i], axis, up[i])


@kernel
def _left(
    points: Float64,
    starts: Int64,
    about: Float64,
    thing: Int64,
    low: Float64,
    high: Float64,
    order: Int64,
) -> Int64:
    """(m, 2) pairs of things that still stand into each other."""
    out, count = np.empty((64, 2), np.int64), 0
    axis = np.empty(3)
    for k in range(len(order)):
        a = order[k]
        for m in range(k + 1, len(order)):
            b = order[m]
            if low[b, 0] > high[a, 0]:
                break
            if thing[a] == thing[b] or _box_room(low, high, a, b) > 0.0:
                continue
            if (
                apart_by(
                    points,
                    starts[a],
                    starts[a + 1],
                    about[a],
                    starts[b],
                    starts[b + 1],
                    about[b],
                    axis,
                )
                >= 0.0
            ):
                continue
            if count == len(out):
                more = np.empty((2 * count, 2), np.int64)
                more[:count] = out
                out = more
            out[count, 0], out[count, 1] = min(thing[a], thing[b]), max(thing[a], thing[b])
            count += 1
    return out[:count]
