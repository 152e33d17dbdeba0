"""Skeletons by orders of branching.

Every order is one dense array: (limbs, points, 3). A limb has a stable id, hashed from its parent's id and its own number, and all its
random choices hang on that id: more limbs leave the others bit for bit as they were, and another number of points along a limb follows the
same curve. Limb k of a parent sits at the k-th point of the R2 sequence (Roberts 2018) over (length, angle), so that any number of limbs
is evenly spread; it also turns aside from earlier limbs near it, never from later ones. The idea of growing orders from ratios to the
parent is that of Weber and Penn 1995.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.kernels import kernel
from plough.core.rng import bits, mix, stream, symmetric, uniform, uniform_array

_BEND, _LENGTH, _ANGLE, _TURN, _SIDE, _WIND = (
    stream(f"limb.{n}") for n in ("bend", "length", "angle", "turn", "side", "twist")
)
_FATE, _BREAK, _CUT, _BIRTH = (stream(f"limb.{n}") for n in ("fate", "break", "cut", "birth"))
R2_FIRST, R2_SECOND = 0.7548776662466927, 0.5698402909980532
_BENDS = 6  #: bends along a limb
_TRIES = 4  #: places round the parent that a limb may choose from
TABLE = 65  #: samples of a profile over [0, 1]


class Course(NamedTuple):
    """How a limb turns away from the straight line."""

    crooked: float  #: strength of the random bends
    pull: float  #: upwards along the limb, negative downwards
    droop: float  #: downwards under its own weight, more for longer limbs
    twist: float  #: radians by which it winds round its own line
    floor: float  #: metres, below which no limb sinks


class Branching(NamedTuple):
    """Where the limbs of an order leave their parents, and how long and thick they are."""

    start: float  #: along the parent, in [0, 1]
    end: float  #: along the parent, in [0, 1]
    angle_base: float  #: radians between limb and parent at the parent's base
    angle_tip: float  #: radians, at its tip
    whorl: int  #: limbs at one node
    two_ranked: int  #: 1 when limbs stand on two sides only
    flat: float  #: 0 all round, 1 in the level plane through the parent
    lift: float  #: how much limbs rise where they leave
    variation: float  #: of the length, plus and minus
    thickness: float  #: by the parent's, for a limb of full length
    exponent: float  #: of the pipe model
    thinnest: float  #: metres, radius below which no limb gets


@dataclass(frozen=True, slots=True)
class Order:
    """All limbs of one order, each with the same number of points."""

    points: Float32  #: (n, p, 3) metres, base to tip
    radius: Float32  #: (n, p) metres
    length: Float32  #: (n,) metres
    ids: UInt64  #: (n,) stable
    parent: Int64  #: (n,) row in the order before; -1 for stems
    first: Int64  #: (n,) row of the first-order limb it belongs to; -1 for stems
    at: Float32  #: (n,) where along the parent it leaves, in [0, 1]
    birth: Float32  #: (n,) age at which it begins to grow, in [0, 1)
    vigour: Float32  #: (n,) 1 in full leaf, 0 dead
    broken: Float32  #: (n,) 1 for a stub, which bears nothing, 0 else
    full: Float32  #: (n,) metres, its length at the age of 1

    @property
    def share(self) -> Float32:
        """(n,) of its full length that each limb has reached; a veteran's exceeds 1."""
        return np.asarray(self.length / self.full, np.float32)

    @property
    def count(self) -> int:
        """Number of limbs."""
        return int(self.ids.shape[0])

    def with_rows(self, more: Order) -> Order:
        """These limbs, and `more` after them."""
        return Order(
            *(np.concatenate([getattr(self, n), getattr(more, n)]) for n in Order.__slots__)
        )

    def rows(self, keep: Int64) -> Order:
        """The limbs `keep`."""
        return Order(*(getattr(self, name)[keep] for name in Order.__slots__))


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
    seed: np.uint64,
    base: Float64,
    direction: Float64,
    axis: Float64,
    length: Float32,
    ids: UInt64,
    count: int,
    course: Course,
    reference: float,
) -> Float32:
    """Courses of limbs (n, count, 3) metres; a limb never turns back to `axis` (n, 3), its parent's line."""
    n = ids.shape[0]
    out = np.empty((n, count, 3), np.float32)
    fine = (
        3  # steps between two points: the curve hardly depends on how many points it is told with
    )
    steps = (count - 1) * fine
    dt = 1.0 / steps
    for i in range(n):
        x, y, z = base[i, 0], base[i, 1], base[i, 2]
        dx, dy, dz = direction[i, 0], direction[i, 1], direction[i, 2]
        out[i, 0, 0], out[i, 0, 1], out[i, 0, 2] = x, y, z
        # two directions at right angles to the limb's first, for the winding
        if abs(dy) < 0.9:
            px, py, pz = -dz, 0.0, dx
        else:
            px, py, pz = 0.0, dz, -dy
        s = 1.0 / math.sqrt(px * px + py * py + pz * pz)
        px, py, pz = px * s, py * s, pz * s
        qx, qy, qz = dy * pz - dz * py, dz * px - dx * pz, dx * py - dy * px
        turn = 2.0 * math.pi * uniform(seed, _WIND, ids[i])
        step = length[i] * dt
        weight = course.droop * min(1.6, length[i] / reference)
        for k in range(1, steps + 1):
            t = (k - 0.5) * dt
            wind = 0.55 * abs(course.twist) * dt
            c, sn = math.cos(turn + course.twist * t), math.sin(turn + course.twist * t)
            dx += dt * course.crooked * 6.0 * _bend(seed, ids[i], t, 0) + wind * (c * px + sn * qx)
            dy += dt * (
                course.crooked * 6.0 * _bend(seed, ids[i], t, 1) + 2.4 * course.pull
            ) + wind * (c * py + sn * qy)
            dy -= dt * weight * (0.5 + 3.0 * t)
            dz += dt * course.crooked * 6.0 * _bend(seed, ids[i], t, 2) + wind * (c * pz + sn * qz)
            ax, ay, az = axis[i, 0], axis[i, 1], axis[i, 2]
            ox, oy, oz = x - base[i, 0], y - base[i, 1], z - base[i, 2]
            d = ox * ax + oy * ay + oz * az
            ox, oy, oz = ox - d * ax, oy - d * ay, oz - d * az
            away = math.sqrt(ox * ox + oy * oy + oz * oz)
            if away > 1e-4 and ax * ax + ay * ay + az * az > 0.5:
                inward = (dx * ox + dy * oy + dz * oz) / away
                if inward < 0.05:
                    d = (0.05 - inward) / away
                    dx, dy, dz = dx + d * ox, dy + d * oy, dz + d * oz
            if y + dy * step < course.floor and dy < 0.05:
                dy = 0.05
            s = 1.0 / max(1e-9, math.sqrt(dx * dx + dy * dy + dz * dz))
            dx, dy, dz = dx * s, dy * s, dz * s
            x, y, z = x + dx * step, y + dy * step, z + dz * step
            if k % fine == 0:
                j = k // fine
                out[i, j, 0], out[i, j, 1], out[i, j, 2] = x, y, z
    return out


