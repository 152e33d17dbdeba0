"""Courses: rows of stones that fill stretches of a wall exactly.

Each course is cut at anchors about seven stones apart, which hang on the span alone, and filled between them with widths that hang on the anchor; so what is
moved changes stones near it and no others. The tops of joints are uneven; the line of a course runs through them, and the stone above takes its knots.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.kernels import kernel
from plough.core.lay.stones import FACE, MOST_CORNERS, Stones
from plough.core.rng import bits, mix, stream, symmetric, uniform

_ANCHOR, _WIDTH, _TOP, _SPLIT, _JAMB, _TIE = (
    stream(f"wall.{n}") for n in ("anchor", "width", "top", "split", "jamb", "tie")
)
_APART = 0.28  # of a course's height: joints above each other are so far apart where there is room
_KNOTS = MOST_CORNERS - 4  # of a course's line that one stone takes at most
_NEAR = 1e-4  # metres: knots nearer to a joint are that joint's
_THIN = 0.10  # metres of a course from which on a stone of it may be two thin ones


class Bond(NamedTuple):
    """How courses are laid; lengths in metres."""

    seed: np.uint64
    span: int
    side: int
    anchor: float  #: between anchors
    shortest: float  #: of a stone, by the height of its course
    longest: float
    uneven: float  #: 0 level courses to 1
    split: float  #: share of stones that are two thin ones


class Stretch(NamedTuple):
    """A stretch of a course without an opening in it."""

    start: float  #: metres
    end: float
    ends: tuple[bool, bool]  #: whether it stops there; else it meets the next span


def level_lines(height: float, footing: float, low: float, high: float, seed: int) -> Float64:
    """(rows + 1,) metres of the lines between courses, from the footing to the top: lower courses are about `low` high, upper ones `high`."""
    total = height + footing
    rng = np.uint64(seed)
    out, k = [0.0], 0
    while out[-1] < total:
        share = min(1.0, out[-1] / total)
        wanted = low + (high - low) * share
        out.append(out[-1] + wanted * (1.0 + 0.22 * float(symmetric(rng, _TOP, np.uint64(k)))))
        k += 1
    if len(out) > 2 and total - out[-2] < 0.5 * (out[-1] - out[-2]):
        out.pop()
    lines = np.array(out)
    return np.asarray(lines * (total / lines[-1]) - footing)


@kernel
def _number(b: Bond, row: int, anchor: int, k: int) -> np.uint64:
    """The number of a stone."""
    h = mix(np.uint64(b.span + 1) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(b.side + 1))
    h = mix(h + np.uint64(row + 1048576))
    h = mix(h + np.uint64(anchor + 1048576))
    return mix(h + np.uint64(k))


@kernel
def anchor_of(b: Bond, row: int, k: int) -> float:
    """Metres along the span of anchor `k` of a course."""
    off = symmetric(b.seed, _ANCHOR, _number(b, row, k, 0))
    if k == 0:  # where spans meet it lies behind the knot
        return 0.14 * b.anchor * (1.0 + off)
    return (k + 0.36 * off) * b.anchor


@kernel
def _filled(
    b: Bond,
    row: int,
    height: float,
    start: float,
    end: float,
    before: tuple[int, int],
    out: Float64,
    ids: UInt64,
    at: int,
) -> tuple[int, tuple[int, int]]:
    """Joints behind `start` up to and with `end`, written from row `at` on; the next free row.

    Args:
        before: the anchor in front of the last stone of the piece before, and from which number on others behind it are free; it is given for this piece, too.
    """
    least = 0.6 * b.shortest * height
    mean = 0.5 * (b.shortest + b.longest) * height
    k = int(math.floor(start / b.anchor)) - 1
    while anchor_of(b, row, k + 1) <= start + least:
        k += 1
    here = start
    used = before[1] if before[0] == k else 0
    while True:
        there = anchor_of(b, row, k + 1)
        if there >= end - least:
            there = end
        count = max(1, int((there - here) / mean + 0.5))
        total = 0.0
        for i in range(count):
            total += b.shortest + (b.longest - b.shortest) * uniform(
                b.seed, _WIDTH, _number(b, row, k, used + i)
            )
        x = here
        for i in range(count):
            ids[at] = _number(b, row, k, used + i)
            x += (
                (there - here)
                / total
                * (b.shortest + (b.longest - b.shortest) * uniform(b.seed, _WIDTH, ids[at]))
            )
            out[at] = there if i == count - 1 else x
            at += 1
        if there == end:
            return at, (k, used + count)
        here, k, used = there, k + 1, 0


@kernel
def _line_at(x: float, joints: Float64, tops: Float64, solid: Bool, n: int, flat: float) -> float:
    """The height of the line over a course, whose cells lie between `joints`; `flat` where it has none."""
    if n < 2 or x <= joints[0] or x >= joints[n - 1]:
        return flat
    low, high = 0, n - 1
    while high - low > 1:
        m = (low + high) // 2
        if joints[m] <= x:
            low = m
        else:
            high = m
    if not solid[low]:
        return flat
    t = (x - joints[low]) / (joints[high] - joints[low])
    return float(tops[low] + t * (tops[high] - tops[low]))


@kernel
def _course(
    b: Bond,
    row: int,
    bottom: float,
    top: float,
    starts: Float64,
    ends: Float64,
    fixed: Bool,
    flat: Float64,
    under: tuple[Float64, Float64, Bool],
) -> tuple[Float64, Float64, Bool, Bool, UInt64]:
    """Joints (n,) of one course, the tops of them, whether there is a cell behind each, whether it is to be filled, and its number.

    Args:
        starts, ends, fixed: pieces in order; those fixed are stones of their own.
        flat: (m, 2) stretches above which the course's line must be level.
        under: joints, tops and cells of the course below.
    """
    height = top - bottom
    room = 16
    for p in range(starts.shape[0]):
        room += int(4.0 * (ends[p] - starts[p]) / (b.shortest * height)) + 40
    joints, ids = np.empty(room), np.zeros(room, np.uint64)
    solid, fill = np.zeros(room, np.bool_), np.zeros(room, np.bool_)
    n, behind = 0, (-(2**40), 0)
    for p in range(starts.shape[0]):
        if n == 0 or joints[n - 1] < starts[p] - 1e-9:
            joints[n] = starts[p]
            n += 1
        first = n
        if fixed[p]:
            joints[n] = ends[p]
            n += 1
        else:
            n, behind = _filled(b, row, height, starts[p], ends[p], behind, joints, ids, n)
            for k in range(first, n):
                fill[k - 1] = True
            _unaligned(joints, first, n, under[0], _APART * height, 0.5 * b.shortest * height)
        for k in range(first, n):
            solid[k - 1] = True
            ids[k - 1] = ids[k]
    tops = np.full(n, top)
    for k in range(1, n - 1):
        if not (solid[k - 1] and solid[k] and fill[k - 1] and fill[k]):
            continue
        tops[k] += 0.11 * b.uneven * height * symmetric(b.seed, _TOP, ids[k])
        for m in range(flat.shape[0]):
            if joints[k + 1] > flat[m, 0] and joints[k - 1] < flat[m, 1]:
                tops[k] = top
    return joints[:n], tops, solid[:n], fill[:n], ids[:n]


@kernel
def _unaligned(
    joints: Float64, first: int, end: int, under: Float64, apart: float, least: float
) -> None:
    """Move joints that lie above one below, where there is room."""
    m = 0
    for k in range(first, end - 1):
        x = joints[k]
        while m < under.shape[0] and under[m] < x - apart:
            m += 1
        if m < under.shape[0] and under[m] < x + apart:
            moved = under[m] + apart if x >= under[m] else under[m] - apart
            if moved - joints[k - 1] > least and joints[k + 1] - moved > least:
                joints[k] = moved


@kernel
def _bedded(line: Float64, used: int) -> int:
    """The line (in place) that a stone rests on: that of the course below where it hangs down, else a straight one that clears it; the number of its knots."""
    first, last = line[0], line[used - 1]
    slope = (last[1] - first[1]) / (last[0] - first[0])
    above, convex = 0.0, True
    for k in range(1, used - 1):
        above = max(above, line[k, 1] - first[1] - slope * (line[k, 0] - first[0]))
        before = (line[k, 1] - line[k - 1, 1]) * (line[k + 1, 0] - line[k, 0])
        convex = convex and before <= (line[k + 1, 1] - line[k, 1]) * (line[k, 0] - line[k - 1, 0])
    if convex:
        return used
    line[1] = line[used - 1]
    line[0, 1] += above
    line[1, 1] += above
    return 2


@kernel
def _cells(
    b: Bond,
    row: int,
    bottom: float,
    top: float,
    course: tuple[Float64, Float64, Bool, Bool, UInt64],
    under: tuple[Float64, Float64, Bool],
    room: int,
) -> tuple[Float64, Int64, UInt64, int]:
    """Outlines of a course's filled cells, the number of corners of each, their numbers, and how many."""
    joints, tops, solid, fill, ids = course
    lower, heights, below = under
    n = joints.shape[0]
    corners = np.zeros((2 * room, MOST_CORNERS, 2))
    count = np.zeros(2 * room, np.int64)
    number = np.zeros(2 * room, np.uint64)
    out, m = 0, 0
    for k in range(n - 1):
        if not (solid[k] and fill[k]):
            continue
        x0, x1 = joints[k], joints[k + 1]
        line = np.empty((_KNOTS + 2, 2))
        line[0] = x0, _line_at(x0, lower, heights, below, lower.shape[0], bottom)
        used = 1
        while m > 0 and lower[m - 1] > x0:
            m -= 1
        while m < lower.shape[0] and lower[m] <= x0 + _NEAR:
            m += 1
        knots = m
        while knots < lower.shape[0] and lower[knots] < x1 - _NEAR and used <= _KNOTS:
            line[used] = lower[knots], heights[knots]
            used += 1
            knots += 1
        line[used] = x1, _line_at(x1, lower, heights, below, lower.shape[0], bottom)
        used += 1
        used = _bedded(line, used)
        height = top - bottom
        two = (
            used <= 3
            and height > _THIN
            and x1 - x0 > 0.9 * height
            and uniform(b.seed, _SPLIT, ids[k]) < b.split
        )
        if not two:
            corners[out, :used] = line[:used]
            corners[out, used] = x1, tops[k + 1]
            corners[out, used + 1] = x0, tops[k]
            count[out], number[out] = used + 2, ids[k]
            out += 1
            continue
        share = 0.5 + 0.12 * symmetric(b.seed, _SPLIT, ids[k] + np.uint64(1))
        tilt = 0.05 * symmetric(b.seed, _SPLIT, ids[k] + np.uint64(2))
        left = line[0, 1] + (share + tilt) * (tops[k] - line[0, 1])
        right = line[used - 1, 1] + (share - tilt) * (tops[k + 1] - line[used - 1, 1])
        corners[out, :used] = line[:used]
        corners[out, used] = x1, right
        corners[out, used + 1] = x0, left
        count[out], number[out] = used + 2, ids[k]
        out += 1
        corners[out, 0], corners[out, 1] = (x0, left), (x1, right)
        corners[out, 2], corners[out, 3] = (x1, tops[k + 1]), (x0, tops[k])
        count[out], number[out] = 4, bits(b.seed, _SPLIT, ids[k] + np.uint64(3))
        out += 1
    return corners, count, number, out


