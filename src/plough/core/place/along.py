"""Stations along paths: how far from each other, on which sides, in how many rows, and where each faces."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.curves import profile_table
from plough.core.errors import TooLargeError
from plough.core.ground.paths import Curve
from plough.core.kernels import kernel
from plough.core.rng import bits_array, stream, uniform_array

MOST, MOST_PUSHED = 200_000, 10_000  #: stations of one layer; those that can be pushed apart
_STEP = 0.25  # metres in which the closeness along a path is added up
_STATION, _JITTER = stream("along.station"), stream("along.jitter")
_RING, _ROUND = stream("along.ring"), stream("along.round")
_PUSHES, _SLACK = 600, 2e-3  # rounds, and metres that are pushed further than need be

Sides = Literal["middle", "left", "right", "both", "alternate"]
Layout = Literal["even", "fitted", "jittered"]


@dataclass(frozen=True, slots=True)
class AlongRule:
    """Where along a path things stand."""

    seed: int  #: of the layer, 64 bits
    spacing: float  #: metres
    layout: Layout = "even"
    jitter: float = 0.5  #: of the spacing, either way, where they are jittered
    sides: Sides = "both"
    offset: float = 0.0  #: metres from the middle to the first row
    rows: int = 1
    between: float = 1.0  #: metres between rows
    margins: tuple[float, float] = (0.0, 0.0)  #: metres left free at the start and at the end
    cluster: int = 1  #: things about each station
    radius: float = 0.0  #: metres that these lie about it, at most
    closeness: tuple[tuple[float, float], ...] = ((0.0, 1.0), (1.0, 1.0))  #: along it, 0 to 1


@dataclass(frozen=True, slots=True)
class Stations:
    """Places along one path."""

    ids: UInt64  #: (n,) stable: of the seed, the path, the row and the number in it
    x: Float64  #: (n,) metres east
    z: Float64  #: (n,) metres south
    share: Float64  #: (n,) of the path that lies behind, 0 to 1
    tangent: Float64  #: (n, 2) unit, the way the path goes
    out: Float64  #: (n, 2) unit, away from the middle; to the right on it

    def taken(self, rows: Int64) -> Stations:
        """Those in `rows`."""
        return Stations(*(getattr(self, name)[rows] for name in Stations.__slots__))


def stations(rule: AlongRule, name: str, curve: Curve, most: int = MOST) -> Stations:
    """All stations of `rule` along the path called `name`.

    Raises:
        TooLargeError: there would be more than `most`; none has been made then.
    """
    line = np.concatenate([curve.line, curve.line[:1]]) if _open_ring(curve) else curve.line
    steps = np.hypot(*np.diff(line, axis=0).T)
    chain = np.concatenate([[0.0], np.cumsum(steps)])
    numbers, along = _numbers(rule, name, float(chain[-1]), curve.closed)
    rows = _rows(rule)
    total = len(along) * len(rows) * rule.cluster
    if total > most:
        raise TooLargeError(
            "spacing", f"would take {total:,} along {curve.length:,.0f} m; the limit is {most:,}"
        )
    # every station of every row, and each member of its cluster
    which, row, member = (
        a.ravel()
        for a in np.meshgrid(
            np.arange(len(numbers)), np.arange(len(rows)), np.arange(rule.cluster), indexing="ij"
        )
    )
    named, offset = np.array([r[0] for r in rows]), np.array([r[1] for r in rows])
    if rule.sides == "alternate":
        by_turns = (numbers[which] + named[row]) % 2 == 0
        which, row, member = which[by_turns], row[by_turns], member[by_turns]
    number, at, aside = numbers[which], along[which], offset[row]
    row = named[row]
    ids = _ids(rule.seed, name, number, row, member)
    x, z = (np.interp(at, chain, line[:, k]) for k in (0, 1))
    tangent = _tangents(line, steps, chain, at, curve.closed)
    right = np.stack([-tangent[:, 1], tangent[:, 0]], axis=1)
    x, z = (np.stack([x, z], axis=1) + right * aside[:, None] + _about(rule, ids)).T
    out = right * np.where(aside >= 0, 1.0, -1.0)[:, None]
    return Stations(ids, x, z, at / max(float(chain[-1]), 1e-9), tangent, out)


def _open_ring(curve: Curve) -> bool:
    """Whether a closed path's line does not come back to its first point by itself."""
    return curve.closed and bool((curve.line[0] != curve.line[-1]).any())