@kernel
def _child_count(
    length: Float32, broken: Float32, reference: float, count: int, per_metre: float
) -> Int64:
    """Limbs each parent bears: `count` on one of the reference length, in proportion on others; or `per_metre` where that is positive."""
    out = np.empty(length.shape[0], np.int64)
    for j in range(length.shape[0]):
        wanted = (
            per_metre * length[j] if per_metre > 0.0 else count * min(1.25, length[j] / reference)
        )
        out[j] = 0 if broken[j] > 0.5 else int(math.floor(wanted + 0.5))
    return out


@kernel
def _children(
    seed: np.uint64,
    points: Float32,
    radius: Float32,
    ids: UInt64,
    first: Int64,
    full: Float32,
    numbers: Int64,
    order: int,
    b: Branching,
    profile: Float32,
) -> tuple[Float64, Float64, Float64, Float32, Float32, UInt64, Int64, Int64, Float32]:
    total = numbers.sum()
    base, direction, axis = np.empty((total, 3)), np.empty((total, 3)), np.empty((total, 3))
    lengths, radii, at = (
        np.empty(total, np.float32),
        np.empty(total, np.float32),
        np.empty(total, np.float32),
    )
    new_ids = np.empty(total, np.uint64)
    parents, firsts = np.empty(total, np.int64), np.empty(total, np.int64)
    count = points.shape[1]
    samples = profile.shape[0] - 1
    most = 1
    for j in range(numbers.shape[0]):
        most = max(most, numbers[j])
    placed_u, placed_a = np.empty(most), np.empty(most)
    c = 0
    for j in range(points.shape[0]):
        for k in range(numbers[j]):
            window = 1.2 / max(6.0, k + 1.0)
            me = mix(ids[j] ^ mix(np.uint64(order * 65536 + k + 1)))
            node = k // b.whorl + 1
            u = (0.5 + node * R2_FIRST) % 1.0
            t = b.start + (b.end - b.start) * u
            x = t * (count - 1)
            p = min(int(x), count - 2)
            f = x - p
            tx, ty, tz = (
                points[j, p + 1, 0] - points[j, p, 0],
                points[j, p + 1, 1] - points[j, p, 1],
                points[j, p + 1, 2] - points[j, p, 2],
            )
            s = 1.0 / max(1e-9, math.sqrt(tx * tx + ty * ty + tz * tz))
            base[c, 0] = points[j, p, 0] + f * tx
            base[c, 1] = points[j, p, 1] + f * ty
            base[c, 2] = points[j, p, 2] + f * tz
            tx, ty, tz = tx * s, ty * s, tz * s
            axis[c, 0], axis[c, 1], axis[c, 2] = tx, ty, tz
            # a frame: n lies level, b points to the upper side
            nx, nz = -tz, tx
            s = math.sqrt(nx * nx + nz * nz)
            if s < 1e-3:
                nx, nz = 1.0, 0.0
            else:
                nx, nz = nx / s, nz / s
            bx, by, bz = -nz * ty, nz * tx - nx * tz, nx * ty
            offset = uniform(seed, _SIDE, ids[j])
            if b.two_ranked and b.whorl == 2:
                around = (k % 2) * math.pi + 0.2 * symmetric(seed, _TURN, me)
            elif b.two_ranked:
                around = (math.pi if (node * R2_SECOND) % 1.0 < 0.5 else 0.0) + 0.2 * symmetric(
                    seed, _TURN, me
                )
            else:
                around = (
                    2.0 * math.pi * ((offset + node * R2_SECOND + (k % b.whorl) / b.whorl) % 1.0)
                )
                if b.whorl > 1:
                    around += 0.3 * symmetric(seed, _TURN, me)
                else:
                    chosen, best = 0.0, -1.0
                    for m in range(_TRIES):
                        turn = 0.55 * symmetric(seed, _TURN, me + np.uint64(m))
                        nearest = 9.0
                        for i in range(k):
                            along = abs(placed_u[i] - u)
                            if along < window:
                                apart = abs(
                                    (placed_a[i] - around - turn + 3.0 * math.pi) % (2.0 * math.pi)
                                    - math.pi
                                )
                                nearest = min(nearest, apart + along / window)
                        if nearest > best:
                            chosen, best = turn, nearest
                    around += chosen
            placed_u[k], placed_a[k] = u, around
            side, up = math.cos(around), math.sin(around) * (1.0 - b.flat)
            s = math.sqrt(side * side + up * up)
            if s < 1e-3:
                side, up, s = 1.0, 0.0, 1.0
            side, up = side / s, up / s
            lx, ly, lz = side * nx + up * bx, up * by, side * nz + up * bz
            angle = (
                b.angle_base + (b.angle_tip - b.angle_base) * u + 0.16 * symmetric(seed, _ANGLE, me)
            )
            ca, sa = math.cos(angle), math.sin(angle)
            dx, dy, dz = ca * tx + sa * lx, ca * ty + sa * ly + b.lift, ca * tz + sa * lz
            s = 1.0 / max(1e-6, math.sqrt(dx * dx + dy * dy + dz * dz))
            direction[c, 0], direction[c, 1], direction[c, 2] = dx * s, dy * s, dz * s
            q = u * samples
            m = min(int(q), samples - 1)
            shape = profile[m] + (q - m) * (profile[m + 1] - profile[m])
            part = max(0.04, shape * (1.0 + b.variation * symmetric(seed, _LENGTH, me)))
            lengths[c] = full[j] * part
            here = radius[j, p] + f * (radius[j, p + 1] - radius[j, p])
            # pipe model: section^(exponent/2) is shared in proportion to the length fed
            radii[c] = max(
                b.thinnest,
                min(0.92 * here, here * b.thickness * min(1.2, part) ** (2.0 / b.exponent)),
            )
            new_ids[c], parents[c], at[c] = me, j, t
            firsts[c] = c if order == 1 else first[j]
            c += 1
    return base, direction, axis, lengths, radii, new_ids, parents, firsts, at


