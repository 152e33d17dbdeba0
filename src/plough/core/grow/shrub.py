"""Shrubs and hedges: twigs and leaves that fill the shell of a given body.

The body is a surface over a grid; twigs end at points of the R2 sequence (Roberts 2018) over it, so that more of them leave the others where
they are. Each springs from the nearest of the branches, which rise from stems on the ground into the body.
"""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.collider import Collider, joined
from plough.core.errors import TooLargeError
from plough.core.grow.covering import (
    check_leaves,
    check_whole,
    cloud_of,
    dressed,
    hanging,
    lumped,
    materials,
    moss_of,
    shown_of,
    tubes_of,
)
from plough.core.grow.foliage import Envelope, Hung, hang, join_hung
from plough.core.grow.shrub_body import Body, body_of, nearest
from plough.core.grow.shrub_habit import ShrubParameters
from plough.core.grow.skeleton import Order
from plough.core.grow.wood import Flare, tinted, wood_mesh
from plough.core.kinds import Product, kind
from plough.core.mesh.value import join
from plough.core.rng import bits_array, stream, symmetric_array, uniform_array

MOST_TWIGS = 24_000
_TWIG, _BRANCH, _STEM = stream("shrub.twig"), stream("shrub.limb"), stream("shrub.stem")


def _bezier(a: Float64, b: Float64, c: Float64, n: int) -> Float32:
    t = np.linspace(0.0, 1.0, n)[None, :, None]
    return np.asarray(
        a[:, None] * (1 - t) ** 2 + 2 * b[:, None] * t * (1 - t) + c[:, None] * t**2, np.float32
    )


def _order(
    points: Float32,
    thick: Float64,
    thin: float,
    ids: UInt64,
    parent: Int64,
    first: Int64,
    at: Float64,
) -> Order:
    n, k = points.shape[:2]
    length = np.linalg.norm(np.diff(points, axis=1), axis=2).sum(axis=1).astype(np.float32)
    radius = (thick[:, None] + (thin - thick)[:, None] * np.linspace(0, 1, k)[None] ** 1.3).astype(
        np.float32
    )
    zero = np.zeros(n, np.float32)
    return Order(
        points,
        radius,
        length,
        ids,
        parent,
        first,
        at.astype(np.float32),
        zero,
        zero + 1,
        zero,
        length,
    )


def _heading(points: Float32, row: Int64, at: Float64) -> tuple[Float64, Float64]:
    """Places and directions (n, 3) at `at` along rows of `points`."""
    x = at * (points.shape[1] - 1)
    k = np.minimum(x.astype(np.int64), points.shape[1] - 2)
    a, b = points[row, k].astype(np.float64), points[row, k + 1].astype(np.float64)
    way = b - a
    return a + (x - k)[:, None] * way, way / np.maximum(
        np.linalg.norm(way, axis=1, keepdims=True), 1e-9
    )