def _numbers(rule: AlongRule, name: str, length: float, closed: bool) -> tuple[Int64, Float64]:
    """(n,) the numbers of the stations of one row, and metres along the path of each."""
    first, last = (0.0, length) if closed else (rule.margins[0], length - rule.margins[1])
    if last < first:
        return np.empty(0, np.int64), np.empty(0)
    # stations lie where the closeness, added up, comes to whole numbers
    grid = np.linspace(first, last, max(2, math.ceil((last - first) / _STEP) + 1))
    table = profile_table(rule.closeness)
    close = np.interp(grid / max(length, 1e-9), np.linspace(0, 1, len(table)), table)
    rate = np.clip(close, 1e-6, None) / rule.spacing
    summed = np.concatenate([[0.0], np.cumsum(0.5 * (rate[1:] + rate[:-1]) * np.diff(grid))])
    total = float(summed[-1])
    if total > MOST:
        raise TooLargeError("spacing", f"would take {total:,.0f} a row; the limit is {MOST:,}")
    number = np.arange(math.floor(total + 1e-9) + 1)
    place: Float64 = number.astype(np.float64)
    if rule.layout == "fitted" or closed:
        count = max(1, round(total))
        number = np.arange(count if closed else count + 1)
        place = np.asarray(number * (total / count), np.float64)
    if rule.layout == "jittered":
        own = _ids(rule.seed, name, number, 0 * number, 0 * number)
        place = place + rule.jitter * (2.0 * uniform_array(rule.seed, _JITTER, own) - 1.0)
        place = place % total if closed else np.clip(place, 0.0, total)
    return number, np.interp(place, summed, grid)


def _rows(rule: AlongRule) -> list[tuple[int, float]]:
    """Number and offset of each row, to the right; those on the left have odd numbers."""
    if rule.sides == "middle":
        half = 0.5 * (rule.rows - 1)
        return [(2 * k, (k - half) * rule.between) for k in range(rule.rows)]
    out = []
    for k in range(rule.rows):
        offset = rule.offset + k * rule.between
        if rule.sides != "left":
            out.append((2 * k, offset))
        if rule.sides != "right":
            out.append((2 * k + 1, -offset))
    return out


def _ids(seed: int, name: str, number: Int64, row: Int64, member: Int64) -> UInt64:
    index = ((number << 24) | (row << 12) | member).astype(np.uint64)
    return bits_array(seed ^ int(stream(f"path {name}")), _STATION, index)


def _about(rule: AlongRule, ids: UInt64) -> Float64:
    """(n, 2) metres by which each lies off its station, evenly over the disc."""
    if rule.radius <= 0:
        return np.zeros((len(ids), 2))
    far = rule.radius * np.sqrt(uniform_array(rule.seed, _RING, ids))
    turn = 2.0 * math.pi * uniform_array(rule.seed, _ROUND, ids)
    return np.stack([far * np.cos(turn), far * np.sin(turn)], axis=1)


def _tangents(line: Float64, steps: Float64, chain: Float64, at: Float64, closed: bool) -> Float64:
    """(n, 2) which way the path goes at each place: between points, evenly from one to the next."""
    ways = np.diff(line, axis=0) / np.maximum(steps, 1e-9)[:, None]
    before = np.concatenate([ways[-1:] if closed else ways[:1], ways])
    after = np.concatenate([ways, ways[:1] if closed else ways[-1:]])
    of_points = before + after
    found = np.stack([np.interp(at, chain, of_points[:, k]) for k in (0, 1)], axis=1)
    return np.asarray(found / np.maximum(np.hypot(*found.T), 1e-9)[:, None])