@kernel
def taper(
    base_radius: Float32,
    length: Float32,
    count: int,
    crown_start: float,
    much: float,
    exponent: float,
    collar: float,
) -> Float32:
    """Radii along limbs by the pipe model in its continuous form (Shinozaki et al. 1964): what a section feeds thins out towards the tip."""
    n = base_radius.shape[0]
    out = np.empty((n, count), np.float32)
    for i in range(n):
        for k in range(count):
            t = k / (count - 1)
            fed = 1.0 - max(0.0, (t - crown_start) / (1.0 - crown_start))
            r = base_radius[i] * (1.0 - much * t * 0.6) * max(0.0, fed) ** (1.0 / exponent)
            d = t * length[i] / max(1e-6, base_radius[i])
            out[i, k] = max(0.12 * base_radius[i], r) * (1.0 + collar * math.exp(-0.9 * d))
    return out


@kernel
def _cut(points: Float32, radius: Float32, until: Float32) -> None:
    """Tell each limb's course up to `until` (n,) of its length with the same number of points, in place."""
    count = points.shape[1]
    for i in range(points.shape[0]):
        if until[i] >= 1.0:
            continue
        line, thick = points[i].copy(), radius[i].copy()
        for k in range(count):
            x = k * until[i]
            p = min(int(x), count - 2)
            f = x - p
            for a in range(3):
                points[i, k, a] = line[p, a] + f * (line[p + 1, a] - line[p, a])
            radius[i, k] = thick[p] + f * (thick[p + 1] - thick[p])


