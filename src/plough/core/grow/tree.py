"""Trees: stems, branches, roots and leaves."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float64
from plough.core.collider import Collider, along_branch, joined
from plough.core.curves import profile_table
from plough.core.errors import TooLargeError
from plough.core.grow.age import aged, grown, size_at
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
from plough.core.grow.crown import CrownBody, Filling, crown_points, fill_crown
from plough.core.grow.foliage import Envelope, Hung, Shown, hang, join_hung
from plough.core.grow.habit import BRANCHES, BranchOrder, TreeParameters
from plough.core.grow.skeleton import (
    Branching,
    Course,
    NextOrder,
    Order,
    Stems,
    Thinning,
    grow_branches,
    grow_stems,
)
from plough.core.grow.wood import Flare, Roots, grow_roots, tinted, wood_mesh
from plough.core.kinds import Product, kind
from plough.core.mesh.facets import faceted
from plough.core.mesh.value import Mesh, join
from plough.core.parameters import form_of

MOST_BRANCHES = 120_000  #: of one order
_WHORL = {"spiral": 1, "alternate": 1, "opposite": 2, "whorled": 3}
_POINTS = (17, 9, 5, 4, 3)  #: along a branch, by order


def _spline(p: TreeParameters) -> Float64 | None:
    if not p.guide:
        return None
    knots = np.array([(0.0, 0.0, 0.0), *p.guide]) * p.height
    t = np.concatenate([[0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(knots, axis=0), axis=1)))])
    fine = np.linspace(0.0, t[-1], 65)
    if len(knots) == 2:
        return np.asarray(knots[0] + (fine / t[-1])[:, None] * (knots[1] - knots[0]))
    from scipy.interpolate import CubicSpline

    return np.asarray(CubicSpline(t, knots, bc_type="natural")(fine))


def _crown_start(p: TreeParameters) -> float:
    """Where the crown begins, as a share of the stem."""
    if p.growth == "crown":
        return p.crown_low / p.stem_length
    return p.first.start if p.first.bears else 0.25


def _stems(p: TreeParameters, seed: int) -> Order:
    radius = p.height * p.girth / 200.0
    crown_start = min(0.85, _crown_start(p))
    course = Course(p.crookedness, p.gravitropism, 0.0, math.radians(p.twist), -1e9)
    lean, spread, length = math.radians(p.lean), math.radians(p.spread), p.height * p.stem_length
    # a stem that ends within the crown is still thick there
    loss = p.taper * (0.35 + 0.65 * p.stem_length)
    exponent = p.pipe if p.stem_length > 0.7 else 6.0
    thinning = Thinning(max(0.0, crown_start), loss, exponent, 0.0)
    stems = Stems(p.stems, length, radius, lean, spread, _POINTS[0], course, thinning)
    return grow_stems(seed, stems, _spline(p))


def _branches(
    p: TreeParameters, seed: int, parents: Order, number: int, branch: BranchOrder, reference: float
) -> Order:
    per_parent = (
        branch.count * 1.25
        if not branch.per_metre
        else branch.per_metre * float(parents.length.max(initial=0.0))
    )
    expected = parents.count * per_parent
    if expected > MOST_BRANCHES:
        limit = f"{MOST_BRANCHES:,}"
        message = f"this order would have about {expected:,.0f} limbs; the limit is {limit}"
        field = f"{BRANCHES[number - 1]}.{'per_metre' if branch.per_metre else 'count'}"
        raise TooLargeError(field, f"{message}: lower it, or an earlier order", limit=limit)
    full = parents.length * branch.length
    if number == 1:
        full = full / p.stem_length
        if p.guide:  # branches are as long as on a stem that grows by itself
            full[0] = p.height * branch.length
    branching = Branching(
        min(branch.start, branch.end - 0.01),
        branch.end,
        math.radians(branch.angle),
        math.radians(branch.tip_angle),
        _WHORL[branch.arrangement],
        int(
            (branch.arrangement in ("alternate", "opposite") and branch.flat > 0.5)
            or branch.arrangement == "alternate"
        ),
        branch.flat,
        branch.lift,
        branch.variation,
        branch.thickness,
        p.pipe,
        p.thinnest / 1000.0,
    )
    course = Course(
        branch.crookedness,
        branch.gravitropism,
        branch.droop,
        math.radians(branch.twist),
        p.clear * p.height,
    )
    return grow_branches(
        seed,
        parents,
        NextOrder(
            number=number,
            count=branch.count,
            per_metre=branch.per_metre,
            reference=reference,
            longest=branch.length * (p.height if number == 1 else reference),
            full=full.astype(np.float32),
            profile=profile_table(branch.profile),
            branching=branching,
            course=course,
            points=_POINTS[number],
            taper=branch.taper,
            dead=branch.dead / 100.0,
            stubs=branch.stubs / 100.0,
            end_thin=p.end_thin,
        ),
    )


def grow(p: TreeParameters, seed: int) -> list[Order]:
    """The grown tree's stems and orders of branches, whatever its age."""
    orders = [_stems(p, seed)]
    reference = p.height * p.stem_length
    branches: tuple[BranchOrder, ...] = (p.first, p.second, p.third, p.fourth)
    if p.growth == "crown":
        branches = ()
    elif p.growth == "mixed":
        branches = branches[:1]
    for number, branch in enumerate(branches, start=1):
        orders.append(_branches(p, seed, orders[-1], number, branch, reference))
        reference = branch.length * (p.height if number == 1 else reference)
    while len(orders) > 2 and not orders[-1].count:
        orders.pop()
    if p.growth != "orders":
        goals = crown_points(seed, p.crown_points, crown_body(p))
        orders = fill_crown(seed, [o for o in orders if o.count], goals, _filling(p))
    return orders


