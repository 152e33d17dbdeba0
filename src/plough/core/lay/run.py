"""Runs: a line on the ground cut at its knots into spans, each known only by itself and its neighbours.

Places along a span are metres from its first knot, so what is laid on one does not hang on how long those before it are.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from plough.core.arrays import Float64
from plough.core.errors import ParameterError
from plough.core.ground.paths import Curve, check_points, path_curve, self_crossing
from plough.core.ground.ribbon import edges
from plough.core.ground.surface import Surface
from plough.core.hashing import digest, key_of
from plough.core.kernels import kernel

Bends = Literal["round", "sharp"]
REACH = 3.0  #: metres that a span knows of those before and behind it, at most
CORNER = math.radians(8.0)  #: turns of a sharp run from which on it has a corner
_BACK = math.radians(155.0)  # turns from which on it goes back on itself
_SPACING = 0.5  # metres between the points of a round run
_STATION = 1.5  # metres between the places where the ground is asked


@dataclass(frozen=True, slots=True)
class Corner:
    """Where a sharp run turns."""

    at: tuple[float, float]  #: metres east and south
    before: tuple[float, float]  #: unit direction in which it comes
    after: tuple[float, float]  #: and in which it goes on
    turn: float  #: radians, clockwise seen from above

    @property
    def outer(self) -> int:
        """The side outside its bend: 1 right, -1 left."""
        return -1 if self.turn > 0 else 1


@kernel
def directions(line: Float64) -> tuple[Float64, Float64]:
    """(n - 1,) radians of the directions of a line (n, 2), none a half turn from the one before; and (n - 1,) metres long."""
    n = line.shape[0] - 1
    angle, long = np.empty(n), np.empty(n)
    for i in range(n):
        dx, dy = line[i + 1, 0] - line[i, 0], line[i + 1, 1] - line[i, 1]
        angle[i], long[i] = math.atan2(dy, dx), math.hypot(dx, dy)
        if i:
            turn = angle[i] - angle[i - 1]
            angle[i] -= 2.0 * math.pi * np.rint(turn / (2.0 * math.pi))
    return angle, long


def _bend(line: Float64) -> float:
    angle, long = directions(line)
    return float((2.0 * np.abs(np.diff(angle)) / (long[1:] + long[:-1])).max(initial=0.0))


@dataclass(frozen=True, eq=False)
class Span:
    """A run from one knot to the next, and a little of what comes before and behind."""

    number: int
    length: float  #: metres
    at: Float64  #: (n,) metres from its first knot, ascending; less than 0 before it
    line: Float64  #: (n, 2) metres
    right: Float64  #: (n, 2) from the line to the right, one long where no bend is too tight
    left: Float64  #: (n, 2)
    ground: Float64  #: (n,) metres, smoothed
    lowest: Float64  #: (n,) metres of the lowest ground across its width
    first: Corner | None = None  #: at its first knot
    last: Corner | None = None
    begins: bool = False  #: nothing comes before it
    ends: bool = False

    @property
    def own(self) -> Float64:
        """(m, 2) its line from knot to knot."""
        return self.line[(self.at >= 0.0) & (self.at <= self.length)]

    def place(self, s: float) -> tuple[float, float]:
        """Metres east and south, `s` metres along it."""
        x, z = (float(np.interp(s, self.at, self.line[:, k])) for k in (0, 1))
        return x, z

    def height(self, s: float) -> float:
        """Metres of the ground, `s` metres along it."""
        return float(np.interp(s, self.at, self.ground))

    @property
    def bend(self) -> float:
        """How tightly it bends between its knots where it does most, as 1 by metres of the radius."""
        return _bend(self.own)

    @property
    def bend_with_knots(self) -> float:
        """How tightly it bends where it does most, its knots among that; this hangs on the spans beside it."""
        rows = np.nonzero((self.at >= 0.0) & (self.at <= self.length))[0]
        first = rows[0] - (rows[0] > 0 and self.first is None)
        last = rows[-1] + (rows[-1] + 1 < len(self.at) and self.last is None)
        return _bend(self.line[first : last + 1])

    @property
    def key(self) -> str:
        """Tells it from any other."""
        arrays = (self.at, self.line, self.right, self.left, self.ground, self.lowest)
        ends = (self.number, self.length, self.begins, self.ends, repr(self.first), repr(self.last))
        return key_of([digest(a.tobytes()) for a in arrays], *ends)


def run_curve(
    points: Sequence[tuple[float, ...]], bends: Bends, closed: bool, width: float
) -> Curve:
    """The line of a run, as a curve on the map.

    Raises:
        ParameterError: it crosses itself, is too long, or two neighbouring points coincide.
    """
    if bends == "round":
        return path_curve([p[:2] for p in points], width, _SPACING, closed)
    places = [(p[0], p[1]) for p in points]
    ring = [*places, places[0]] if closed else places
    check_points(ring)
    pieces, spans = [], []
    for k, (a, b) in enumerate(zip(ring, ring[1:], strict=False)):
        count = max(1, math.ceil(math.dist(a, b) / _SPACING))
        t = np.arange(count)[:, None] / count
        pieces.append(np.array(a) + t * (np.array(b) - np.array(a)))
        spans += [k] * count
    line = np.concatenate([*pieces, [ring[-1]]])
    crossing = self_crossing(line[:-1] if closed else line, closed)
    if crossing is not None:
        where = f"({crossing[0]:.1f}, {crossing[1]:.1f})"
        raise ParameterError("points", f"it crosses itself near {where}; move a point there")
    half, flat = np.full(len(line), 0.5 * width), np.zeros(len(line))
    key = key_of(digest(line.tobytes()), width, closed)
    return Curve(line, np.array([*spans, spans[-1]]), width, half, flat, key, closed)


def spans_of(curve: Curve, bends: Bends, surface: Surface) -> list[Span]:
    """The spans of a run of `run_curve`, on the ground."""
    starts = np.searchsorted(curve.spans[:-1], np.arange(curve.spans[-1] + 1))
    ends = np.append(starts[1:], len(curve.line) - 1)
    lines = [curve.line[a : b + 1] for a, b in zip(starts, ends, strict=True)]
    at = [np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(x, axis=0).T))]) for x in lines]
    if bends == "round":
        sides = _sides(curve)
        across = [
            tuple(side[a : b + 1] for side in sides) for a, b in zip(starts, ends, strict=True)
        ]
    else:
        across = [_square(line) for line in lines]
    stations, heights, lowest = _stations(lines, at, curve.closed, 0.5 * curve.width, surface)
    n = len(lines)
    out = []
    for k in range(n):
        before = (k - 1) % n if curve.closed or k else None
        after = (k + 1) % n if curve.closed or k + 1 < n else None
        # where it turns back on itself it ends, and begins anew
        if before is not None and abs(_turn(lines[before], lines[k])[2]) > _BACK:
            before = None
        if after is not None and abs(_turn(lines[k], lines[after])[2]) > _BACK:
            after = None
        sharp = bends == "sharp"
        corners = (
            _corner(lines[before], lines[k]) if sharp and before is not None else None,
            _corner(lines[k], lines[after]) if sharp and after is not None else None,
        )
        own = [(at[k], lines[k], *across[k])]
        if before is not None and corners[0] is None:
            rows = at[before] >= at[before][-1] - REACH
            rows[-1] = False
            moved = at[before][rows] - at[before][-1]
            own.insert(0, (moved, lines[before][rows], *(x[rows] for x in across[before])))
        else:
            own.insert(0, _straight(own[0], 0))
        if after is not None and corners[1] is None:
            rows = at[after] <= REACH
            rows[0] = False
            moved = at[after][rows] + at[k][-1]
            own.append((moved, lines[after][rows], *(x[rows] for x in across[after])))
        else:
            own.append(_straight(own[1], -1))
        s, line, right, left = (np.concatenate([o[c] for o in own]) for c in range(4))
        if sharp:  # where it hardly turns, both sides of a knot share the way across
            for row, there in ((len(own[0][0]), before), (len(s) - len(own[2][0]) - 1, after)):
                if there is not None:
                    for side in (right, left):
                        side[row] = 0.5 * (side[row - 1] + side[row + 1])
        known = [(stations[k], heights[k], lowest[k])]
        if before is not None and corners[0] is None:
            past = stations[before][:-1] - at[before][-1]
            known.insert(0, (past, heights[before][:-1], lowest[before][:-1]))
        if after is not None and corners[1] is None:
            ahead = stations[after][1:] + at[k][-1]
            known.append((ahead, heights[after][1:], lowest[after][1:]))
        where, high, low = (np.concatenate([o[c] for o in known]) for c in range(3))
        out.append(
            Span(
                k,
                float(at[k][-1]),
                s,
                line,
                right,
                left,
                np.interp(s, where, high),
                np.interp(s, where, low),
                corners[0],
                corners[1],
                before is None,
                after is None,
            )
        )
    return out


def _square(line: Float64) -> tuple[Float64, Float64]:
    """(n, 2) each: square to a straight line, to the right and to the left."""
    way = line[-1] - line[0]
    right = np.tile(np.array([-way[1], way[0]]) / np.hypot(*way), (len(line), 1))
    return right, -right


def _sides(curve: Curve) -> tuple[Float64, Float64]:
    """(n, 2) each: from the line to the right and to the left, drawn in where a bend is too tight for the width."""
    line, half = curve.line, 0.5 * curve.width
    around = 8 if curve.closed else 0
    if around:
        line = np.concatenate([line[-around - 1 : -1], line, line[1 : around + 1]])
    across = edges(line, 2.0 * half)[around : len(line) - around]
    return (across[:, 4] - curve.line) / half, (across[:, 0] - curve.line) / half


def _straight(own: tuple[Float64, ...], end: int) -> tuple[Float64, ...]:
    """One more row, `REACH` metres before the first (0) or behind the last (-1), straight on."""
    at, line, right, left = own
    near = (0, 1) if end == 0 else (-1, -2)
    way = (line[near[0]] - line[near[1]]) / abs(at[near[0]] - at[near[1]])
    return (
        np.array([at[end] + (-REACH if end == 0 else REACH)]),
        (line[end] + REACH * way)[None],
        right[end : end + 1] if end == 0 else right[-1:],
        left[end : end + 1] if end == 0 else left[-1:],
    )


def _turn(before: Float64, after: Float64) -> tuple[Float64, Float64, float]:
    """The unit directions in which one line ends and the next begins, and the radians between them, clockwise seen from above."""
    a, b = before[-1] - before[-2], after[1] - after[0]
    a, b = a / np.hypot(*a), b / np.hypot(*b)
    return a, b, math.atan2(a[0] * b[1] - a[1] * b[0], float(a @ b))


def _corner(before: Float64, after: Float64) -> Corner | None:
    a, b, turn = _turn(before, after)
    if abs(turn) < CORNER:
        return None
    return Corner(
        (float(after[0, 0]), float(after[0, 1])),
        (float(a[0]), float(a[1])),
        (float(b[0]), float(b[1])),
        turn,
    )


def _stations(
    lines: list[Float64], at: list[Float64], closed: bool, half: float, surface: Surface
) -> tuple[list[Float64], list[Float64], list[Float64]]:
    """Of each span, places along it from knot to knot; the height of the ground there, each the mean of three and of its neighbours; and the lowest of the three."""
    places = [np.linspace(0.0, s[-1], max(1, round(s[-1] / _STATION)) + 1) for s in at]
    points = [
        np.stack([np.interp(p, s, line[:, c]) for c in (0, 1)], axis=1)
        for p, s, line in zip(places, at, lines, strict=True)
    ]
    way = [np.gradient(p, axis=0) for p in points]
    side = [np.stack([-w[:, 1], w[:, 0]], 1) / np.hypot(*w.T)[:, None] for w in way]
    every = np.concatenate(
        [p + k * half * w for p, w in zip(points, side, strict=True) for k in (-1, 0, 1)]
    )
    found = surface.sample(*(np.ascontiguousarray(every[:, c]) for c in (0, 1)))
    height = np.where(found.hit, found.position[:, 1], np.nan)
    raw, lowest, first = [], [], 0
    for p in places:
        three = height[first : first + 3 * len(p)].reshape(3, -1)
        first += 3 * len(p)
        known = ~np.isnan(three)
        mean = np.where(known, three, 0.0).sum(axis=0) / np.maximum(1, known.sum(axis=0))
        raw.append(mean)
        lowest.append(np.where(known, three, np.inf).min(axis=0, initial=np.inf))
        lowest[-1] = np.minimum(lowest[-1], mean)
    n = len(raw)
    for k in range(n):  # where two meet they are told alike
        if k + 1 < n or closed:
            shared = 0.5 * (raw[k][-1] + raw[(k + 1) % n][0])
            raw[k][-1] = raw[(k + 1) % n][0] = shared
            lower = min(lowest[k][-1], lowest[(k + 1) % n][0])
            lowest[k][-1] = lowest[(k + 1) % n][0] = lower
    out = []
    for k, own in enumerate(raw):
        before = raw[k - 1][-2] if k or closed else own[0]
        after = raw[(k + 1) % n][1] if k + 1 < n or closed else own[-1]
        wide = np.concatenate([[before], own, [after]])
        out.append(0.25 * wide[:-2] + 0.5 * wide[1:-1] + 0.25 * wide[2:])
    return places, out, lowest
