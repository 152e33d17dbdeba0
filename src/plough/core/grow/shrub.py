"""Shrubs and hedges: twigs and leaves that fill the shell of a given body.

The body is a surface over a grid; twigs end at points of the R2 sequence (Roberts 2018) over it, so that more of them leave the others where
they are. Each springs from the nearest of the limbs, which rise from stems on the ground into the body.
"""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import AfterValidator, Field

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.collider import Collider, joined
from plough.core.curves import monotone, profile_table
from plough.core.errors import TooLargeError
from plough.core.grow.covering import (
    Woody,
    check_leaves,
    cloud_of,
    dressed,
    hung_on,
    linear,
    materials,
    moss_of,
)
from plough.core.grow.crown import radius_at
from plough.core.grow.foliage import Hung, join_hung, lumps
from plough.core.grow.skeleton import R2_FIRST, R2_SECOND, Order
from plough.core.grow.wood import Flare, tinted, wood_mesh
from plough.core.kinds import Product, kind
from plough.core.mesh.value import Mesh, join
from plough.core.noise import gradient
from plough.core.parameters import Knots, Sections, choice, count, curve, form_of, number, sections
from plough.core.rng import bits_array, stream, symmetric_array, uniform_array

MOST_TWIGS = 24_000
_TWIG, _LIMB, _STEM = stream("shrub.twig"), stream("shrub.limb"), stream("shrub.stem")