def crown_body(p: TreeParameters) -> CrownBody:
    """The body that a crown fills."""
    return CrownBody(
        profile_table(p.crown_profile),
        min(p.crown_low, 0.97) * p.height,
        p.height,
        0.5 * p.crown_width * p.height,
        p.crown_shell,
        form_of(p.crown_form),
    )


def _filling(p: TreeParameters) -> Filling:
    share = p.height / 100.0
    return Filling(
        step=p.crown_step * share,
        reach=max(p.crown_reach, 1.5 * p.crown_step) * share,
        stop=p.crown_stop * share,
        up=p.crown_gravitropism,
        wander=p.crown_wander,
        start=min(0.95, 0.85 * p.crown_low / p.stem_length) if p.growth == "crown" else 0.55,
        thinnest=p.thinnest / 1000.0,
        exponent=p.pipe,
        thickness=0.75,
        dead=p.crown_dead / 100.0,
    )


def flare_of(p: TreeParameters) -> Flare:
    """The widening of the stems towards the ground."""
    share = grown(p.age)
    return Flare(
        p.flare,
        p.flare_height * p.height * share,
        p.lobes,
        p.lobe_depth,
        0.05 * p.height * share + 0.12,
    )


def crown(p: TreeParameters) -> tuple[Float64, Float64]:
    """Middle and half extent (3,) of the crown in metres, as its numbers say: one branch more changes neither."""
    share = grown(p.age)
    top = p.height * (p.stem_length if p.growth == "orders" else 1.0)
    low, wide = top, 0.0
    if p.growth != "orders":
        low, wide = p.crown_low * p.height, 0.5 * p.crown_width * p.height
    if p.growth != "crown":
        low = min(low, _crown_start(p) * p.stem_length * p.height)
    if p.growth != "crown" and p.first.bears:
        length = p.first.length * p.height
        angle = math.radians(0.5 * (p.first.angle + p.first.tip_angle))
        wide = max(wide, 0.8 * length * math.sin(min(angle, 0.5 * math.pi)))
        top += 0.45 * length * max(0.0, math.cos(angle) + p.first.lift)
    leaf = 2.0 * p.lump_size * p.height if p.leaf_form == "lumps" else p.leaf_size
    edge = 0.5 * min(leaf, 0.2 * p.height)
    half = np.array([wide, 0.5 * (top - low), wide]) * share + edge
    middle = np.array([0.0, 0.5 * (top + low) * share, 0.0])
    return middle, np.maximum(half, 0.04 * p.height)


def _hung(
    p: TreeParameters, orders: list[Order], detail: int, centre: Float64, fixed: bool
) -> Hung | None:
    bearing = [o for o in orders[1:] if o.count]
    if p.growth == "orders":
        bearing = bearing[-p.leaf_orders :]
    bearing = bearing or orders[:1]
    if not p.leaves or p.leaf_count <= 0:
        return None
    check_leaves(p, detail, bearing)
    young = size_at(p.age) if p.age < 1 else 1.0
    firsts = orders[1] if len(orders) > 1 and orders[1].count else orders[0]
    h, shown = hanging(p, young), shown_of(p, detail, fixed)
    parts = [hang(p.leaf_seed, o, firsts, h, centre, shown) for o in bearing]
    if p.leaf_form == "lumps":  # one at the top of each stem, too
        parts.append(
            hang(
                p.leaf_seed,
                orders[0],
                firsts,
                h._replace(per_metre=0.0, start=1.0),
                centre,
                Shown(1.0, fixed),
            )
        )
    hung = join_hung(parts)
    return hung if hung.count else None


