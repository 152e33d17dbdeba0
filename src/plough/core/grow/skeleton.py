"""Skeletons by orders of branching.

Every order is one dense array: (branches, points, 3). A branch has a stable id, hashed from its parent's id and its own number, and all its
random choices hang on that id: more branches leave the others bit for bit as they were, and another number of points along a branch follows the
same curve. Branch k of a parent sits at the k-th point of the R2 sequence (Roberts 2018) over (length, angle), so that any number of branches
is evenly spread; it also turns aside from earlier branches near it, never from later ones. The idea of growing orders from ratios to the
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
_BENDS = 6  #: bends along a branch
_TRIES = 4  #: places round the parent that a branch may choose from
TABLE = 65  #: samples of a profile over [0, 1]


class Course(NamedTuple):
    """How a branch turns away from the straight line."""

    crooked: float  #: strength of the random bends
    gravitropism: float  #: upwards along the branch, negative downwards
    droop: float  #: downwards under its own weight, more for longer branches
    twist: float  #: radians by which it winds round its own line
    floor: float  #: metres, below which no branch sinks


class Starts(NamedTuple):
    """Where branches begin, and which way."""

    base: Float64  #: (n, 3) metres
    direction: Float64  #: (n, 3) unit
    axis: Float64  #: (n, 3) unit, their parents' lines; zero for those that have no parent
    length: Float32  #: (n,) metres
    ids: UInt64  #: (n,) stable


class Thinning(NamedTuple):
    """How wood thins out along a branch."""

    crown_start: float  #: in [0, 1], from where it bears
    taper: float  #: loss of radius to the tip, besides what is borne
    exponent: float  #: of the pipe model
    collar: float  #: swelling at the base, by the radius


class Branching(NamedTuple):
    """Where the branches of an order leave their parents, and how long and thick they are."""

    start: float  #: along the parent, in [0, 1]
    end: float  #: along the parent, in [0, 1]
    angle_base: float  #: radians between branch and parent at the parent's base
    angle_tip: float  #: radians, at its tip
    whorl: int  #: branches at one node
    two_ranked: int  #: 1 when branches stand on two sides only
    flat: float  #: 0 all round, 1 in the level plane through the parent
    lift: float  #: how much branches rise where they leave
    variation: float  #: of the length, plus and minus
    thickness: float  #: by the parent's, for a branch of full length
    exponent: float  #: of the pipe model
    thinnest: float  #: metres, radius below which no branch gets


@dataclass(frozen=True, slots=True)
class Order:
    """All branches of one order, each with the same number of points."""

    points: Float32  #: (n, p, 3) metres, base to tip
    radius: Float32  #: (n, p) metres
    length: Float32  #: (n,) metres
    ids: UInt64  #: (n,) stable
    parent: Int64  #: (n,) row in the order before; -1 for stems
    first: Int64  #: (n,) row of the first-order branch it belongs to; -1 for stems
    at: Float32  #: (n,) where along the parent it leaves, in [0, 1]
    birth: Float32  #: (n,) age at which it begins to grow, in [0, 1)
    vigour: Float32  #: (n,) 1 in full leaf, 0 dead
    broken: Float32  #: (n,) 1 for a stub, which bears nothing, 0 else
    full: Float32  #: (n,) metres, its length at the age of 1

    @property
    def share(self) -> Float32:
        """(n,) of its full length that each branch has reached; a veteran's exceeds 1."""
        return np.asarray(self.length / self.full, np.float32)

    @property
    def count(self) -> int:
        """Number of branches."""
        return int(self.ids.shape[0])

    def with_rows(self, more: Order) -> Order:
        """These branches, and `more` after them."""
        return Order(
            *(np.concatenate([getattr(self, n), getattr(more, n)]) for n in Order.__slots__)
        )

    def rows(self, keep: Int64) -> Order:
        """The branches `keep`."""
        return Order(*(getattr(self, name)[keep] for name in Order.__slots__))