def fates(
    seed: int, ids: UInt64, parents_vigour: Float32, dead: float, stubs: float
) -> tuple[Float32, Float32]:
    """Vigour and brokenness (n,) of limbs: `dead` and `stubs` are their shares; nothing is livelier than its parent."""
    fate = uniform_array(seed, _FATE, ids)
    # a limb fades over a narrow band, so that an aging tree loses its leaves limb by limb and not at a stroke
    vigour = np.minimum(np.clip((fate - dead) / 0.03 + (dead <= 0.0), 0.0, 1.0), parents_vigour)
    broken = uniform_array(seed, _BREAK, ids) < stubs
    return np.where(broken, 0.0, vigour).astype(np.float32), broken.astype(np.float32)


def births(seed: int, ids: UInt64, before: Float32) -> Float32:
    """(n,) ages at which limbs begin to grow, whose parents were born at `before` (n,)."""
    spread = uniform_array(seed, _BIRTH, ids)
    return np.asarray(before + (0.85 - before) * (0.03 + 0.34 * spread), np.float32)


def grow_stems(
    seed: int,
    count: int,
    length: float,
    spread: float,
    lean: float,
    radius: float,
    points: int,
    course: Course,
    crown_start: float,
    much: float,
    exponent: float,
    guide: Float64 | None = None,
) -> Order:
    """`count` stems from the origin; the first is the tallest, the others stand round it, leaning outwards by up to `spread` radians.

    Args:
        guide: (k, 3) metres, a course from the origin that the first stem follows to its end instead of its own.
    """
    ids = np.array(
        [bits(np.uint64(seed), stream("stem"), np.uint64(k)) for k in range(count)], np.uint64
    )
    unit = [
        (
            uniform(np.uint64(seed), stream("stem.lean"), i),
            uniform(np.uint64(seed), stream("stem.height"), i),
        )
        for i in ids
    ]
    base, direction = np.zeros((count, 3)), np.zeros((count, 3))
    lengths, radii = np.empty(count, np.float32), np.empty(count, np.float32)
    turn = 2.0 * math.pi * uniform(np.uint64(seed), stream("stem.turn"), np.uint64(0))
    for k in range(count):
        azimuth = turn + 2.0 * math.pi * k * 0.6180339887
        tilt = lean if k == 0 else spread * (0.55 + 0.45 * unit[k][0])
        away = 0.0 if k == 0 else radius * (1.1 + 0.9 * unit[k][0])
        base[k] = (away * math.cos(azimuth), 0.0, away * math.sin(azimuth))
        direction[k] = (
            math.sin(tilt) * math.cos(azimuth),
            math.cos(tilt),
            math.sin(tilt) * math.sin(azimuth),
        )
        lengths[k] = length * (1.0 if k == 0 else 0.72 + 0.26 * unit[k][1])
        radii[k] = radius * (1.0 if k == 0 else 0.6 + 0.3 * unit[k][1])
    curve = _grow(
        np.uint64(seed),
        base,
        direction,
        np.zeros((count, 3)),
        lengths,
        ids,
        points,
        course,
        max(length, 1e-3),
    )
    if guide is not None:
        curve[0], lengths[0] = _along(guide, points)
    none, zero = np.full(count, -1, np.int64), np.zeros(count, np.float32)
    tapered = taper(radii, lengths, points, crown_start, much, exponent, 0.0)
    return Order(curve, tapered, lengths, ids, none, none, zero, zero, zero + 1, zero, lengths)