def _roots(p: TreeParameters, seed: int, orders: list[Order], flare: Flare) -> list[Order]:
    if not p.roots:
        return []
    radius = float(orders[0].radius[0, 0])
    reach, thick = (
        p.root_length * p.height * float(orders[0].share[0]),
        radius * p.root_thickness * (1.0 + 0.4 * p.flare),
    )
    return [
        grow_roots(
            seed,
            orders[0],
            Roots(p.roots, reach, thick, p.root_wander, math.radians(p.root_slope)),
        )
    ]


def assemble(
    p: TreeParameters, seed: int, orders: list[Order], detail: int, full: list[Order] | None = None
) -> tuple[Mesh, dict[str, tuple[int, int]], int]:
    """Mesh, ranges of its elements and number of leaves of a tree whose branches are `orders`.

    Args:
        full: the same branches at full age; where it is given every branch and leaf is kept, however small, with as many sides as at full age:
            the topology does not hang on the age.
    """
    names = ["stems", *BRANCHES[: len(orders) - 1]]
    centre, extent = crown(p)
    height = max(0.05, p.height * grown(p.age))
    flare = flare_of(p)
    roots = _roots(p, seed, orders, flare)
    names += ["roots"] * len(roots)
    like = None if full is None else [*full, *_roots(p, seed, full, flare)]
    fixed = full is not None
    wood, ranges = wood_mesh([*orders, *roots], names, tubes_of(p, height, flare), detail, like)
    hung = _hung(p, orders, detail, centre, fixed)
    cloud = None if hung is None else cloud_of(p, hung, p.height)
    wood = tinted(wood, cloud, moss_of(p))
    if p.faceted:
        wood = faceted(wood)
    if hung is None or cloud is None:
        return wood, ranges, 0
    check_whole(p, detail, wood.triangles, hung.count)
    envelope = Envelope(centre, extent, height)
    if p.leaf_form == "lumps":
        share = size_at(p.age) if p.age < 1 else 1.0
        leaves, count = (
            lumped(p, hung, detail, envelope, p.height * share),
            min(p.lumps, hung.count),
        )
    else:
        leaves, count = dressed(p, hung, detail, cloud, envelope), hung.count
    ranges = {**ranges, "leaves": (wood.triangles, leaves.triangles)}
    return join([wood, leaves]), ranges, count


def _collider(p: TreeParameters, orders: list[Order]) -> Collider:
    """A chain along the stems and along the branches that are at least a third as thick as they are."""
    stems = orders[0]
    parts = []
    for points, radius in zip(stems.points, stems.radius, strict=True):
        clear = max(4, round(points.shape[0] * 0.75))
        parts.append(along_branch(points[:clear], radius[:clear], 3, p.game))
    if len(orders) > 1 and orders[1].count:
        thick = np.nonzero(orders[1].radius[:, 1] > max(0.03, 0.3 * float(stems.radius[0, 0])))[0]
        for row in thick[np.argsort(-orders[1].radius[thick, 1], kind="stable")][:12]:
            half = max(3, round(orders[1].points.shape[1] * 0.6))
            parts.append(
                along_branch(orders[1].points[row, :half], orders[1].radius[row, :half], 2, p.game)
            )
    return joined(parts, p.game)


@kind("tree", "Tree", "Stems, limbs, roots and leaves, at any age.", TreeParameters, version=2)
def make(p: TreeParameters, seed: int, detail: int) -> Product:
    """A tree, standing on the origin; its stem goes a little below the ground."""
    from plough.core.grow.fullness import thinned

    p, changes = thinned(p, p.fullness)
    orders = aged(grow(p, seed), p.age)
    mesh, ranges, leaves = assemble(p, seed, orders, detail)
    reach = np.hypot(mesh.positions[:, 0], mesh.positions[:, 2])
    counts = {name: o.count for name, o in zip(("stems", *BRANCHES), orders, strict=False)}
    counts |= {"roots": p.roots, "leaves": leaves}
    slots = materials(p)
    return Product(
        mesh,
        {part.material: slots[part.material] for part in mesh.parts},
        footprint_radius=float(orders[0].radius[:, 0].max()) * (1.0 + p.flare),
        canopy_radius=float(np.quantile(reach, 0.995)),
        height=float(mesh.positions[:, 1].max()),
        collider=_collider(p, orders),
        game=p.game,
        counts=counts,
        ranges=ranges,
        changed={c.path: (c.before, c.after) for c in changes},
    )