def _line(line: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
    for (ax, az), (bx, bz) in zip(line, line[1:], strict=False):
        if math.hypot(bx - ax, bz - az) < 0.05:
            raise ValueError("points of the line must be at least 0.05 m apart")
    return line


_Metre = Annotated[float, Field(ge=-60, le=60)]
Line = Annotated[
    tuple[tuple[_Metre, _Metre], ...], Field(min_length=2, max_length=24), AfterValidator(_line)
]


class ShrubParameters(Woody):
    """A body filled with twigs and leaves."""

    stages: ClassVar = ("Body", "Twigs", "Leaves", "Leaf", "Skin", "Detail", "Game")

    body: Literal["ball", "box", "tube", "hedge", "own"] = choice(
        "ball",
        "Body",
        {
            "ball": "Ball",
            "box": "Box",
            "tube": "Tube",
            "hedge": "Hedge along a line",
            "own": "From a mesh",
        },
        group="Body",
    )
    height: float = number(1.6, "Height", (0.1, 20), soft=(0.2, 5), unit="m", group="Body")
    width: float = number(
        1.7,
        "Width",
        (0.1, 30),
        soft=(0.2, 6),
        unit="m",
        group="Body",
        help="Of a hedge: across its line.",
    )
    depth: float = number(
        1.6, "Depth", (0.1, 30), soft=(0.2, 6), unit="m", group="Body", help="Not of a hedge."
    )
    foot: float = number(
        0.1,
        "Clear of the ground",
        (0, 3),
        soft=(0, 1),
        unit="m",
        group="Body",
        help="Bare below this height.",
    )
    rounded: float = number(0.3, "Rounded edges", (0, 1), group="Body", help="Of box and tube.")
    profile: Knots = curve(
        ((0, 0.85), (0.5, 1), (0.88, 0.82), (1, 0.4)),
        "Hedge from the end",
        group="Body",
        help="Half its width, from foot to top.",
    )
    line: Line = Field(
        ((-2, 0), (-0.6, 0.35), (0.7, -0.3), (2, 0)),
        title="Line of the hedge",
        description="East and south, in metres.",
        json_schema_extra={"control": "line", "unit": "m", "group": "Body"},
    )
    form: Sections = sections(
        "Body from a mesh", group="Body", help="Radii measured from a mesh; none yet: a tube."
    )
    uneven: float = number(
        0.35, "Uneven", (0, 1), group="Body", help="Bulges and hollows of the whole body."
    )

    growth: Literal["clipped", "loose"] = choice(
        "loose", "Grows", {"clipped": "Clipped", "loose": "Loose"}, group="Twigs"
    )
    shell: float = number(
        0.35, "Depth of the leafy shell", (0.02, 5), soft=(0.05, 1), unit="m", group="Twigs"
    )
    density: float = number(
        46,
        "Twigs",
        (1, 1500),
        soft=(5, 200),
        unit="/m²",
        step=1,
        group="Twigs",
        help="On the body's surface; more leave the others.",
    )
    overshoot: float = number(
        0.5,
        "Twigs overshoot",
        (0, 3),
        soft=(0, 1.5),
        unit="of shell",
        group="Twigs",
        help="Of loose growth.",
    )
    upward: float = number(0.55, "Turn upward", (-1, 2), soft=(-0.5, 1.5), group="Twigs")
    thickness: float = number(
        3, "Twig thickness", (0.5, 30), soft=(1, 10), unit="mm", step=0.5, group="Twigs"
    )
    stems: int = count(
        7, "Stems", (1, 60), soft=(1, 24), group="Twigs", help="Of a hedge: on each two metres."
    )
    limbs: int = count(9, "Limbs on a stem", (1, 40), soft=(2, 20), group="Twigs")
    stem_thickness: float = number(
        16, "Stem thickness", (2, 200), soft=(5, 60), unit="mm", step=1, group="Twigs"
    )

    leaf_count: float = number(
        11,
        "Amount",
        (0, 200),
        soft=(0, 60),
        unit="/m",
        step=0.1,
        group="Leaves",
        help="On each metre of twig.",
    )
    leaf_size: float = number(
        0.16,
        "Length",
        (0.01, 3),
        soft=(0.03, 0.6),
        unit="m",
        group="Leaves",
        help="Of a card, or of a shaped leaf.",
    )
    leaf_normals: float = number(0.55, "Body-shaped normals", (0, 1), group="Leaves")
    bark_tile: float = number(
        0.3, "Texture repeat", (0.05, 4), soft=(0.1, 2), unit="m", group="Skin"
    )


class Body:
    """A surface over a grid, about a middle line.

    Args:
        grid: (rows, columns, 3) metres; seen from outside, columns run to the right where rows run upwards.
    """

    def __init__(self, grid: Float64, spine: Float64) -> None:
        self.grid, self.spine = grid, spine
        cross = np.cross(grid[1:, 1:] - grid[:-1, :-1], grid[1:, :-1] - grid[:-1, 1:])
        size = np.linalg.norm(cross, axis=2)
        self.normal = cross / np.maximum(size, 1e-12)[..., None]
        self._columns = np.cumsum(size, axis=1)
        self._rows = np.cumsum(self._columns[:, -1])
        self.area = 0.5 * float(self._rows[-1])

    def scatter(self, seed: int, purpose: np.uint64, n: int) -> tuple[Float64, Float64]:
        """Places and normals (n, 3), evenly spread by area: more of them keep the earlier ones."""
        k = np.arange(n)
        start = uniform_array(seed, purpose, np.arange(2, dtype=np.uint64))
        u, v = (start[0] + (k + 1) * R2_FIRST) % 1.0, (start[1] + (k + 1) * R2_SECOND) % 1.0
        row = np.minimum(np.searchsorted(self._rows, u * self._rows[-1]), self._rows.size - 1)
        strip = self._columns[row, -1]
        up = 1.0 - np.clip((self._rows[row] - u * self._rows[-1]) / np.maximum(strip, 1e-12), 0, 1)
        along = v * strip
        column = np.minimum(
            (self._columns[row] < along[:, None]).sum(axis=1), self._columns.shape[1] - 1
        )
        before = np.where(column > 0, self._columns[row, np.maximum(column - 1, 0)], 0.0)
        right = np.clip(
            (along - before) / np.maximum(self._columns[row, column] - before, 1e-12), 0, 1
        )
        a, b = self.grid[row, column], self.grid[row, column + 1]
        c, d = self.grid[row + 1, column], self.grid[row + 1, column + 1]
        r, t = right[:, None], up[:, None]
        return (a * (1 - r) + b * r) * (1 - t) + (c * (1 - r) + d * r) * t, self.normal[row, column]


def body_of(p: ShrubParameters, seed: int) -> Body:
    """The body's surface, without its underside."""
    low, high = min(p.foot, 0.8 * p.height), p.height
    if p.body == "hedge":
        grid, spine = _swept(p, low)
    else:
        t = np.linspace(0.0, 1.0, 18)
        a = np.linspace(0.0, 2.0 * math.pi, 33)
        form = form_of(p.form) if p.body == "own" else None
        if form is not None:
            t = np.linspace(0.0, 1.0, form.shape[0] * 2)
            ring, up = np.ones(t.size), t
        elif p.body == "ball":
            angle = 0.12 * math.pi + 0.88 * math.pi * t  # from just above its lowest point
            ring, up = np.sin(angle), 0.5 - 0.5 * np.cos(angle)
        else:
            # up the side, then over the edge to the middle of the top
            r = 0.02 + 0.9 * p.rounded
            ring = np.where(
                t < 0.6,
                1.0,
                np.maximum(0.0, 1.0 - ((t - 0.6) / 0.4)) ** (0.15 + 0.45 * r)
                if p.rounded
                else (1.0 - (t - 0.6) / 0.4),
            )
            up = np.where(
                t < 0.6,
                (t / 0.6) * (1.0 - 0.35 * r),
                (1.0 - 0.35 * r)
                + 0.35 * r * np.sin(0.5 * math.pi * np.clip((t - 0.6) / 0.4, 0, 1)),
            )
        side = np.stack([np.cos(-a), np.sin(-a)], axis=1)
        if p.body == "box":
            # a circle drawn out to a square, softer the rounder the edges
            power = 2.0 + 10.0 * (1.0 - p.rounded) ** 2
            side = side / ((np.abs(side) ** power).sum(axis=1) ** (1.0 / power))[:, None]
        x = 0.5 * p.width * ring[:, None] * side[None, :, 0]
        z = 0.5 * p.depth * ring[:, None] * side[None, :, 1]
        if form is not None:
            around = radius_at(form, np.repeat(t, a.size), np.tile(-a, t.size)).reshape(
                t.size, a.size
            )
            x, z = (
                0.5 * p.width * around * side[None, :, 0],
                0.5 * p.depth * around * side[None, :, 1],
            )
        y = np.broadcast_to((low + (high - low) * up)[:, None], x.shape)
        grid = np.stack([x, y, z], axis=-1)
        if form is not None:  # close the top
            grid = np.concatenate([grid, np.broadcast_to(grid[-1].mean(axis=0), grid[-1:].shape)])
        spine = np.array([[0.0, y_, 0.0] for y_ in np.linspace(low, low + 0.8 * (high - low), 5)])
    if p.uneven > 0:
        grid = _bulged(grid, spine, p.uneven * 0.16 * min(p.width, p.height), seed)
    return Body(grid, spine)


def _swept(p: ShrubParameters, low: float) -> tuple[Float64, Float64]:
    knots = np.array(p.line, np.float64)
    far = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(knots, axis=0).T))])
    n = int(min(400, max(4, round(far[-1] / 0.35))))
    at = np.linspace(0.0, far[-1], n)
    line = np.stack([monotone(far, knots[:, i], at) for i in (0, 1)], axis=1)
    ahead = np.gradient(line, axis=0)
    ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-9)
    across = np.stack([-ahead[:, 1], ahead[:, 0]], axis=1)
    table = profile_table(p.profile)
    # one half of the profile up to the top, then down the other
    u = np.concatenate([np.linspace(0, 1, 12), np.linspace(1, 0, 12)[1:]])
    half = (
        np.interp(u, np.linspace(0, 1, table.size), table)
        * 0.5
        * p.width
        * np.where(np.arange(u.size) < 12, 1.0, -1.0)
    )
    half[11] = 0.0
    # the ends close in rounding
    ends = np.sqrt(np.clip(np.minimum(at, far[-1] - at) / (0.35 * p.width), 0.0, 1.0)) * 0.98 + 0.02
    reach = half[None, :] * ends[:, None]
    rise = low + (p.height - low) * u[None, :] * (0.72 + 0.28 * ends[:, None])
    grid = np.stack(
        [
            line[:, None, 0] + across[:, None, 0] * reach,
            rise,
            line[:, None, 1] + across[:, None, 1] * reach,
        ],
        axis=-1,
    )
    return grid.transpose(1, 0, 2), np.stack(
        [line[:, 0], np.full(n, 0.5 * (low + p.height)), line[:, 1]], axis=1
    )


