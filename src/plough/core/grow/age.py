"""A plant at any age: every branch of the grown one, shorter, thinner, and where its parent then is.

Nothing is grown anew. A branch is scaled about the place where it leaves its parent, by how far it has come since its birth, so that each
point moves continuously with age and every branch keeps its identity.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from plough.core.arrays import Float32, Int64
from plough.core.grow.skeleton import Order

LEAST = 2e-3  #: a branch that is not yet born, by its full length


def grown(age: float) -> float:
    """Share of its full height that a stem has reached; 1 at the age of 1, a little more beyond."""
    return 1.0 - (1.0 - age) ** 1.6 if age < 1.0 else 1.0 + 0.08 * (age - 1.0)


def branch_growth(birth: Float32, age: float) -> Float32:
    """(n,) shares of their full length that branches born at `birth` have reached; 0 before their birth, 1 at the age of 1."""
    since = np.clip((age - birth) / (1.0 - birth), 0.0, None)
    young = 1.0 - np.maximum(1.0 - since, 0.0) ** 2.0
    return np.asarray(young + 0.10 * np.maximum(age - 1.0, 0.0), np.float32)


def _at(points: Float32, rows: Int64, at: Float32) -> Float32:
    x = at * (points.shape[1] - 1)
    p = np.minimum(x.astype(np.int64), points.shape[1] - 2)
    f = (x - p)[:, None].astype(np.float32)
    return np.asarray(points[rows, p] * (1.0 - f) + points[rows, p + 1] * f, np.float32)


def aged(orders: list[Order], age: float, fixed: bool = False) -> list[Order]:
    """`orders` at `age`: 0 a seed, 1 as grown, beyond 1 a veteran, whose wood thickens.

    Branches that are not yet born are left out, unless `fixed`: then they are there, tiny.
    """
    if age == 1.0:
        return orders
    out: list[Order] = []
    kept = np.empty(0, np.int64)
    for k, order in enumerate(orders):
        if k == 0:
            share = np.full(order.count, max(0.02, grown(age)), np.float32)
            thick = share**1.25 * (1.0 + 0.55 * max(0.0, age - 1.0))
            base = order.points[:, 0] * share[:, None]
            parent = order.parent
            keep = np.arange(order.count)
        else:
            growth = branch_growth(order.birth, age)
            alive = np.isin(order.parent, kept) & ((growth > 0.0) | fixed)
            keep = np.nonzero(alive)[0]
            share = np.maximum(growth, LEAST)[keep]
            thick = share**1.15 * (1.0 + 0.45 * max(0.0, age - 1.0))
            parent = np.searchsorted(kept, order.parent[keep])
            base = _at(out[-1].points, parent, order.at[keep])
        part = order if keep.size == order.count else order.rows(keep)
        points = base[:, None] + (part.points - part.points[:, :1]) * share[:, None, None]
        radius = part.radius * thick[:, None]
        if k:
            # no branch is thicker than its parent is there
            allowed = 0.92 * _at(out[-1].radius[..., None], parent, part.at)[:, 0]
            radius *= np.minimum(1.0, allowed / np.maximum(radius[:, -1], radius[:, 0] / 1.35))[
                :, None
            ]
        first = part.first
        if k == 1:
            first = np.arange(keep.size)
        elif k > 1:
            first = out[-1].first[parent]
        out.append(
            replace(
                part,
                points=points.astype(np.float32),
                radius=np.maximum(radius, 2e-4).astype(np.float32),
                length=(part.length * share).astype(np.float32),
                parent=parent,
                first=first,
            )
        )
        kept = keep
    return out


def size_at(age: float) -> float:
    """By how much leaves and texture are smaller on a young plant: between a half and 1."""
    return 0.5 + 0.5 * math.sqrt(min(1.0, max(0.02, grown(age))))