@kernel
def _bend(seed: np.uint64, branch: np.uint64, t: float, axis: int) -> float:
    """Smooth random bending in [-1, 1] at `t` along a branch."""
    x = t * _BENDS
    k = int(x)
    f = x - k
    f = f * f * (3.0 - 2.0 * f)
    index = branch + np.uint64(k * 3 + axis)
    a = symmetric(seed, _BEND, index)
    return a + f * (symmetric(seed, _BEND, index + np.uint64(3)) - a)


@kernel
def _grow(seed: np.uint64, starts: Starts, count: int, course: Course, longest: float) -> Float32:
    """Courses of branches (n, count, 3) metres; a branch never turns back to its parent's line.

    A branch of the `longest` length, in metres, droops as `course` says; shorter ones droop less.
    """
    base, direction, axis, length, ids = starts
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
        # two directions at right angles to the branch's first, for the winding
        if abs(dy) < 0.9:
            px, py, pz = -dz, 0.0, dx
        else:
            px, py, pz = 0.0, dz, -dy
        s = 1.0 / math.sqrt(px * px + py * py + pz * pz)
        px, py, pz = px * s, py * s, pz * s
        qx, qy, qz = dy * pz - dz * py, dz * px - dx * pz, dx * py - dy * px
        turn = 2.0 * math.pi * uniform(seed, _WIND, ids[i])
        step = length[i] * dt
        weight = course.droop * min(1.6, length[i] / longest)
        for k in range(1, steps + 1):
            t = (k - 0.5) * dt
            wind = 0.55 * abs(course.twist) * dt
            c, sn = math.cos(turn + course.twist * t), math.sin(turn + course.twist * t)
            dx += dt * course.crooked * 6.0 * _bend(seed, ids[i], t, 0) + wind * (c * px + sn * qx)
            dy += dt * (
                course.crooked * 6.0 * _bend(seed, ids[i], t, 1) + 2.4 * course.gravitropism
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
    """Branches each parent bears: `count` on one of the reference length, in proportion on others; or `per_metre` where that is positive."""
    out = np.empty(length.shape[0], np.int64)
    for j in range(length.shape[0]):
        wanted = (
            per_metre * length[j] if per_metre > 0.0 else count * min(1.25, length[j] / reference)
        )
        out[j] = 0 if broken[j] > 0.5 else int(math.floor(wanted + 0.5))
    return out


class Parents(NamedTuple):
    """Branches that bear others, and what they bear."""

    points: Float32  #: (n, p, 3) metres
    radius: Float32  #: (n, p) metres
    ids: UInt64  #: (n,)
    first: Int64  #: (n,) row of the first-order branch each belongs to
    full: Float32  #: (n,) metres, the length of a full branch on each
    numbers: Int64  #: (n,) of branches on each


@kernel
def at_share(points: Float32, t: float) -> tuple[int, float, float, float, float]:
    """The segment of a line (p, 3) that `t` of its length lies in, how far along it, and its unit tangent."""
    x = t * (points.shape[0] - 1)
    p = min(int(x), points.shape[0] - 2)
    tx, ty, tz = (
        points[p + 1, 0] - points[p, 0],
        points[p + 1, 1] - points[p, 1],
        points[p + 1, 2] - points[p, 2],
    )
    s = 1.0 / max(1e-9, math.sqrt(tx * tx + ty * ty + tz * tz))
    return p, x - p, tx * s, ty * s, tz * s


@kernel
def _aside(
    seed: np.uint64, me: np.uint64, around: float, u: float, placed: Float64, window: float
) -> float:
    """The turn, of a few that chance offers, that keeps farthest from the branches `placed` (k, 2) before: u and angle of each."""
    chosen, best = 0.0, -1.0
    for m in range(_TRIES):
        turn = 0.55 * symmetric(seed, _TURN, me + np.uint64(m))
        nearest = 9.0
        for i in range(placed.shape[0]):
            along = abs(placed[i, 0] - u)
            if along < window:
                apart = abs(
                    (placed[i, 1] - around - turn + 3.0 * math.pi) % (2.0 * math.pi) - math.pi
                )
                nearest = min(nearest, apart + along / window)
        if nearest > best:
            chosen, best = turn, nearest
    return chosen


@kernel
def _around(
    seed: np.uint64, parent: np.uint64, me: np.uint64, k: int, b: Branching, placed: Float64
) -> tuple[float, float]:
    """Where branch `k` leaves its parent: along its bearing part, and the angle round it."""
    node = k // b.whorl + 1
    u = (0.5 + node * R2_FIRST) % 1.0
    if b.two_ranked and b.whorl == 2:
        return u, (k % 2) * math.pi + 0.2 * symmetric(seed, _TURN, me)
    if b.two_ranked:
        side = math.pi if (node * R2_SECOND) % 1.0 < 0.5 else 0.0
        return u, side + 0.2 * symmetric(seed, _TURN, me)
    offset = uniform(seed, _SIDE, parent)
    around = 2.0 * math.pi * ((offset + node * R2_SECOND + (k % b.whorl) / b.whorl) % 1.0)
    if b.whorl > 1:
        return u, around + 0.3 * symmetric(seed, _TURN, me)
    return u, around + _aside(seed, me, around, u, placed[:k], 1.2 / max(6.0, k + 1.0))


@kernel
def level_frame(tx: float, ty: float, tz: float) -> tuple[float, float, float, float, float]:
    """Across the unit vector t: x and z of a level axis, and the axis that points to its upper side."""
    nx, nz = -tz, tx
    s = math.sqrt(nx * nx + nz * nz)
    if s < 1e-3:
        nx, nz = 1.0, 0.0
    else:
        nx, nz = nx / s, nz / s
    return nx, nz, -nz * ty, nz * tx - nx * tz, nx * ty


@kernel
def _leaving(
    tx: float, ty: float, tz: float, around: float, angle: float, b: Branching
) -> tuple[float, float, float]:
    """The unit direction in which a branch leaves a parent of tangent t, at `angle` to it and `around` it."""
    nx, nz, bx, by, bz = level_frame(tx, ty, tz)
    side, up = math.cos(around), math.sin(around) * (1.0 - b.flat)
    s = math.sqrt(side * side + up * up)
    if s < 1e-3:
        side, up, s = 1.0, 0.0, 1.0
    side, up = side / s, up / s
    lx, ly, lz = side * nx + up * bx, up * by, side * nz + up * bz
    ca, sa = math.cos(angle), math.sin(angle)
    dx, dy, dz = ca * tx + sa * lx, ca * ty + sa * ly + b.lift, ca * tz + sa * lz
    s = 1.0 / max(1e-6, math.sqrt(dx * dx + dy * dy + dz * dz))
    return dx * s, dy * s, dz * s


@kernel
def _children(
    seed: np.uint64, parents: Parents, order: int, b: Branching, profile: Float32
) -> tuple[Starts, Float32, Int64, Int64, Float32]:
    """Where the branches of an order begin, their radii, parents, first-order branches and places along their parents."""
    numbers, radius = parents.numbers, parents.radius
    total = numbers.sum()
    base, direction, axis = np.empty((total, 3)), np.empty((total, 3)), np.empty((total, 3))
    lengths, radii = np.empty(total, np.float32), np.empty(total, np.float32)
    at, ids = np.empty(total, np.float32), np.empty(total, np.uint64)
    rows, firsts = np.empty(total, np.int64), np.empty(total, np.int64)
    samples = profile.shape[0] - 1
    most = 1
    for j in range(numbers.shape[0]):
        most = max(most, numbers[j])
    placed = np.empty((most, 2))
    c = 0
    for j in range(numbers.shape[0]):
        for k in range(numbers[j]):
            me = mix(parents.ids[j] ^ mix(np.uint64(order * 65536 + k + 1)))
            u, around = _around(seed, parents.ids[j], me, k, b, placed)
            placed[k, 0], placed[k, 1] = u, around
            t = b.start + (b.end - b.start) * u
            p, f, tx, ty, tz = at_share(parents.points[j], t)
            for i in range(3):
                here = parents.points[j, p, i]
                base[c, i] = here + f * (parents.points[j, p + 1, i] - here)
            axis[c, 0], axis[c, 1], axis[c, 2] = tx, ty, tz
            bend = (b.angle_tip - b.angle_base) * u + 0.16 * symmetric(seed, _ANGLE, me)
            dx, dy, dz = _leaving(tx, ty, tz, around, b.angle_base + bend, b)
            direction[c, 0], direction[c, 1], direction[c, 2] = dx, dy, dz
            q = u * samples
            m = min(int(q), samples - 1)
            shape = profile[m] + (q - m) * (profile[m + 1] - profile[m])
            part = max(0.04, shape * (1.0 + b.variation * symmetric(seed, _LENGTH, me)))
            lengths[c] = parents.full[j] * part
            thick = radius[j, p] + f * (radius[j, p + 1] - radius[j, p])
            # pipe model: section^(exponent/2) is shared in proportion to the length fed
            fed = thick * b.thickness * min(1.2, part) ** (2.0 / b.exponent)
            radii[c] = max(b.thinnest, min(0.92 * thick, fed))
            ids[c], rows[c], at[c] = me, j, t
            firsts[c] = c if order == 1 else parents.first[j]
            c += 1
    return Starts(base, direction, axis, lengths, ids), radii, rows, firsts, at


@kernel
def taper(base_radius: Float32, length: Float32, count: int, thinning: Thinning) -> Float32:
    """Radii along branches by the pipe model in its continuous form (Shinozaki et al. 1964): what a section feeds thins out towards the tip."""
    crown_start, loss, exponent, collar = thinning
    n = base_radius.shape[0]
    out = np.empty((n, count), np.float32)
    for i in range(n):
        for k in range(count):
            t = k / (count - 1)
            fed = 1.0 - max(0.0, (t - crown_start) / (1.0 - crown_start))
            r = base_radius[i] * (1.0 - loss * t * 0.6) * max(0.0, fed) ** (1.0 / exponent)
            d = t * length[i] / max(1e-6, base_radius[i])
            out[i, k] = max(0.12 * base_radius[i], r) * (1.0 + collar * math.exp(-0.9 * d))
    return out


@kernel
def _cut(points: Float32, radius: Float32, until: Float32) -> None:
    """Tell each branch's course up to `until` (n,) of its length with the same number of points, in place."""
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
    """Vigour and brokenness (n,) of branches: `dead` and `stubs` are their shares; nothing is livelier than its parent."""
    fate = uniform_array(seed, _FATE, ids)
    # a branch fades over a narrow band, so that an aging tree loses its leaves branch by branch and not at a stroke
    vigour = np.minimum(np.clip((fate - dead) / 0.03 + (dead <= 0.0), 0.0, 1.0), parents_vigour)
    broken = uniform_array(seed, _BREAK, ids) < stubs
    return np.where(broken, 0.0, vigour).astype(np.float32), broken.astype(np.float32)


def births(seed: int, ids: UInt64, before: Float32) -> Float32:
    """(n,) ages at which branches begin to grow, whose parents were born at `before` (n,)."""
    spread = uniform_array(seed, _BIRTH, ids)
    return np.asarray(before + (0.85 - before) * (0.03 + 0.34 * spread), np.float32)


def grown_from(seed: int, starts: Starts, points: int, course: Course, longest: float) -> Float32:
    """(n, points, 3) metres: the courses of branches that begin at `starts`; of the `longest` length they droop in full."""
    return np.asarray(_grow(np.uint64(seed), starts, points, course, max(longest, 1e-3)))


@dataclass(frozen=True, slots=True)
class Stems:
    """What the stems of a plant are like."""

    count: int
    length: float  #: metres, of the first
    radius: float  #: metres, of the first at its foot
    lean: float  #: radians, of the first
    spread: float  #: radians by which the others lean outwards, at most
    points: int  #: along each
    course: Course
    thinning: Thinning


def grow_stems(seed: int, stems: Stems, guide: Float64 | None = None) -> Order:
    """Stems from the origin; the first is the tallest, the others stand round it.

    Args:
        guide: (k, 3) metres, a course from the origin that the first stem follows to its end instead of its own.
    """
    count, radius = stems.count, stems.radius
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
        tilt = stems.lean if k == 0 else stems.spread * (0.55 + 0.45 * unit[k][0])
        away = 0.0 if k == 0 else radius * (1.1 + 0.9 * unit[k][0])
        base[k] = (away * math.cos(azimuth), 0.0, away * math.sin(azimuth))
        direction[k] = (
            math.sin(tilt) * math.cos(azimuth),
            math.cos(tilt),
            math.sin(tilt) * math.sin(azimuth),
        )
        lengths[k] = stems.length * (1.0 if k == 0 else 0.72 + 0.26 * unit[k][1])
        radii[k] = radius * (1.0 if k == 0 else 0.6 + 0.3 * unit[k][1])
    starts = Starts(base, direction, np.zeros((count, 3)), lengths, ids)
    curve = grown_from(seed, starts, stems.points, stems.course, stems.length)
    if guide is not None:
        curve[0], lengths[0] = _along(guide, stems.points)
    tapered = taper(radii, lengths, stems.points, stems.thinning)
    return parentless(curve, tapered, lengths, ids)


def parentless(curve: Float32, radius: Float32, length: Float32, ids: UInt64) -> Order:
    """Branches that spring from none: stems, roots."""
    none, zero = np.full(ids.size, -1, np.int64), np.zeros(ids.size, np.float32)
    return Order(curve, radius, length, ids, none, none, zero, zero, zero + 1, zero, length)


def _along(guide: Float64, points: int) -> tuple[Float32, float]:
    """`points` places evenly along `guide`, and its length."""
    steps = np.linalg.norm(np.diff(guide, axis=0), axis=1)
    far = np.concatenate([[0.0], np.cumsum(steps)])
    at = np.linspace(0.0, far[-1], points)
    line = np.stack([np.interp(at, far, guide[:, k]) for k in range(3)], axis=1)
    return line.astype(np.float32), float(far[-1])


@dataclass(frozen=True, slots=True)
class NextOrder:
    """What the branches of one order are like."""

    number: int  #: of the order; 1 leaves the stems
    count: int  #: branches on a parent of the reference length; others bear in proportion to theirs
    per_metre: float  #: branches on each metre of parent, in place of `count` where positive
    reference: float  #: metres, of a parent
    longest: float  #: metres, of a branch; longer ones droop more
    full: Float32  #: (parents,) metres, the length of a full branch on each
    profile: Float32  #: (TABLE,) its share from start to end
    branching: Branching
    course: Course
    points: int  #: along each branch
    taper: float
    dead: float  #: share of the branches
    stubs: float  #: share of the branches
    end_thin: bool  #: branches end where they would be thinner than the thinnest, or are left out


def grow_branches(seed: int, parents: Order, w: NextOrder) -> Order:
    """The branches of the order after `parents`."""
    numbers = _child_count(parents.length, parents.broken, w.reference, w.count, w.per_metre)
    bearing = Parents(parents.points, parents.radius, parents.ids, parents.first, w.full, numbers)
    starts, radii, parent, first, at = _children(
        np.uint64(seed), bearing, w.number, w.branching, w.profile
    )
    length, ids = starts.length, starts.ids
    curve = grown_from(seed, starts, w.points, w.course, w.longest)
    thinning = Thinning(0.1, w.taper, w.branching.exponent, 0.35)
    radius = taper(radii, length, w.points, thinning)
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
