"""Rubble: stones of no courses, as cells of a power diagram of those that courses would have had."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.kernels import kernel
from plough.core.lay.courses import Bond, Fixed, Stretch
from plough.core.lay.stones import MOST_CORNERS, Stones, cut
from plough.core.rng import stream, symmetric_array

_OFF, _HEAVY = stream("rubble.off"), stream("rubble.weight")
_ROUNDS = 2  #: of Lloyd's method (Lloyd 1982)
_STRETCH = 1.45  #: heights count so much: cells come out wider than high


@kernel
def _radius(ring: Float64, n: int, x: float, y: float) -> float:
    """How far the farthest corner of `ring` lies from a place."""
    far = 0.0
    for k in range(n):
        far = max(far, (ring[k, 0] - x) ** 2 + (ring[k, 1] - y) ** 2)
    return math.sqrt(far)


@kernel
def _cells(
    seeds: Float64, weight: Float64, blocked: Float64, low: float, high: float, reach: float
) -> tuple[Float64, Int64]:
    """Of each seed (n, 2) its cell (MOST_CORNERS + 8, 2), and the number of corners.

    Args:
        blocked: (m, 4) rectangles that no cell comes into: least and greatest x and y.
        low, high: the lines below and above all.
        reach: how far a cell may go.
    """
    n = seeds.shape[0]
    slack = 2.0 * math.sqrt(np.abs(weight).max()) if n else 0.0
    rings, count = np.zeros((n, MOST_CORNERS + 8, 2)), np.zeros(n, np.int64)
    work = np.empty((MOST_CORNERS + 8, 2))
    order = np.argsort(seeds[:, 0])
    for o in range(n):
        i = order[o]
        x, y = seeds[i]
        ring = rings[i]
        ring[0, 0], ring[0, 1], ring[1, 0], ring[1, 1] = x - reach, low, x + reach, low
        ring[2, 0], ring[2, 1], ring[3, 0], ring[3, 1] = x + reach, high, x - reach, high
        m = 4
        far = _radius(ring, m, x, y)  # of what is left of it: what is beyond cannot cut it
        before, behind = o - 1, o + 1
        while m > 2:
            left = x - seeds[order[before], 0] if before >= 0 else np.inf
            right = seeds[order[behind], 0] - x if behind < n else np.inf
            if min(left, right) > 2.0 * far + slack:
                break
            if left < right:
                j = order[before]
                before -= 1
            else:
                j = order[behind]
                behind += 1
            dx, dy = seeds[j, 0] - x, seeds[j, 1] - y
            apart = dx * dx + dy * dy
            off = 0.5 * (apart + weight[i] - weight[j])  # of the line between, times how far apart
            if apart < 1e-12 or (off > 0.0 and off * off > far * far * apart):
                continue
            m = cut(ring, m, dx, dy, dx * x + dy * y + off, work)
            far = _radius(ring, m, x, y)
        for b in range(blocked.shape[0]):
            if m < 3 or blocked[b, 0] > x + far or blocked[b, 1] < x - far:
                continue
            px = min(max(x, blocked[b, 0]), blocked[b, 1])
            py = min(max(y, blocked[b, 2]), blocked[b, 3])
            dx, dy = px - x, py - y
            if dx * dx + dy * dy < 1e-10:
                m = 0
                continue
            if dx * dx + dy * dy < far * far:
                m = cut(ring, m, dx, dy, dx * px + dy * py, work)
        count[i] = m
    return rings, count


@kernel
def _middles(rings: Float64, count: Int64, seeds: Float64) -> Float64:
    """(n, 2) the centre of each cell."""
    out = seeds.copy()
    for i in range(count.shape[0]):
        area = cx = cy = 0.0
        for k in range(count[i]):
            p, q = rings[i, k], rings[i, (k + 1) % count[i]]
            cross = (p[0] - seeds[i, 0]) * (q[1] - seeds[i, 1]) - (q[0] - seeds[i, 0]) * (
                p[1] - seeds[i, 1]
            )
            area += cross
            cx += cross * (p[0] + q[0] - 2 * seeds[i, 0])
            cy += cross * (p[1] + q[1] - 2 * seeds[i, 1])
        if area > 1e-9:
            out[i, 0] = seeds[i, 0] + cx / (3.0 * area)
            out[i, 1] = seeds[i, 1] + cy / (3.0 * area)
    return out


def as_rubble(
    face: Stones,
    stretches: list[list[Stretch]],
    fixed: list[Fixed],
    lines: Float64,
    bond: Bond,
) -> Stones:
    """The stones of a face, laid without courses.

    Args:
        face: the stones as courses would have them.
        stretches, fixed: of each course: where there is wall, and stones of its own.
        lines: between courses.
    """
    if not len(face):
        return face
    seed = int(bond.seed)
    seeds = face.middle
    size = np.sqrt(_areas(face.corners, face.count))
    off = np.stack([symmetric_array(seed, _OFF, face.id + np.uint64(k)) for k in range(2)], 1)
    seeds = (seeds + 0.36 * size[:, None] * off) * [1.0, _STRETCH]
    weight = 0.22 * size**2 * symmetric_array(seed, _HEAVY, face.id)
    blocked = _blocked(stretches, fixed, lines, 3.0 * float(size.max()))
    blocked = blocked * [1.0, 1.0, _STRETCH, _STRETCH]
    x, y = seeds[:, :1], seeds[:, 1:]
    left, right, under, over = blocked.T
    inside = ((x < left) | (x > right) | (y < under) | (y > over)).all(axis=1)
    seeds, weight, face = seeds[inside], weight[inside], face.taken(np.nonzero(inside)[0])
    low, high = _STRETCH * float(lines[0]), _STRETCH * float(lines[-1])
    reach = 2.5 * float(size.max())
    for _ in range(_ROUNDS):
        rings, count = _cells(seeds, weight, blocked, low, high, reach)
        seeds = _middles(rings, count, seeds)
    rings, count = _cells(seeds, weight, blocked, low, high, reach)
    good = (count >= 3) & (count <= MOST_CORNERS)
    corners = rings[:, :MOST_CORNERS] / [1.0, _STRETCH]
    whole = Stones(corners, count, face.side, face.role, face.id)
    return whole.taken(np.nonzero(good)[0])


@kernel
def _areas(corners: Float64, count: Int64) -> Float64:
    """(n,) square metres of each."""
    out = np.empty(count.shape[0])
    for i in range(count.shape[0]):
        total = 0.0
        for k in range(count[i]):
            j = k + 1 if k + 1 < count[i] else 0
            total += corners[i, k, 0] * corners[i, j, 1] - corners[i, j, 0] * corners[i, k, 1]
        out[i] = max(0.5 * total, 1e-6)
    return out


def _blocked(
    stretches: list[list[Stretch]], fixed: list[Fixed], lines: Float64, beyond: float
) -> Float64:
    """(m, 4) rectangles where no rubble is: stones of their own, openings, and what lies before and behind."""
    out: list[tuple[float, float, float, float]] = []
    every = [s for row in stretches for stretch in row for s in (stretch.start, stretch.end)]
    first, last = min(every), max(every)
    for r, (own, blocks) in enumerate(zip(stretches, fixed, strict=True)):
        low, high = float(lines[r]), float(lines[r + 1])
        edges = [s for stretch in own for s in (stretch.start, stretch.end)]
        ends = [first - beyond, *edges, last + beyond]
        gaps = zip(ends[::2], ends[1::2], strict=True)
        out += [(a, b, low, high) for a, b in gaps if b - a > 1e-6]
        out += [(a, b, low, high) for a, b in blocks]
    return np.array(out, np.float64).reshape(-1, 4)