def nearest(points: Float64, wanted: Float64) -> Int64:
    """(n,) the row of `points` (m, k) that lies nearest to each of `wanted` (n, k)."""
    from scipy.spatial import cKDTree

    return np.asarray(cKDTree(points).query(wanted)[1], np.int64)


def _bulged(grid: Float64, spine: Float64, much: float, seed: int) -> Float64:
    corners = grid.reshape(-1, 3)
    out = corners - spine[nearest(spine, corners)]
    length = np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-6)
    scale = 1.6 / max(0.4, float(length.max()))
    wave = np.array(
        [
            gradient(np.uint64(seed), x * scale + 7, z * scale + 1.7 * y * scale, 0, 0)
            for x, y, z in corners
        ]
    )
    moved = corners + out / length * (much * wave)[:, None]
    moved[:, 1] = np.maximum(moved[:, 1], 0.02)
    return np.asarray(moved.reshape(grid.shape))


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
    """Stems, limbs and twigs.

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
    if stems * p.limbs > MOST_TWIGS:
        limit = f"{MOST_TWIGS:,}"
        message = f"the shrub would have {stems:,} stems and {stems * p.limbs:,} limbs; the limit is {limit}"
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
    # limbs go from the stem towards the shell: each stem reaches for the nearest of its own targets
    m = stems * p.limbs
    ids = bits_array(seed, _LIMB, np.arange(m, dtype=np.uint64))
    target, normal = body.scatter(seed, _LIMB, m)
    target = target - normal * (p.shell * 0.75)
    target[:, 1] = np.maximum(target[:, 1], min(p.foot, 0.8 * p.height) * 0.8)
    axis = stem.points[:, stem.points.shape[1] // 2].astype(np.float64)
    row = nearest(axis[:, [0, 2]], target[:, [0, 2]])
    at = np.clip(
        0.62 * target[:, 1] / max(0.1, 0.72 * p.height) + 0.08 * draw("limb", "at", ids), 0.12, 0.96
    )
    base, way = _heading(stem.points, row, at)
    reach = np.linalg.norm(target - base, axis=1, keepdims=True)
    limb_points = _bezier(
        base,
        base + way * (0.45 * reach) + (0.12 * reach) * draw("limb", "bend", ids)[:, None],
        target,
        6,
    )
    here = np.interp(at, np.linspace(0, 1, stem.radius.shape[1]), stem.radius[0])
    limb = _order(limb_points, np.maximum(0.62 * here, thin), thin, ids, row, np.arange(m), at)
    # twigs end on the surface
    ids = bits_array(seed, _TWIG, np.arange(n, dtype=np.uint64))
    tip, normal = body.scatter(seed, _TWIG, n)
    if p.growth == "loose":
        over = (
            uniform_array(seed, stream("shrub.twig.over"), ids)[:, None] ** 2
            * p.overshoot
            * p.shell
        )
        tip = tip + (normal + np.array([0, max(0.0, p.upward), 0])) * over
    tip = tip - normal * (0.3 * min(p.leaf_size, p.shell) if p.growth == "clipped" else 0.0)
    tip[:, 1] = np.maximum(tip[:, 1], 0.02)
    inner = tip - normal * p.shell
    stations = 5
    along = np.linspace(0.35, 1.0, stations)
    nodes = np.concatenate([_heading(limb.points, np.arange(m), np.full(m, a))[0] for a in along])
    near = nearest(nodes, inner)
    row, at = near % m, along[near // m]
    base, way = _heading(limb.points, row, at)
    reach = np.linalg.norm(tip - base, axis=1, keepdims=True)
    rise = np.array([0.0, 1.0, 0.0]) * p.upward
    bend = (
        base
        + (0.35 * way + 0.25 * (normal + rise)) * reach
        + 0.08 * reach * np.stack([draw("twig", f"bend.{s}", ids) for s in range(3)], axis=1)
    )
    twig = _order(_bezier(base, bend, tip, 4), np.full(n, thin), thin * 0.45, ids, row, row, at)
    return [stem, limb, twig], body


def _leaves(p: ShrubParameters, orders: list[Order], detail: int, centre: Float64) -> Hung | None:
    if not p.leaves or p.leaf_count <= 0:
        return None
    bearing = [orders[2]]
    check_leaves(p, detail, bearing)
    hung = join_hung(hung_on(p, bearing, orders[1], detail, centre))
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
    wood, ranges = wood_mesh(
        orders,
        ["stems", "limbs", "twigs"],
        float(high[1]),
        Flare(0.2, 0.04 * p.height, 0, 0.0, 0.05),
        p.bark_tile,
        p.sides,
        p.least_sides,
        detail,
        p.twigs,
    )
    cloud = None if hung is None else cloud_of(p, hung, p.height)
    wood = tinted(wood, cloud, moss_of(p))
    mesh, counts = (
        wood,
        {"stems": orders[0].count, "limbs": orders[1].count, "twigs": orders[2].count, "leaves": 0},
    )
    if hung is not None and cloud is not None:
        leaves = (
            _lumps(p, hung, detail, centre, extent)
            if p.leaf_form == "lumps"
            else dressed(p, hung, detail, cloud, centre, extent, float(high[1]))
        )
        counts["leaves"] = min(p.lumps, hung.count) if p.leaf_form == "lumps" else hung.count
        ranges = {**ranges, "leaves": (wood.triangles, leaves.triangles)}
        mesh = join([wood, leaves])
    slots = materials(p)
    reach = np.hypot(mesh.positions[:, 0], mesh.positions[:, 2])
    return Product(
        mesh,
        {part.material: slots[part.material] for part in mesh.parts},
        footprint_radius=0.35 * float(min(p.width, p.depth)),
        canopy_radius=float(np.quantile(reach, 0.995)),
        height=float(mesh.positions[:, 1].max()),
        collider=_collider(p, body),
        game=p.game,
        counts=counts,
        ranges=ranges,
    )


def _lumps(p: ShrubParameters, hung: Hung, detail: int, centre: Float64, extent: Float64) -> Mesh:
    tones = (linear(p.leaf.blade_color), linear(p.leaf.tip_color))
    size, faces = p.lump_size * p.height, max(0, p.lump_faces - detail)
    return lumps(
        p.leaf_seed,
        hung,
        p.lumps,
        size,
        p.lump_rough,
        faces,
        p.lump_faces,
        tones,
        centre,
        extent,
        p.height,
        "leaf",
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