def skeleton(p: ShrubParameters, seed: int) -> tuple[list[Order], Body]:
    """Stems, branches and twigs.

    Raises:
        TooLargeError: more than `MOST_TWIGS` twigs.
    """
    body = body_of(p, seed)
    n = max(1, round(body.area * p.density))
    if n > MOST_TWIGS:
        limit = f"{MOST_TWIGS:,}"
        message = f"the shrub would have about {n:,} twigs; the limit is {limit}"
        raise TooLargeError("density", f"{message}: lower it, or the body", limit=limit)
    run = float(np.linalg.norm(np.diff(body.spine[:, [0, 2]], axis=0), axis=1).sum())
    stems = p.stems if p.body != "hedge" else max(1, round(p.stems * run / 2.0))
    if stems * p.branches > MOST_TWIGS:
        limit = f"{MOST_TWIGS:,}"
        message = f"the shrub would have {stems:,} stems and {stems * p.branches:,} limbs; the limit is {limit}"
        raise TooLargeError("stems", f"{message}: lower stems or limbs, or the body", limit=limit)
    thin, thick = p.thickness / 2000.0, p.stem_thickness / 2000.0

    def draw(part: str, purpose: str, ids: UInt64) -> Float64:
        return symmetric_array(seed, stream(f"shrub.{part}.{purpose}"), ids)

    # stems rise from about the middle line, outwards, to three quarters of the height
    ids = bits_array(seed, _STEM, np.arange(stems, dtype=np.uint64))
    if p.body == "hedge":
        place = (np.arange(stems) * 0.6180339887 + 0.5) % 1.0 * (body.spine.shape[0] - 1)
        foot = np.stack(
            [np.interp(place, np.arange(body.spine.shape[0]), body.spine[:, i]) for i in range(3)],
            axis=1,
        )
        spread = 0.25 * p.width
    else:
        foot, spread = np.zeros((stems, 3)), 0.30 * min(p.width, p.depth)
    angle = np.arange(stems) * 2.399963
    out = np.stack([np.cos(angle), np.zeros(stems), np.sin(angle)], axis=1)
    foot = (
        foot + out * (0.06 * min(p.width, 1.0) * (0.6 + 0.4 * draw("stem", "away", ids)))[:, None]
    )
    foot[:, 1] = -0.05 - thick
    top = foot + out * (spread * (0.7 + 0.45 * draw("stem", "spread", ids)))[:, None]
    top[:, 1] = p.height * (0.66 + 0.12 * draw("stem", "height", ids))
    middle = (
        0.6 * foot
        + 0.4 * top
        + np.stack([draw("stem", "east", ids), np.zeros(stems), draw("stem", "south", ids)], axis=1)
        * 0.05
        * p.height
    )
    middle[:, 1] = 0.5 * p.height
    none = np.full(stems, -1, np.int64)
    stem = _order(
        _bezier(foot, middle, top, 9),
        np.full(stems, thick),
        thin * 1.6,
        ids,
        none,
        none,
        np.zeros(stems),
    )
    # branches go from the stem towards the shell: each stem reaches for the nearest of its own targets
    m = stems * p.branches
    ids = bits_array(seed, _BRANCH, np.arange(m, dtype=np.uint64))
    target, normal = body.scatter(seed, _BRANCH, m)
    target = target - normal * (p.shell * 0.75)
    target[:, 1] = np.maximum(target[:, 1], min(p.foot, 0.8 * p.height) * 0.8)
    axis = stem.points[:, stem.points.shape[1] // 2].astype(np.float64)
    row = nearest(axis[:, [0, 2]], target[:, [0, 2]])
    at = np.clip(
        0.62 * target[:, 1] / max(0.1, 0.72 * p.height) + 0.08 * draw("limb", "at", ids), 0.12, 0.96
    )
    base, way = _heading(stem.points, row, at)
    reach = np.linalg.norm(target - base, axis=1, keepdims=True)
    branch_points = _bezier(
        base,
        base + way * (0.45 * reach) + (0.12 * reach) * draw("limb", "bend", ids)[:, None],
        target,
        6,
    )
    here = np.interp(at, np.linspace(0, 1, stem.radius.shape[1]), stem.radius[0])
    branch = _order(branch_points, np.maximum(0.62 * here, thin), thin, ids, row, np.arange(m), at)
    # twigs end on the surface
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
    stations = 5
    along = np.linspace(0.35, 1.0, stations)
    nodes = np.concatenate([_heading(branch.points, np.arange(m), np.full(m, a))[0] for a in along])
    near = nearest(nodes, inner)
    row, at = near % m, along[near // m]
    base, way = _heading(branch.points, row, at)
    reach = np.linalg.norm(tip - base, axis=1, keepdims=True)
    rise = np.array([0.0, 1.0, 0.0]) * p.gravitropism
    bend = (
        base
        + (0.35 * way + 0.25 * (normal + rise)) * reach
        + 0.08 * reach * np.stack([draw("twig", f"bend.{s}", ids) for s in range(3)], axis=1)
    )
    twig = _order(_bezier(base, bend, tip, 4), np.full(n, thin), thin * 0.45, ids, row, row, at)
    return [stem, branch, twig], body


def _leaves(p: ShrubParameters, orders: list[Order], detail: int, centre: Float64) -> Hung | None:
    if not p.leaves or p.leaf_count <= 0:
        return None
    bearing = [orders[2]]
    check_leaves(p, detail, bearing)
    h, shown = hanging(p), shown_of(p, detail)
    hung = join_hung([hang(p.leaf_seed, o, orders[1], h, centre, shown) for o in bearing])
    return hung if hung.count else None


@kind(
    "shrub",
    "Shrub and hedge",
    "A body filled with twigs and leaves, clipped or loose; along a line it is a hedge.",
    ShrubParameters,
)
def make(p: ShrubParameters, seed: int, detail: int) -> Product:
    """A shrub about the origin, or a hedge along its line."""
    orders, body = skeleton(p, seed)
    low, high = body.grid.min(axis=(0, 1)), body.grid.max(axis=(0, 1))
    centre, extent = 0.5 * (low + high), np.maximum(0.5 * (high - low), 0.02)
    # twigs stop where the leaves hide them: the bare part of a twig is what lies inside the shell
    q = p.model_copy(update={"leaf_bare": max(p.leaf_bare, 0.25)})
    hung = _leaves(q, orders, detail, centre)
    flare = Flare(0.2, 0.04 * p.height, 0, 0.0, 0.05)
    tubes = tubes_of(p, float(high[1]), flare)
    wood, ranges = wood_mesh(orders, ["stems", "branches", "twigs"], tubes, detail)
    cloud = None if hung is None else cloud_of(p, hung, p.height)
    wood = tinted(wood, cloud, moss_of(p))
    mesh, counts = (
        wood,
        {
            "stems": orders[0].count,
            "branches": orders[1].count,
            "twigs": orders[2].count,
            "leaves": 0,
        },
    )
    if hung is not None and cloud is not None:
        check_whole(p, detail, wood.triangles, hung.count)
        leaves = (
            lumped(p, hung, detail, Envelope(centre, extent, p.height), p.height)
            if p.leaf_form == "lumps"
            else dressed(p, hung, detail, cloud, Envelope(centre, extent, float(high[1])))
        )
        counts["leaves"] = min(p.lumps, hung.count) if p.leaf_form == "lumps" else hung.count
        ranges = {**ranges, "leaves": (wood.triangles, leaves.triangles)}
        mesh = join([wood, leaves])
    slots = materials(p)
    reach = np.hypot(mesh.positions[:, 0], mesh.positions[:, 2])
    return Product(
        mesh,
        {part.material: slots[part.material] for part in mesh.parts},
        footprint_radius=0.35 * (p.width if p.body == "hedge" else min(p.width, p.depth)),
        canopy_radius=float(np.quantile(reach, 0.995)),
        height=float(mesh.positions[:, 1].max()),
        collider=_collider(p, body),
        game=p.game,
        counts=counts,
        ranges=ranges,
    )


def _collider(p: ShrubParameters, body: Body) -> Collider:
    """Convex pieces of the body: one, or for a hedge one for every few metres of its line."""
    if p.game.collider == "none":
        return Collider()
    if p.body != "hedge":
        return joined([Collider(pieces=(_grounded(body.grid.reshape(-1, 3)),))], p.game)
    pieces = [body.grid[:, a : a + 7].reshape(-1, 3) for a in range(0, body.grid.shape[1] - 1, 6)]
    parts = [Collider(pieces=(_grounded(piece),)) for piece in pieces]
    return joined(parts, p.game)


def _grounded(corners: Float64) -> Float32:
    below = corners[:: max(1, corners.shape[0] // 24)].copy()
    below[:, 1] = 0.0
    return np.concatenate([corners, below]).astype(np.float32)
