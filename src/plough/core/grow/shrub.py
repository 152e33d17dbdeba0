"""Shrubs and hedges: twigs and leaves that fill the shell of a given body.

The body is a surface over a grid; twigs end at points of the R2 sequence (Roberts 2018) over it, so that more of them leave the others where
they are. Each springs from the nearest of the branches, which rise from stems on the ground into the body.
"""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.collider import Collider, joined
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
from plough.core.grow.shrub_body import Body
from plough.core.grow.shrub_habit import ShrubParameters
from plough.core.grow.shrub_skeleton import skeleton
from plough.core.grow.skeleton import Order
from plough.core.grow.wood import Flare, tinted, wood_mesh
from plough.core.kinds import Product, kind
from plough.core.mesh.value import join


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
    mesh = wood
    names = ("stems", "branches", "twigs")
    counts = {name: order.count for name, order in zip(names, orders, strict=True)} | {"leaves": 0}
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