def _between(stretches: list[Stretch]) -> list[tuple[float, float]]:
    """What lies before, between and behind stretches."""
    edges = [-np.inf, *(x for s in stretches for x in (s.start, s.end)), np.inf]
    return [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=True) if b > a]


Fixed = list[tuple[float, float]]
"""Stretches of a course, in order, in which a stone of its own lies."""


def laid(
    bond: Bond,
    rows: list[int],
    lines: Float64,
    stretches: list[list[Stretch]],
    fixed: list[Fixed],
) -> Stones:
    """The stones of one face, course by course from below.

    Args:
        rows: (r,) numbers of the courses.
        lines: (r + 1,) metres of the lines between them.
        stretches, fixed: of each course.
    """
    under = (np.empty(0), np.empty(0), np.empty(0, bool))
    found = []
    for k, row in enumerate(rows):
        bottom, top = float(lines[k]), float(lines[k + 1])
        pieces = []
        for stretch in stretches[k]:
            at = stretch.start
            for a, b in fixed[k]:
                if b <= stretch.start or a >= stretch.end:
                    continue
                if a > at + 1e-6:
                    pieces.append((at, a, False))
                pieces.append((a, b, True))
                at = b
            if stretch.end > at + 1e-6:
                pieces.append((at, stretch.end, False))
        starts, ends = (np.array([p[c] for p in pieces], np.float64) for c in (0, 1))
        own = np.array([p[2] for p in pieces], bool)
        above = [*fixed[k + 1], *_between(stretches[k + 1])] if k + 1 < len(rows) else _between([])
        flat = np.array(above, np.float64).reshape(-1, 2)
        course = _course(bond, row, bottom, top, starts, ends, own, flat, under)
        corners, count, number, n = _cells(bond, row, bottom, top, course, under, len(course[0]))
        found.append((corners[:n], count[:n], number[:n]))
        under = (course[0], course[1], course[2])
    corners, count, number = (np.concatenate([f[c] for f in found]) for c in range(3))
    sides = np.full(len(count), bond.side)
    return Stones(corners, count, sides, np.full(len(count), FACE), number)