def facing_of(way: Float64) -> Float64:
    """(n,) radians about the vertical by which what looks south is turned to look along `way` (n, 2), east and south."""
    return np.asarray(np.arctan2(way[:, 0], way[:, 1]))


def pushed_apart(
    x: Float64, z: Float64, radius: Float32, rank: Float64
) -> tuple[Float64, Float64, int]:
    """Places x and z from which discs of `radius` (n,) metres do not overlap, moved as little as pushing does; and how many still do.

    Each pair that overlaps is pushed apart by what it lacks, half each, round after round; what lies on
    one place is pushed along an angle that its `rank` (n,) gives, so the result is the same every time.
    """
    px, pz = x.astype(np.float64).copy(), z.astype(np.float64).copy()
    if len(px) < 2 or float(radius.max()) <= 0:
        return px, pz, 0
    left = _push(px, pz, radius.astype(np.float64), rank, 2.0 * float(radius.max()))
    return px, pz, int(left)


@kernel
def _chains(x: Float64, z: Float64, cell: float, slots: int) -> tuple[Int64, Int64, Int64]:
    """The slot of each place, the first place of each slot and the next in the same."""
    n = x.shape[0]
    slot, head, following = np.empty(n, np.int64), np.full(slots, -1), np.empty(n, np.int64)
    for i in range(n):
        slot[i] = _slot(int(math.floor(x[i] / cell)), int(math.floor(z[i] / cell)), slots)
        following[i], head[slot[i]] = head[slot[i]], i
    return slot, head, following


@kernel
def _slot(i: int, k: int, slots: int) -> int:
    return int(
        (np.uint64(i) * np.uint64(73856093) ^ np.uint64(k) * np.uint64(19349663)) % np.uint64(slots)
    )


@kernel
def _push(x: Float64, z: Float64, radius: Float64, rank: Float64, cell: float) -> int:
    """Push until nothing overlaps, in place; how many overlap still."""
    n = x.shape[0]
    slots = 2 * n + 1
    moved_x, moved_z, count = np.empty(n), np.empty(n), np.empty(n, np.int64)
    left = 0
    for _ in range(_PUSHES):
        _, head, following = _chains(x, z, cell, slots)
        moved_x[:], moved_z[:], count[:] = 0.0, 0.0, 0
        left = 0
        for i in range(n):
            ci, ck = int(math.floor(x[i] / cell)), int(math.floor(z[i] / cell))
            touched = False
            for dk in range(-1, 2):
                for di in range(-1, 2):
                    j = head[_slot(ci + di, ck + dk, slots)]
                    while j >= 0:
                        inside = (
                            int(math.floor(x[j] / cell)) == ci + di
                            and int(math.floor(z[j] / cell)) == ck + dk
                        )
                        if inside and j != i:
                            dx, dz, least = x[i] - x[j], z[i] - z[j], radius[i] + radius[j]
                            far = math.sqrt(dx * dx + dz * dz)
                            if far < least:
                                touched = True
                                if far < 1e-6:
                                    turn = (
                                        2.0 * math.pi * (rank[i] if rank[i] > rank[j] else rank[j])
                                    )
                                    sign = 1.0 if rank[i] > rank[j] else -1.0
                                    dx, dz, far = sign * math.cos(turn), sign * math.sin(turn), 1.0
                                    share = 0.5 * (least + _SLACK)
                                else:
                                    share = 0.5 * (least + _SLACK - far)
                                moved_x[i] += dx / far * share
                                moved_z[i] += dz / far * share
                                count[i] += 1
                        j = following[j]
            left += touched
        if left == 0:
            return 0
        for i in range(n):
            if count[i]:
                x[i] += moved_x[i]
                z[i] += moved_z[i]
    return left
