"""Climbers: stems that grow over triangles from where they start, and the leaves on them.

A stem goes step by step. Each step turns by chance and by a pull upwards, away from stems that were there before, and along the face that it is on; then it comes
to lie a little way off the nearest face whose front it sees. What stands in its way it climbs; over a rim it goes on through the air as far as a gap may be wide,
and else turns along the rim. No step goes through a triangle. Stem `i` springs from one of those before it, and heeds only those: more stems leave the others.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.kernels import kernel
from plough.core.mesh.grid import (
    Grid,
    Scratch,
    near_box,
    nearest_front,
    onto,
    pierced,
    scratch_for,
)
from plough.core.rng import bits, stream, symmetric, uniform

_TURN, _FROM, _SHARE, _LONG, _SIDE = (
    stream(f"climb.{n}") for n in ("turn", "from", "share", "long", "side")
)
_FORK = math.radians(50.0)  # at which a stem springs from another, about
_CROWDED = 0.22  # metres within which a stem turns from others
_RIM = 0.3  # of a step that it must come forward, or it is at a rim
_TRIES = 6  # turns along a rim before a stem ends


class ClimbRule(NamedTuple):
    """How stems grow; metres, radians."""

    seed: np.uint64
    step: float
    reach: float  #: of the first stem, along the faces
    stems: int  #: from each start
    wander: float  #: 0 straight to 1
    up: float  #: 0 anywhere to 1 straight up
    cling: float  #: off the faces
    gap: float  #: that it goes across


@dataclass(frozen=True, eq=False)
class Stems:
    """Stems as lines; stem `i` has the points `first[i] : first[i + 1]`, none where there was no room for it."""

    ids: UInt64  #: (s,) the same as long as it is the same stem
    first: Int64  #: (s + 1,)
    points: Float64  #: (p, 3) metres
    normal: Float64  #: (p, 3) unit, off the face that each is by
    left: Float64  #: (p,) metres of the stem from there to its tip

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        return self.points.nbytes + self.normal.nbytes + self.left.nbytes + 16 * len(self.first)


def climbed(grid: Grid, rule: ClimbRule, ids: UInt64, at: Float64, normal: Float64) -> Stems:
    """Stems that grow from starts.

    Args:
        ids: (n,) of the starts.
        at: (n, 3) metres, off the faces.
        normal: (n, 3) unit, off the faces there.
    """
    most = max(2, int(rule.reach / rule.step) + 2)
    stems = len(ids) * rule.stems
    points, normals = np.empty((stems * most, 3)), np.empty((stems * most, 3))
    first, names = np.zeros(stems + 1, np.int64), np.zeros(stems, np.uint64)
    if len(grid.triangles):
        _grown(grid, rule, ids, at, normal, points, normals, first, names)
    count = int(first[-1])
    points, normals = points[:count].copy(), normals[:count].copy()
    return Stems(names, first, points, normals, _left(points, first))


@kernel
def _left(points: Float64, first: Int64) -> Float64:
    out = np.zeros(points.shape[0])
    for s in range(first.shape[0] - 1):
        for p in range(first[s + 1] - 2, first[s] - 1, -1):
            dx, dy = points[p + 1, 0] - points[p, 0], points[p + 1, 1] - points[p, 1]
            dz = points[p + 1, 2] - points[p, 2]
            out[p] = out[p + 1] + math.sqrt(dx * dx + dy * dy + dz * dz)
    return out


@kernel
def _turned(d: Float64, n: Float64, angle: float) -> None:
    """Turn `d` (in place) about the unit vector `n`."""
    c, s = math.cos(angle), math.sin(angle)
    x = n[1] * d[2] - n[2] * d[1]
    y = n[2] * d[0] - n[0] * d[2]
    z = n[0] * d[1] - n[1] * d[0]
    along = (n[0] * d[0] + n[1] * d[1] + n[2] * d[2]) * (1.0 - c)
    d[0], d[1], d[2] = (
        d[0] * c + x * s + n[0] * along,
        d[1] * c + y * s + n[1] * along,
        d[2] * c + z * s + n[2] * along,
    )


@kernel
def _flattened(d: Float64, n: Float64) -> bool:
    """Take from `d` (in place) what goes off the face, and make it one long; False where nothing is left."""
    along = d[0] * n[0] + d[1] * n[1] + d[2] * n[2]
    for c in range(3):
        d[c] -= along * n[c]
    long = math.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    if long < 1e-6:
        return False
    for c in range(3):
        d[c] /= long
    return True


@kernel
def _landed(
    g: Grid, w: Scratch, rule: ClimbRule, p: Float64, q: Float64, q_out: Float64, n_out: Float64
) -> bool:
    """Where what comes from `p` to `q` lies off the nearest face that `q` sees, and the direction off it; False where none is near or something is in the way."""
    t, x, y, z = nearest_front(g, w, q[0], q[1], q[2], rule.cling + 1.3 * rule.step)
    if t < 0:
        return False
    dx, dy, dz = q[0] - x, q[1] - y, q[2] - z
    long = math.sqrt(dx * dx + dy * dy + dz * dz)
    if long < 1e-9:
        dx, dy, dz, long = g.normal[t, 0], g.normal[t, 1], g.normal[t, 2], 1.0
    n_out[0], n_out[1], n_out[2] = dx / long, dy / long, dz / long
    q_out[0], q_out[1], q_out[2] = (
        x + rule.cling * n_out[0],
        y + rule.cling * n_out[1],
        z + rule.cling * n_out[2],
    )
    if pierced(g, w, p, q_out)[0] >= 0:
        return False
    # with room for its own thickness
    under = -0.5 * rule.cling * n_out
    return pierced(g, w, p + under, q_out + under)[0] < 0


@kernel
def _apart(a: Float64, b: Float64) -> float:
    return math.sqrt((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2 + (a[2] - b[2]) ** 2)


@kernel
def _crowded(points: Float64, low: int, high: int, p: Float64, out: Float64) -> None:
    """Add to `out` the way from points that are near."""
    for k in range(low, high):
        x, y, z = p[0] - points[k, 0], p[1] - points[k, 1], p[2] - points[k, 2]
        away = x * x + y * y + z * z
        if 1e-8 < away < _CROWDED * _CROWDED:
            by = 0.12 * (1.0 / math.sqrt(away) - 1.0 / _CROWDED) / _CROWDED
            out[0] += by * x
            out[1] += by * y
            out[2] += by * z


@kernel
def _grown(
    g: Grid,
    rule: ClimbRule,
    ids: UInt64,
    at: Float64,
    normal: Float64,
    points: Float64,
    normals: Float64,
    first: Int64,
    names: UInt64,
) -> None:
    p, n, d = np.empty(3), np.empty(3), np.empty(3)
    q, land, off = np.empty(3), np.empty(3), np.empty(3)
    w = scratch_for(g)
    way = np.empty(points.shape[0])  # along the stems from the start
    count, stem = 0, 0
    for s in range(ids.shape[0]):
        begins, own_stem = count, stem
        for i in range(rule.stems):
            name = bits(bits(rule.seed, _FROM, ids[s]), _FROM, np.uint64(i))
            names[stem] = name
            first[stem] = count
            gone, long = 0.0, rule.reach
            grows = True
            if i == 0:
                p[:], n[:] = at[s], normal[s]
                d[0], d[1], d[2] = 0.0, 1.0, 0.0
                if not _flattened(d, n):
                    d[0], d[1], d[2] = 1.0, 0.0, 0.0
                    grows = _flattened(d, n)
            else:
                from_ = own_stem + int(uniform(rule.seed, _FROM, name) * i)
                low, high = first[from_], first[from_ + 1]
                grows = high - low > 3
                if grows:
                    share = uniform(rule.seed, _SHARE, name)
                    share = 0.04 + 0.8 * share * share  # most near the foot
                    k = low + 1 + int(share * (high - low - 2))
                    p[:], n[:] = points[k], normals[k]
                    for c in range(3):
                        d[c] = points[k + 1, c] - points[k - 1, c]
                    grows = _flattened(d, n)
                    side = 1.0 if uniform(rule.seed, _SIDE, name) < 0.5 else -1.0
                    _turned(d, n, side * _FORK * (0.6 + 0.8 * uniform(rule.seed, _TURN, name)))
                    gone = way[k]
                    long = gone + (rule.reach - gone) * (
                        0.45 + 0.55 * uniform(rule.seed, _LONG, name)
                    )
            floor = at[s, 1] - 0.1
            if grows:
                points[count], normals[count], way[count] = p, n, gone
                count += 1
            sprung, tries = gone, 0
            number = np.uint64(0)
            while grows and gone < long and tries < _TRIES:
                number += np.uint64(1)
                if count >= points.shape[0]:
                    break
                _turned(d, n, 0.7 * rule.wander * symmetric(rule.seed, _TURN, name + number))
                d[1] += 0.30 * rule.up
                if gone - sprung > 3.0 * rule.step:
                    _crowded(points, begins, first[stem], p, d)
                if not _flattened(d, n):
                    break
                for c in range(3):
                    q[c] = p[c] + rule.step * d[c]
                hit, share = pierced(g, w, p, q)
                if hit >= 0:  # something stands in its way: it climbs that
                    facing = 0.0
                    for c in range(3):
                        facing += g.normal[hit, c] * d[c]
                    if facing >= 0.0:
                        break  # from behind
                    for c in range(3):
                        q[c] = p[c] + share * rule.step * d[c] + rule.cling * g.normal[hit, c]
                fine = _landed(g, w, rule, p, q, land, off)
                if not fine or _apart(land, p) < _RIM * rule.step:
                    fine = False
                    far = rule.step
                    while far < rule.gap and not fine:  # through the air
                        far += 0.5 * rule.step
                        for c in range(3):
                            q[c] = p[c] + far * d[c]
                        fine = _landed(g, w, rule, p, q, land, off)
                        fine = fine and _apart(land, p) > rule.step
                    if not fine:  # along the rim
                        tries += 1
                        side = 1.0 if uniform(rule.seed, _SIDE, name) < 0.5 else -1.0
                        _turned(d, n, side * 0.7)
                        continue
                if land[1] < floor:
                    break
                gone += _apart(land, p)
                for c in range(3):
                    d[c] = 0.5 * d[c] + 0.5 * (land[c] - p[c]) / rule.step
                p[:], n[:] = land, off
                points[count], normals[count], way[count] = p, n, gone
                count += 1
            if count - first[stem] == 1:  # it has gone nowhere
                count -= 1
            stem += 1
            first[stem] = count


@kernel
def room_about(g: Grid, points: Float64, first: Int64, most: float) -> Float64:
    """(p,) metres, `most` or less, about each point of stems, and the lines to those before and behind, that no triangle comes into."""
    out = np.full(points.shape[0], most)
    w, at, low, high = scratch_for(g), np.empty(3), np.empty(3), np.empty(3)
    for s in range(first.shape[0] - 1):
        for p in range(first[s], first[s + 1] - 1):
            for c in range(3):
                low[c] = min(points[p, c], points[p + 1, c]) - most - 0.01
                high[c] = max(points[p, c], points[p + 1, c]) + most + 0.01
            count = near_box(g, w, low[0], low[1], low[2], high[0], high[1], high[2])
            long = _apart(points[p], points[p + 1])
            many = max(2, int(long / 0.01) + 1)
            for k in range(many + 1):
                for c in range(3):
                    at[c] = points[p, c] + k / many * (points[p + 1, c] - points[p, c])
                least = most + 0.01
                for n in range(count):
                    x, y, z = onto(g.triangles[w.near[n]], at[0], at[1], at[2])
                    away = math.sqrt((x - at[0]) ** 2 + (y - at[1]) ** 2 + (z - at[2]) ** 2)
                    least = min(least, away)
                least -= 0.5 * long / many
                out[p], out[p + 1] = min(out[p], least), min(out[p + 1], least)
    return out


class LeafRule(NamedTuple):
    """Where leaves stand on stems."""

    seed: np.uint64
    dense: float  #: a metre
    aside: float  #: metres from the stem, at most
    bare: float  #: metres above its start below which there are none
    off: float  #: metres off the faces


@kernel
def leaves_of(
    g: Grid, rule: LeafRule, ids: UInt64, first: Int64, points: Float64, left: Float64, low: float
) -> tuple[UInt64, Float64, Float64]:
    """Ids, places (n, 3) and directions off the face (n, 3) of leaves.

    Args:
        low: metres of the height that `bare` is measured from.
    """
    most = 0
    for s in range(ids.shape[0]):
        if first[s + 1] > first[s]:
            most += int(rule.dense * left[first[s]]) + 1
    names, place, off = np.empty(most, np.uint64), np.empty((most, 3)), np.empty((most, 3))
    w = scratch_for(g)
    count = 0
    for s in range(ids.shape[0]):
        if first[s + 1] - first[s] < 2:
            continue
        long = left[first[s]]
        p = first[s]
        for k in range(int(rule.dense * long)):
            name = bits(rule.seed, _SIDE, ids[s] + np.uint64(k))
            # from the tip on, so that a stem that becomes longer grows at its foot
            to_tip = (k + uniform(rule.seed, _SHARE, name)) / rule.dense
            p = first[s]
            while p < first[s + 1] - 2 and left[p + 1] > to_tip:
                p += 1
            part = (left[p] - to_tip) / max(left[p] - left[p + 1], 1e-9)
            part = min(max(part, 0.0), 1.0)
            x = points[p, 0] + part * (points[p + 1, 0] - points[p, 0])
            y = points[p, 1] + part * (points[p + 1, 1] - points[p, 1])
            z = points[p, 2] + part * (points[p + 1, 2] - points[p, 2])
            by = 2.0 * math.pi * uniform(rule.seed, _TURN, name)
            aside = rule.aside * uniform(rule.seed, _LONG, name)
            x += aside * math.cos(by)
            z += aside * math.cos(by + 2.1)
            y += aside * math.sin(by)
            t, fx, fy, fz = nearest_front(g, w, x, y, z, 0.1 + rule.off + rule.aside)
            if t < 0 or y < low + rule.bare:
                continue
            dx, dy, dz = x - fx, y - fy, z - fz
            size = math.sqrt(dx * dx + dy * dy + dz * dz)
            if size < 1e-9:
                continue
            names[count] = name
            off[count, 0], off[count, 1], off[count, 2] = dx / size, dy / size, dz / size
            keep = max(rule.off, 1e-3)
            place[count, 0] = fx + keep * off[count, 0]
            place[count, 1] = fy + keep * off[count, 1]
            place[count, 2] = fz + keep * off[count, 2]
            count += 1
    return names[:count].copy(), place[:count].copy(), off[:count].copy()
