"""Skeletons by orders of branching.

Every order is one dense array: (limbs, points, 3). A limb has a stable id, hashed from its parent's id and its own number, and all its
random choices hang on that id: more limbs leave the others bit for bit as they were, and another number of points along a limb follows the
same curve. Limb k of a parent sits at the k-th point of the R2 sequence (Roberts 2018) over (length, angle), so that any number of limbs
is evenly spread. The idea of growing orders from ratios to the parent is that of Weber and Penn 1995.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.kernels import kernel
from plough.core.rng import bits, mix, stream, symmetric, uniform

_BEND, _LENGTH, _ANGLE, _TURN, _SIDE = (stream(f"limb.{n}") for n in ("bend", "length", "angle", "turn", "side"))
R2_FIRST, R2_SECOND = 0.7548776662466927, 0.5698402909980532
_BENDS = 6  #: bends along a limb


@dataclass(frozen=True, slots=True)
class Order:
    """All limbs of one order, each with the same number of points."""

    points: Float32  #: (n, p, 3) metres, base to tip
    radius: Float32  #: (n, p) metres
    length: Float32  #: (n,) metres
    ids: UInt64  #: (n,) stable
    parent: Int64  #: (n,) row in the order before; -1 for stems
    first: Int64  #: (n,) row of the first-order limb it belongs to; -1 for stems

    @property
    def count(self) -> int:
        """Number of limbs."""
        return int(self.ids.shape[0])


@kernel
def _bend(seed: np.uint64, limb: np.uint64, t: float, axis: int) -> float:
    """Smooth random bending in [-1, 1] at `t` along a limb."""
    x = t * _BENDS
    k = int(x)
    f = x - k
    f = f * f * (3.0 - 2.0 * f)
    index = limb + np.uint64(k * 3 + axis)
    a = symmetric(seed, _BEND, index)
    return a + f * (symmetric(seed, _BEND, index + np.uint64(3)) - a)


@kernel
def _grow(
    seed: np.uint64, base: Float64, direction: Float64, length: Float32, ids: UInt64, count: int,
    crooked: float, pull: float, floor: float,
) -> Float32:  # fmt: skip
    n = ids.shape[0]
    out = np.empty((n, count, 3), np.float32)
    fine = 3  # steps between two points: the curve hardly depends on how many points it is told with
    steps = (count - 1) * fine
    dt = 1.0 / steps
    for i in range(n):
        x, y, z = base[i, 0], base[i, 1], base[i, 2]
        dx, dy, dz = direction[i, 0], direction[i, 1], direction[i, 2]
        out[i, 0, 0], out[i, 0, 1], out[i, 0, 2] = x, y, z
        step = length[i] * dt
        for k in range(1, steps + 1):
            t = (k - 0.5) * dt
            dx += dt * crooked * 6.0 * _bend(seed, ids[i], t, 0)
            dy += dt * (crooked * 6.0 * _bend(seed, ids[i], t, 1) + 2.4 * pull)
            dz += dt * crooked * 6.0 * _bend(seed, ids[i], t, 2)
            if y + dy * step < floor and dy < 0.05:
                dy = 0.05
            s = 1.0 / math.sqrt(dx * dx + dy * dy + dz * dz)
            dx, dy, dz = dx * s, dy * s, dz * s
            x, y, z = x + dx * step, y + dy * step, z + dz * step
            if k % fine == 0:
                j = k // fine
                out[i, j, 0], out[i, j, 1], out[i, j, 2] = x, y, z
    return out


@kernel
def _child_count(length: Float32, reference: float, count: int) -> Int64:
    """Limbs each parent bears: `count` on one of the reference length, in proportion on others."""
    out = np.empty(length.shape[0], np.int64)
    for j in range(length.shape[0]):
        share = min(1.25, length[j] / reference)
        out[j] = int(math.floor(count * share + 0.5))
    return out


@kernel
def _children(
    seed: np.uint64, points: Float32, radius: Float32, length: Float32, ids: UInt64, first: Int64, numbers: Int64, order: int,
    start: float, end: float, angle_base: float, angle_tip: float, whorl: int, turn: float, flat: float, ratio: float, variation: float,
    profile: Float32, thickness: float, exponent: float, thinnest: float,
) -> tuple[Float64, Float64, Float32, Float32, UInt64, Int64, Int64]:  # fmt: skip
    total = numbers.sum()
    base = np.empty((total, 3))
    direction = np.empty((total, 3))
    lengths = np.empty(total, np.float32)
    radii = np.empty(total, np.float32)
    new_ids = np.empty(total, np.uint64)
    parents = np.empty(total, np.int64)
    firsts = np.empty(total, np.int64)
    count = points.shape[1]
    samples = profile.shape[0] - 1
    c = 0
    for j in range(points.shape[0]):
        for k in range(numbers[j]):
            me = mix(ids[j] ^ mix(np.uint64(order * 65536 + k + 1)))
            node = k // whorl + 1
            u = (0.5 + node * R2_FIRST) % 1.0
            t = start + (end - start) * u
            x = t * (count - 1)
            p = min(int(x), count - 2)
            f = x - p
            tx, ty, tz = points[j, p + 1, 0] - points[j, p, 0], points[j, p + 1, 1] - points[j, p, 1], points[j, p + 1, 2] - points[j, p, 2]
            s = 1.0 / max(1e-9, math.sqrt(tx * tx + ty * ty + tz * tz))
            base[c, 0] = points[j, p, 0] + f * tx
            base[c, 1] = points[j, p, 1] + f * ty
            base[c, 2] = points[j, p, 2] + f * tz
            tx, ty, tz = tx * s, ty * s, tz * s
            # a frame: n lies level, b points to the upper side
            nx, nz = -tz, tx
            s = math.sqrt(nx * nx + nz * nz)
            if s < 1e-3:
                nx, nz = 1.0, 0.0
            else:
                nx, nz = nx / s, nz / s
            bx, by, bz = -nz * ty, nz * tx - nx * tz, nx * ty
            if whorl == 2 and flat > 0.5:
                azimuth = (k % 2) * math.pi
            else:
                azimuth = 2.0 * math.pi * ((uniform(seed, _SIDE, ids[j]) + node * R2_SECOND + (k % whorl) / whorl) % 1.0)
            azimuth += 0.35 * symmetric(seed, _TURN, me) + turn * u
            side, up = math.cos(azimuth), math.sin(azimuth) * (1.0 - flat)
            s = math.sqrt(side * side + up * up)
            if s < 1e-3:
                side, up, s = 1.0, 0.0, 1.0
            side, up = side / s, up / s
            lx, ly, lz = side * nx + up * bx, up * by, side * nz + up * bz
            angle = angle_base + (angle_tip - angle_base) * u + 0.16 * symmetric(seed, _ANGLE, me)
            ca, sa = math.cos(angle), math.sin(angle)
            direction[c, 0], direction[c, 1], direction[c, 2] = ca * tx + sa * lx, ca * ty + sa * ly, ca * tz + sa * lz
            q = u * samples
            m = min(int(q), samples - 1)
            shape = profile[m] + (q - m) * (profile[m + 1] - profile[m])
            part = max(0.04, shape * (1.0 + variation * symmetric(seed, _LENGTH, me)))
            lengths[c] = length[j] * ratio * part
            here = radius[j, p] + f * (radius[j, p + 1] - radius[j, p])
            # pipe model: section^(exponent/2) is shared in proportion to the length fed
            radii[c] = max(thinnest, min(0.92 * here, here * thickness * min(1.2, part) ** (2.0 / exponent)))
            new_ids[c], parents[c] = me, j
            firsts[c] = c if order == 1 else first[j]
            c += 1
    return base, direction, lengths, radii, new_ids, parents, firsts


@kernel
def _taper(base_radius: Float32, length: Float32, count: int, crown_start: float, taper: float, exponent: float, collar: float) -> Float32:
    """Radii along limbs by the pipe model in its continuous form (Shinozaki et al. 1964): what a section feeds thins out towards the tip."""
    n = base_radius.shape[0]
    out = np.empty((n, count), np.float32)
    for i in range(n):
        for k in range(count):
            t = k / (count - 1)
            fed = 1.0 - max(0.0, (t - crown_start) / (1.0 - crown_start))
            r = base_radius[i] * (1.0 - taper * t * 0.6) * max(0.0, fed) ** (1.0 / exponent)
            d = t * length[i] / max(1e-6, base_radius[i])
            out[i, k] = max(0.12 * base_radius[i], r) * (1.0 + collar * math.exp(-0.9 * d))
    return out


def grow_stems(
    seed: int, count: int, height: float, spread: float, lean: float, radius: float, points: int, crooked: float, pull: float,
    crown_start: float, taper: float, exponent: float,
) -> Order:  # fmt: skip
    """`count` stems from the origin; the first is the tallest, the others stand round it, leaning outwards by up to `spread` radians."""
    ids = np.array([bits(np.uint64(seed), stream("stem"), np.uint64(k)) for k in range(count)], np.uint64)
    unit = [(uniform(np.uint64(seed), stream("stem.lean"), i), uniform(np.uint64(seed), stream("stem.height"), i)) for i in ids]
    base, direction = np.zeros((count, 3)), np.zeros((count, 3))
    length, radii = np.empty(count, np.float32), np.empty(count, np.float32)
    turn = 2.0 * math.pi * uniform(np.uint64(seed), stream("stem.turn"), np.uint64(0))
    for k in range(count):
        azimuth = turn + 2.0 * math.pi * k * 0.6180339887
        tilt = lean if k == 0 else spread * (0.55 + 0.45 * unit[k][0])
        away = 0.0 if k == 0 else radius * (1.1 + 0.9 * unit[k][0])
        base[k] = (away * math.cos(azimuth), 0.0, away * math.sin(azimuth))
        direction[k] = (math.sin(tilt) * math.cos(azimuth), math.cos(tilt), math.sin(tilt) * math.sin(azimuth))
        length[k] = height * (1.0 if k == 0 else 0.72 + 0.26 * unit[k][1])
        radii[k] = radius * (1.0 if k == 0 else 0.6 + 0.3 * unit[k][1])
    curve = _grow(np.uint64(seed), base, direction, length, ids, points, crooked, pull, -1e9)
    tapered = _taper(radii, length, points, crown_start, taper, exponent, 0.0)
    none = np.full(count, -1, np.int64)
    return Order(curve, tapered, length, ids, none, none)


def grow_limbs(
    seed: int, parents: Order, order: int, count: int, reference: float, start: float, end: float, angles: tuple[float, float], whorl: int,
    turn: float, flat: float, ratio: float, variation: float, profile: Float32, thickness: float, exponent: float, thinnest: float,
    points: int, crooked: float, pull: float, taper: float, floor: float,
) -> Order:  # fmt: skip
    """The limbs of the next order.

    Args:
        count: limbs on a parent of `reference` metres; others bear in proportion to their length.
        start, end: where along the parent, in [0, 1].
        angles: radians between limb and parent, at the parent's base and tip.
        whorl: limbs at one node (1 spiral, 2 opposite, 3 and more whorled).
        flat: 0 all round, 1 in the level plane through the parent.
        profile: lengths over [0, 1] from start to end, times `ratio` times the parent's length.
    """
    numbers = _child_count(parents.length, reference, count)
    base, direction, length, radii, ids, parent, first = _children(
        np.uint64(seed), parents.points, parents.radius, parents.length, parents.ids, parents.first, numbers, order,
        start, end, angles[0], angles[1], whorl, turn, flat, ratio, variation, profile, thickness, exponent, thinnest,
    )  # fmt: skip
    curve = _grow(np.uint64(seed), base, direction, length, ids, points, crooked, pull, floor)
    return Order(curve, _taper(radii, length, points, 0.1, taper, exponent, 0.35), length, ids, parent, first)
