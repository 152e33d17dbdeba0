"""The wood of shrubs and hedges: stems from the ground, branches into the body, twigs to its surface."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.errors import TooLargeError
from plough.core.grow.shrub_body import Body, body_of, nearest
from plough.core.grow.shrub_habit import ShrubParameters
from plough.core.grow.skeleton import Order
from plough.core.rng import bits_array, stream, symmetric_array, uniform_array
from plough.core.vectors import along_rows

MOST_TWIGS = 24_000
_TWIG, _BRANCH, _STEM = stream("shrub.twig"), stream("shrub.limb"), stream("shrub.stem")


def _bezier(a: Float64, b: Float64, c: Float64, n: int) -> Float32:
    t = np.linspace(0.0, 1.0, n)[None, :, None]
    return np.asarray(
        a[:, None] * (1 - t) ** 2 + 2 * b[:, None] * t * (1 - t) + c[:, None] * t**2, np.float32
    )


@dataclass(frozen=True, slots=True)
class Springs:
    """Where the branches of one order spring from."""

    parent: Int64  #: (n,) row in the order before; -1 from the ground
    first: Int64  #: (n,) which of its parent's it is
    at: Float64  #: (n,) where along the parent, 0 to 1


def _order(points: Float32, thick: Float64, thin: float, ids: UInt64, springs: Springs) -> Order:
    """Branches along `points` (n, k, 3) that thin from `thick` (n,) to `thin` (radii in metres)."""
    n, k = points.shape[:2]
    length = np.linalg.norm(np.diff(points, axis=1), axis=2).sum(axis=1).astype(np.float32)
    taper = np.linspace(0, 1, k)[None] ** 1.3
    radius = (thick[:, None] + (thin - thick)[:, None] * taper).astype(np.float32)
    zero = np.zeros(n, np.float32)
    at = springs.at.astype(np.float32)
    lines = (points, radius, length, ids, springs.parent, springs.first, at)
    return Order(*lines, zero, zero + 1, zero, length)


def _checked(wanted: int, field: str, what: str) -> int:
    if wanted > MOST_TWIGS:
        limit = f"{MOST_TWIGS:,}"
        message = f"the shrub would have about {wanted:,} {what}; the limit is {limit}"
        raise TooLargeError(field, f"{message}: lower it, or the body", limit=limit)
    return wanted


def skeleton(p: ShrubParameters, seed: int) -> tuple[list[Order], Body]:
    """Stems, branches and twigs.

    Raises:
        TooLargeError: more than `MOST_TWIGS` twigs, or branches.
    """
    body = body_of(p, seed)
    twigs = _checked(max(1, round(body.area * p.density)), "density", "twigs")
    run = float(np.linalg.norm(np.diff(body.spine[:, [0, 2]], axis=0), axis=1).sum())
    stems = p.stems if p.body != "hedge" else max(1, round(p.stems * run / 2.0))
    _checked(stems * p.branches, "stems", "branches")
    stem = _stems(p, seed, body, stems)
    branch = _branches(p, seed, body, stem)
    return [stem, branch, _twigs(p, seed, body, branch, twigs)], body


def _draw(seed: int, purpose: str, ids: UInt64) -> Float64:
    return symmetric_array(seed, stream(f"shrub.{purpose}"), ids)


def _stems(p: ShrubParameters, seed: int, body: Body, n: int) -> Order:
    """`n` stems from about the middle line, outwards, to about three quarters of the height."""
    thin, thick = p.thickness / 2000.0, p.stem_thickness / 2000.0
    ids = bits_array(seed, _STEM, np.arange(n, dtype=np.uint64))
    if p.body == "hedge":
        rows = np.arange(body.spine.shape[0])
        place = (np.arange(n) * 0.6180339887 + 0.5) % 1.0 * (body.spine.shape[0] - 1)
        foot = np.stack([np.interp(place, rows, body.spine[:, i]) for i in range(3)], axis=1)
        spread = 0.25 * p.width
    else:
        foot, spread = np.zeros((n, 3)), 0.30 * min(p.width, p.depth)
    angle = np.arange(n) * 2.399963
    out = np.stack([np.cos(angle), np.zeros(n), np.sin(angle)], axis=1)
    away = 0.06 * min(p.width, 1.0) * (0.6 + 0.4 * _draw(seed, "stem.away", ids))
    foot = foot + out * away[:, None]
    foot[:, 1] = -0.05 - thick
    top = foot + out * (spread * (0.7 + 0.45 * _draw(seed, "stem.spread", ids)))[:, None]
    top[:, 1] = p.height * (0.66 + 0.12 * _draw(seed, "stem.height", ids))
    east, south = _draw(seed, "stem.east", ids), _draw(seed, "stem.south", ids)
    aside = np.stack([east, np.zeros(n), south], axis=1)
    middle = 0.6 * foot + 0.4 * top + aside * 0.05 * p.height
    middle[:, 1] = 0.5 * p.height
    none = np.full(n, -1, np.int64)
    ground = Springs(none, none, np.zeros(n))
    return _order(_bezier(foot, middle, top, 9), np.full(n, thick), thin * 1.6, ids, ground)


def _branches(p: ShrubParameters, seed: int, body: Body, stem: Order) -> Order:
    """Branches towards the shell: each springs from the stem that is nearest to where it ends."""
    n = stem.count * p.branches
    thin = p.thickness / 2000.0
    ids = bits_array(seed, _BRANCH, np.arange(n, dtype=np.uint64))
    target, normal = body.scatter(seed, _BRANCH, n)
    target = target - normal * (p.shell * 0.75)
    target[:, 1] = np.maximum(target[:, 1], min(p.foot, 0.8 * p.height) * 0.8)
    axis = stem.points[:, stem.points.shape[1] // 2].astype(np.float64)
    row = nearest(axis[:, [0, 2]], target[:, [0, 2]])
    up = 0.62 * target[:, 1] / max(0.1, 0.72 * p.height)
    at = np.clip(up + 0.08 * _draw(seed, "limb.at", ids), 0.12, 0.96)
    base, way = along_rows(stem.points, row, at)
    reach = np.linalg.norm(target - base, axis=1, keepdims=True)
    bend = base + way * (0.45 * reach) + (0.12 * reach) * _draw(seed, "limb.bend", ids)[:, None]
    here = np.interp(at, np.linspace(0, 1, stem.radius.shape[1]), stem.radius[0])
    thick = np.maximum(0.62 * here, thin)
    return _order(_bezier(base, bend, target, 6), thick, thin, ids, Springs(row, np.arange(n), at))


def _twigs(p: ShrubParameters, seed: int, body: Body, branch: Order, n: int) -> Order:
    """`n` twigs that end on the body's surface, each from the branch that is nearest under it."""
    thin = p.thickness / 2000.0
    ids = bits_array(seed, _TWIG, np.arange(n, dtype=np.uint64))
    tip, normal = body.scatter(seed, _TWIG, n)
    if p.growth == "loose":
        over = (
            uniform_array(seed, stream("shrub.twig.over"), ids)[:, None] ** 2
            * p.overshoot
            * p.shell
        )
        tip = tip + (normal + np.array([0, max(0.0, p.gravitropism), 0])) * over
    tip = tip - normal * (0.3 * min(p.leaf_size, p.shell) if p.growth == "clipped" else 0.0)
    tip[:, 1] = np.maximum(tip[:, 1], 0.02)
    inner = tip - normal * p.shell
    m = branch.count
    along = np.linspace(0.35, 1.0, 5)
    nodes = [along_rows(branch.points, np.arange(m), np.full(m, a))[0] for a in along]
    near = nearest(np.concatenate(nodes), inner)
    row, at = near % m, along[near // m]
    base, way = along_rows(branch.points, row, at)
    reach = np.linalg.norm(tip - base, axis=1, keepdims=True)
    rise = np.array([0.0, 1.0, 0.0]) * p.gravitropism
    aside = np.stack([_draw(seed, f"twig.bend.{s}", ids) for s in range(3)], axis=1)
    bend = base + (0.35 * way + 0.25 * (normal + rise)) * reach + 0.08 * reach * aside
    springs = Springs(row, row, at)
    return _order(_bezier(base, bend, tip, 4), np.full(n, thin), thin * 0.45, ids, springs)