def _along(guide: Float64, points: int) -> tuple[Float32, float]:
    """`points` places evenly along `guide`, and its length."""
    steps = np.linalg.norm(np.diff(guide, axis=0), axis=1)
    far = np.concatenate([[0.0], np.cumsum(steps)])
    at = np.linspace(0.0, far[-1], points)
    line = np.stack([np.interp(at, far, guide[:, k]) for k in range(3)], axis=1)
    return line.astype(np.float32), float(far[-1])


@dataclass(frozen=True, slots=True)
class NextOrder:
    """What the limbs of one order are like."""

    number: int  #: of the order; 1 leaves the stems
    count: int  #: limbs on a parent of the reference length; others bear in proportion to theirs
    per_metre: float  #: limbs on each metre of parent, in place of `count` where positive
    reference: float  #: metres, of a parent
    longest: float  #: metres, of a limb; longer ones droop more
    full: Float32  #: (parents,) metres, the length of a full limb on each
    profile: Float32  #: (TABLE,) its share from start to end
    branching: Branching
    course: Course
    points: int  #: along each limb
    taper: float
    dead: float  #: share of the limbs
    stubs: float  #: share of the limbs
    end_thin: bool  #: limbs end where they would be thinner than the thinnest, or are left out


def grow_limbs(seed: int, parents: Order, w: NextOrder) -> Order:
    """The limbs of the order after `parents`."""
    numbers = _child_count(parents.length, parents.broken, w.reference, w.count, w.per_metre)
    base, direction, axis, length, radii, ids, parent, first, at = _children(
        np.uint64(seed),
        parents.points,
        parents.radius,
        parents.ids,
        parents.first,
        w.full,
        numbers,
        w.number,
        w.branching,
        w.profile,
    )
    longest = max(1e-3, w.longest)
    curve = _grow(np.uint64(seed), base, direction, axis, length, ids, w.points, w.course, longest)
    radius = taper(radii, length, w.points, 0.1, w.taper, w.branching.exponent, 0.35)
    vigour, broken = fates(seed, ids, parents.vigour[parent], w.dead, w.stubs)
    cut = 0.10 + 0.28 * uniform_array(seed, _CUT, ids)
    until = np.where(broken > 0.5, cut, 1.0).astype(np.float32)
    keep = np.arange(ids.shape[0])
    if w.end_thin:
        thick = radius >= w.branching.thinnest
        until = np.minimum(until, thick.sum(axis=1) / w.points).astype(np.float32)
        keep = np.nonzero((until > 0.25) & (radii > w.branching.thinnest))[0]
    if (until < 1.0).any():
        _cut(curve, radius, until)
        length = (length * until).astype(np.float32)
    birth = births(seed, ids, parents.birth[parent])
    made = Order(curve, radius, length, ids, parent, first, at, birth, vigour, broken, length)
    if keep.size == ids.size:
        return made
    made = made.rows(keep)
    if w.number == 1:
        made.first[:] = np.arange(keep.size)
    return made
