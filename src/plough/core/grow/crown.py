"""Crowns filled by attraction points.

As in space colonisation (Runions, Lane and Prusinkiewicz 2007), points strewn in the crown draw the
wood to them, and a point that wood has come near to draws no more. Here they do so generation by
generation, each three times as many as all before: every point of a generation draws one branch
from the nearest wood that earlier generations left. So a branch hangs on its own point and on the
generations before it, on nothing else, and more points leave all branches where they were; only
how thick they are follows what they feed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64, UInt64
from plough.core.grow.skeleton import Order, births, fates
from plough.core.rng import bits_array, stream, uniform_array
from plough.core.vectors import across, unit

MOST_ORDERS = 8  #: stems included; wood of the last bears no more
_FIRST, _TIMES = 24, 3  #: points of the first generation, and of all by those before
_CHOICES = 8  #: nearest places that a branch may leave from
_HIGH, _ROUND, _OUT = (stream(f"crown.{n}") for n in ("high", "round", "out"))
_BRANCH, _WANDER = stream("crown.branch"), stream("crown.wander")


@dataclass(frozen=True, slots=True)
class CrownBody:
    """The body that a crown fills: one of revolution, or one of any form."""

    profile: Float32  #: (n,) radii from the foot to the top, times `radius`
    low: float  #: metres above the ground
    high: float  #: metres above the ground
    radius: float  #: metres
    shell: float  #: 0 fills the body evenly, 1 draws to its surface
    form: Float64 | None = None  #: (rows, columns) radii once round, in place of the profile


def crown_points(seed: int, count: int, body: CrownBody) -> Float64:
    """(count, 3) points in a body; more points keep the earlier ones."""
    profile, form, radius = body.profile, body.form, body.radius
    low, high, shell = body.low, body.high, body.shell
    if form is not None:
        profile = np.sqrt((form**2).mean(axis=1)).astype(np.float32)
    index = np.arange(count, dtype=np.uint64)
    area = np.concatenate(
        [[0.0], np.cumsum(np.maximum(profile[1:], profile[:-1]).astype(np.float64) ** 2 + 1e-6)]
    )
    height = np.interp(
        uniform_array(seed, _HIGH, index) * area[-1], area, np.linspace(0.0, 1.0, profile.shape[0])
    )
    out = uniform_array(seed, _OUT, index) ** (0.5 / (1.0 + 3.0 * shell))
    reach = np.interp(height, np.linspace(0.0, 1.0, profile.shape[0]), profile) * radius * out
    turn = 2.0 * math.pi * uniform_array(seed, _ROUND, index)
    if form is not None:
        reach = radius_at(form, height, turn) * radius * out
    return np.stack(
        [reach * np.cos(turn), low + (high - low) * height, reach * np.sin(turn)], axis=1
    )


def radius_at(form: Float64, height: Float64, turn: Float64) -> Float64:
    """Radii of a form (rows, columns) at `height` in [0, 1] and `turn` in radians, linear between its numbers."""
    rows, columns = form.shape
    y, x = np.clip(height, 0, 1) * (rows - 1), (turn / (2.0 * math.pi)) % 1.0 * columns
    j, i = np.minimum(y.astype(np.int64), rows - 2), x.astype(np.int64) % columns
    f, e = y - j, x - np.floor(x)
    k = (i + 1) % columns
    return np.asarray(
        (form[j, i] * (1 - e) + form[j, k] * e) * (1 - f)
        + (form[j + 1, i] * (1 - e) + form[j + 1, k] * e) * f
    )


class Filling(NamedTuple):
    """How branches fill a crown; lengths in metres."""

    step: float  #: between two places of a branch that others may leave from
    reach: float  #: no branch is longer
    stop: float  #: a point this near to wood draws no more
    up: float  #: how much branches turn upwards
    wander: float  #: how crooked they are, by their length
    start: float  #: share of the stems below which no branch leaves
    thinnest: float  #: radius of a twig
    exponent: float  #: of the pipe model
    thickness: float  #: of a branch by its parent, at most
    dead: float  #: share of the branches


@dataclass(frozen=True, slots=True)
class _Wood:
    """Places that a branch may leave from, as arrays of n rows."""

    place: Float64  #: (n, 3) metres
    heading: Float64  #: (n, 3) unit
    order: Int64
    row: Int64  #: of the branch, in its order
    at: Float64  #: along the branch, in [0, 1]

    def taken(self, rows: Int64) -> _Wood:
        return _Wood(*(getattr(self, name)[rows] for name in _Wood.__slots__))


def _joined(parts: list[_Wood]) -> _Wood:
    return _Wood(*(np.concatenate([getattr(p, n) for p in parts]) for n in _Wood.__slots__))


def _places(points: Float32, order: int, first_row: int, least: float, step: float) -> _Wood:
    """Places about `step` metres apart along branches (n, p, 3), from the share `least` on."""
    p = points.astype(np.float64)
    count = p.shape[1]
    length = np.linalg.norm(np.diff(p, axis=1), axis=2).sum(axis=1)
    number = np.clip(np.ceil(length * (1.0 - least) / step).astype(np.int64), 2, 40)
    row = np.repeat(np.arange(len(p)), number)
    k = np.arange(number.sum()) - np.repeat(np.cumsum(number) - number, number)
    at = least + (1.0 - least) * (k + 1) / number[row]
    x = at * (count - 1)
    low = np.minimum(x.astype(np.int64), count - 2)
    way = p[row, low + 1] - p[row, low]
    return _Wood(
        p[row, low] + (x - low)[:, None] * way,
        unit(way),
        np.full(len(row), order),
        row + first_row,
        at,
    )


def _generations(count: int) -> list[tuple[int, int]]:
    """First and last but one point of each generation."""
    out, first, last = [], 0, _FIRST
    while first < count:
        out.append((first, min(last, count)))
        first, last = last, last * _TIMES
    return out


@dataclass(slots=True)
class _Growing:
    """The branches of one order while the crown is filled."""

    points: list[Float32]
    ids: list[UInt64]
    parent: list[Int64]
    at: list[Float64]
    count: int = 0


def fill_crown(seed: int, orders: list[Order], goals: Float64, f: Filling) -> list[Order]:
    """`orders` with the branches that fill the crown, each in the order after that of the wood it leaves.

    Args:
        goals: (m, 3) attraction points, metres.
    """
    grown = {k: o.count for k, o in enumerate(orders)}
    new = {k: _Growing([], [], [], [], grown.get(k, 0)) for k in range(1, MOST_ORDERS)}
    wood = [
        _places(o.points[keep], k, 0, f.start if k == 0 else 0.35, f.step)
        if (keep := o.broken < 0.5).all()
        else _unbroken(o, k, keep, f)
        for k, o in enumerate(orders)
    ]
    ids = bits_array(seed, _BRANCH, np.arange(len(goals), dtype=np.uint64))
    for first, last in _generations(len(goals)):
        frozen = _joined(wood)
        left, far = _nearest(frozen, goals[first:last])
        drawn = np.nonzero(far > f.stop)[0]
        leaving, mine = frozen.taken(left[drawn]), ids[first:last][drawn]
        for k in np.unique(leaving.order).tolist():
            rows = np.nonzero(leaving.order == k)[0]
            into = new[k + 1]
            count = orders[k + 1].points.shape[1] if k + 1 < len(orders) else _POINTS[k + 1]
            part = leaving.taken(rows)
            points = _branches(part, goals[first:last][drawn[rows]], mine[rows], f, seed, count)
            into.points.append(points)
            into.ids.append(mine[rows])
            into.parent.append(part.row)
            into.at.append(part.at)
            if k + 1 < MOST_ORDERS - 1:
                wood.append(_places(points, k + 1, into.count, 0.25, f.step))
            into.count += len(rows)
    return _told(seed, orders, new, f)


_POINTS = (17, 11, 8, 6, 5, 4, 3, 3)  #: along the branches of each order


def _unbroken(order: Order, k: int, keep: Bool, f: Filling) -> _Wood:
    """Places on branches that are no stubs."""
    rows = np.nonzero(keep)[0]
    found = _places(order.points[rows], k, 0, f.start if k == 0 else 0.35, f.step)
    return _Wood(found.place, found.heading, found.order, rows[found.row], found.at)


def _nearest(wood: _Wood, goals: Float64) -> tuple[Int64, Float64]:
    """The place that each goal draws a branch from, and the distance of the nearest; places that head for it come first."""
    from scipy.spatial import cKDTree

    k = min(_CHOICES, len(wood.place))
    far, found = cKDTree(wood.place).query(goals, k)
    far, found = far.reshape(-1, k), found.reshape(-1, k)
    towards = unit(goals[:, None] - wood.place[found])
    ahead = (towards * wood.heading[found]).sum(axis=2)
    chosen = np.argmin(far * (1.4 - 0.4 * ahead), axis=1)
    return found[np.arange(len(goals)), chosen], far[:, 0]


def _branches(
    wood: _Wood, goals: Float64, ids: UInt64, f: Filling, seed: int, count: int
) -> Float32:
    """(n, count, 3) courses from `wood` to their goals: they leave along their parent and turn to the goal."""
    towards = unit(goals - wood.place)
    far = np.linalg.norm(goals - wood.place, axis=1)
    length = np.minimum(far - 0.6 * f.stop, f.reach)[:, None]
    end = wood.place + length * towards
    lift = np.array([0.0, f.up, 0.0])
    # Hermite's cubic from heading to heading
    leave = length * unit(0.6 * wood.heading + 0.55 * towards + 0.5 * lift)
    arrive = length * (towards + 2.0 * lift)
    t = np.linspace(0.0, 1.0, count)[None, :, None]
    line = (
        (2 * t**3 - 3 * t**2 + 1) * wood.place[:, None]
        + (t**3 - 2 * t**2 + t) * leave[:, None]
        + (3 * t**2 - 2 * t**3) * end[:, None]
        + (t**3 - t**2) * arrive[:, None]
    )
    one, other = across(towards)
    index: UInt64 = ids[:, None] + np.arange(6, dtype=np.uint64)[None, :]
    bend = 2.0 * uniform_array(seed, _WANDER, index.reshape(-1)).reshape(-1, 6) - 1.0
    for k in range(3):
        wave = np.sin(math.pi * (k + 1) * t) * (f.wander * length / (k + 1))[:, None]
        line += wave * (bend[:, k, None] * one + bend[:, k + 3, None] * other)[:, None]
    return np.asarray(line, np.float32)


def _told(seed: int, orders: list[Order], new: dict[int, _Growing], f: Filling) -> list[Order]:
    """The orders with their new branches, thick enough for what they feed."""
    out = list(orders)
    made: dict[int, tuple[Float32, UInt64, Int64, Float64]] = {}
    for k, g in new.items():
        if not g.points:
            continue
        made[k] = (
            np.concatenate(g.points),
            np.concatenate(g.ids),
            np.concatenate(g.parent),
            np.concatenate(g.at),
        )
    fed = _fed(orders, made)
    stout: dict[int, Float64] = {k: np.ones(o.count) for k, o in enumerate(orders)}
    for k, (points, ids, parent, at) in made.items():
        before = out[k - 1]
        radius = f.thinnest * fed[k] ** (1.0 / f.exponent)
        radius[:, -1] *= 0.4
        here = _along(before.radius, parent, at)
        # what leaves stout branches begins as stout as they are there, and passes some of that on
        given = parent < (orders[k - 1].count if k - 1 < len(orders) else 0)
        own = np.where(given, 0.55 * here / radius[:, 0], 1.0 + 0.55 * (stout[k - 1][parent] - 1.0))
        own = np.clip(own, 1.0, 2.6)
        stout[k] = np.concatenate([stout.get(k, np.empty(0)), own])
        radius *= own[:, None] ** np.linspace(1.0, 0.5, radius.shape[1])
        radius *= np.minimum(1.0, f.thickness * here / radius[:, 0])[:, None]
        length = np.linalg.norm(np.diff(points, axis=1), axis=2).sum(axis=1).astype(np.float32)
        vigour, broken = fates(seed, ids, before.vigour[parent], f.dead, 0.0)
        old = out[k].count if k < len(out) else 0
        first = np.arange(old, old + len(ids)) if k == 1 else before.first[parent]
        branches = Order(
            points,
            np.maximum(radius, 0.4 * f.thinnest).astype(np.float32),
            length,
            ids,
            parent,
            first,
            at.astype(np.float32),
            births(seed, ids, before.birth[parent]),
            vigour,
            broken,
            length,
        )
        if k < len(out):
            out[k] = out[k].with_rows(branches)
        else:
            out.append(branches)
    return out


def _fed(
    orders: list[Order], made: dict[int, tuple[Float32, UInt64, Int64, Float64]]
) -> dict[int, Float64]:
    """For each new order, (n, p) how many twigs are fed through each point of its branches."""
    fed = {k: np.zeros((len(row[0]), row[0].shape[1])) for k, row in made.items()}
    for k in sorted(made, reverse=True):
        fed[k] = 1.0 + fed[k][:, ::-1].cumsum(axis=1)[:, ::-1]
        _, _, parent, at = made[k]
        old = orders[k - 1].count if k - 1 < len(orders) else 0
        new = np.nonzero(parent >= old)[0]
        if k - 1 in fed:
            columns = np.floor(at[new] * (fed[k - 1].shape[1] - 1)).astype(np.int64)
            np.add.at(fed[k - 1], (parent[new] - old, columns), fed[k][new, 0])
    return fed


def _along(values: Float32, rows: Int64, at: Float64) -> Float64:
    """(n,) values (m, p) at `at` in [0, 1] along `rows`."""
    x = at * (values.shape[1] - 1)
    k = np.minimum(x.astype(np.int64), values.shape[1] - 2)
    return np.asarray(values[rows, k] + (x - k) * (values[rows, k + 1] - values[rows, k]))
