"""Wood: tubes along the branches of a skeleton, its root flare and surface roots."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from plough.core.arrays import Float32, Int64, UInt8
from plough.core.errors import TooLargeError
from plough.core.grow.skeleton import Course, Order, Starts, grown_from, parentless
from plough.core.kernels import kernel
from plough.core.mesh.occlusion import LeafCloud
from plough.core.mesh.sweep import Branches, sweep
from plough.core.mesh.value import Mesh
from plough.core.noise import gradient
from plough.core.rng import bits_array, stream, uniform_array

MOST_TRIANGLES = 600_000  #: of one plant's wood
_STRIDE = (1, 2, 4)  #: every how many points along a branch, by level of detail
_SIDES = (1.0, 0.66, 0.45)  #: by level of detail
_THINNEST = (
    0.0,
    1 / 900,
    1 / 330,
)  #: radius by height below which wood is left out: half a pixel where the level is first seen
_ROOT, _ROOT_TURN, _ROOT_LENGTH = stream("root"), stream("root.turn"), stream("root.length")


@dataclass(frozen=True, slots=True)
class Flare:
    """How stems widen towards the ground."""

    much: float  #: by their radius
    height: float  #: metres over which it fades
    lobes: int
    depth: float  #: of the lobes, by the radius
    below: float  #: metres that stems go on under the ground


@dataclass(frozen=True, slots=True)
class Moss:
    """What grows on one side of the bark."""

    much: float  #: 0 to 1
    azimuth: float  #: radians clockwise from north (-z), the side it is on
    height: float  #: metres up to which it reaches
    tint: tuple[float, float, float]  #: linear


@dataclass(frozen=True, slots=True)
class Roots:
    """What surface roots are like."""

    count: int
    length: float  #: metres, of the longest
    radius: float  #: metres, where they leave the stem
    wander: float  #: strength of their bends
    dive: float  #: radians at which they go down, so that they stay in ground that falls away by as much


def grow_roots(seed: int, stems: Order, roots: Roots) -> Order:
    """Surface roots of the first stem."""
    points, count, radius = 10, roots.count, roots.radius
    index = np.arange(count, dtype=np.uint64)
    ids = bits_array(seed, _ROOT, index)
    unit = uniform_array(seed, _ROOT_TURN, index)
    around = 2.0 * math.pi * (index * 0.6180339887 + 0.09 * unit)
    size = (0.55 + 0.45 * uniform_array(seed, _ROOT_LENGTH, index)).astype(np.float32)
    direction = np.stack([np.cos(around), np.zeros(count), np.sin(around)], axis=1)
    base = np.tile(stems.points[0, 0].astype(np.float64), (count, 1))
    lengths = (roots.length * size).astype(np.float32)
    starts = Starts(base, direction, np.zeros((count, 3)), lengths, ids)
    course = Course(roots.wander, 0.0, 0.0, 0.0, -1e9)
    line = grown_from(seed, starts, points, course, roots.length)
    t = np.linspace(0.0, 1.0, points, dtype=np.float32)
    thick = radius * size[:, None] * (1.0 - 0.9 * t) ** 0.8
    # from the flare down to the ground, along it, and then into it
    from_stem = 1.4 * radius * np.exp(-t * lengths[:, None] / max(0.05, 1.6 * radius))
    line[..., 1] = (
        stems.points[0, 0, 1]
        + from_stem
        + 0.32 * thick
        - math.tan(roots.dive) * lengths[:, None] * t**2.2
        - 0.55 * thick * t**2
    )
    return parentless(line, thick.astype(np.float32), lengths, ids)


def _stem_rings(stems: Order, stride: int, flare: Flare) -> tuple[Float32, Float32, Float32]:
    """Points, radii and lobes of the stems with rings added about the ground, where the flare needs them."""
    n = stems.points.shape[1]
    step = float(stems.length[0]) / (n - 1)
    reach = min(float(n - 2), 2.2 * flare.height / max(1e-6, step)) if flare.much > 0 else 0.5
    near = np.linspace(0.0, 1.0, {1: 6, 2: 4}.get(stride, 2)) ** 1.5 * max(0.5, reach)
    coarse = np.arange(stride, n, stride, dtype=np.float64)
    at = np.unique(np.concatenate([near, coarse[coarse > near[-1] + 0.2 * stride]]))
    at = at if at[-1] == n - 1 else np.append(at, n - 1.0)
    low = np.minimum(at.astype(np.int64), n - 2)
    f = (at - low).astype(np.float32)
    points = (
        stems.points[:, low] * (1 - f)[None, :, None] + stems.points[:, low + 1] * f[None, :, None]
    )
    radius = stems.radius[:, low] * (1 - f) + stems.radius[:, low + 1] * f
    below = points[:, :1] - np.array([0, flare.below, 0], np.float32)
    points = np.concatenate([below, points], axis=1)
    radius = np.concatenate([radius[:, :1], radius], axis=1)
    swell = np.exp(-np.maximum(points[..., 1], 0.0) / flare.height)
    radius = radius * (1.0 + flare.much * swell**1.5)
    # a lobe lives where the stem swells; further up only a trace is left
    lobe = flare.depth * (0.15 + 0.85 * swell) if flare.lobes else np.zeros_like(radius)
    return points.astype(np.float32), radius.astype(np.float32), lobe.astype(np.float32)


def _blunt(points: Float32, broken: Float32) -> Float32:
    """Stubs end at once instead of in a point: their last but one ring moves up to the tip."""
    rows = np.nonzero(broken > 0.5)[0]
    if not rows.size:
        return points
    out = points.copy()
    out[rows, -2] += 0.82 * (out[rows, -1] - out[rows, -2])
    return out


@dataclass(frozen=True, slots=True)
class Tubes:
    """What the wood of a plant is drawn as."""

    height: float  #: metres, of the plant
    flare: Flare
    tile: float  #: metres, one repeat of the bark
    roundness: float  #: times the usual number of sides
    least_sides: int
    all_twigs: bool  #: False leaves out the thinnest order


def wood_mesh(
    orders: list[Order],
    names: list[str],
    tubes: Tubes,
    detail: int,
    grown: list[Order] | None = None,
) -> tuple[Mesh, dict[str, tuple[int, int]]]:
    """Tubes along all branches, part `bark`, and for each of `names` its first triangle and their number.

    Args:
        orders: the first are the stems; those called `roots` are no one's children.
        grown: the same orders at full age, whose thickness says how many sides each branch has; by default `orders`.
    """
    points, radius, lobe, sides, counts, wind, phase = [], [], [], [], [], [], []
    ranges: dict[str, tuple[int, int]] = {}
    triangles = 0
    last = max((k for k, n in enumerate(names) if n != "roots"), default=0)
    for k, (order, name) in enumerate(zip(orders, names, strict=True)):
        order = _shown(order, name, k, detail, tubes.height)
        if not order.count or (k == last and k > 1 and not tubes.all_twigs):
            continue
        p = order.points.shape[1]
        stride = min(_STRIDE[detail], max(1, (p - 1) // 2)) if k and detail < 2 else _STRIDE[detail]
        if k == 0:
            pts, rad, lob = _stem_rings(order, stride, tubes.flare)
        else:
            rows = np.unique(np.append(np.arange(0, p, stride), p - 1))
            pts, rad = _blunt(order.points[:, rows], order.broken), order.radius[:, rows]
            lob = np.zeros_like(rad)
        thick = rad[:, min(1, rad.shape[1] - 1)] if grown is None else grown[k].radius[:, 1]
        wanted = np.rint((2.6 + 21.0 * np.sqrt(thick)) * tubes.roundness * _SIDES[detail])
        n, m = rad.shape
        count = np.clip(wanted, max(3, tubes.least_sides if detail == 0 else 3), 40).astype(
            np.int64
        )
        channel = np.zeros((n, m, 4), np.uint8)
        channel[..., 0] = np.clip(np.maximum(pts[..., 1], 0) / tubes.height, 0, 1) ** 2 * 255
        own = (
            orders[1].ids[order.first]
            if k and name != "roots" and order.first.size
            else np.zeros(n, np.uint64)
        )
        channel[..., 1] = (own >> np.uint64(56)).astype(np.uint8)[:, None]
        channel[..., 3] = 255
        points.append(pts.reshape(-1, 3))
        radius.append(rad.reshape(-1))
        lobe.append(lob.reshape(-1))
        sides.append(count)
        counts.append(np.full(n, m, np.int64))
        wind.append(channel.reshape(-1, 4))
        phase.append(
            (order.ids >> np.uint64(40)).astype(np.float32) * np.float32(2 * math.pi / 2**24)
        )
        mine = int((count * (2 * (m - 2) + 1)).sum())
        ranges[name] = (triangles, mine)
        triangles += mine
    if triangles > MOST_TRIANGLES:
        most = max(ranges, key=lambda n: ranges[n][1])
        plain = {"stems": "stems", "roots": "roots", "branches": "branches", "twigs": "density"}
        field = plain.get(most, f"{most}.count")
        limit = f"{MOST_TRIANGLES:,}"
        message = f"the wood would have {triangles:,} triangles; the limit is {limit}"
        raise TooLargeError(field, f"{message}: lower it, or the roundness", limit=limit)
    start: Int64 = np.concatenate([[0], np.cumsum(np.concatenate(counts))]).astype(np.int64)
    branches = Branches(
        start,
        np.ascontiguousarray(np.concatenate(points)),
        np.concatenate(radius),
        np.concatenate(lobe),
        np.concatenate(sides),
        np.concatenate(phase),
        np.concatenate(wind),
    )
    return sweep(branches, "bark", tubes.tile, tubes.flare.lobes), ranges


def _shown(order: Order, name: str, k: int, detail: int, height: float) -> Order:
    """What of `order` is thick enough to be seen at a level of detail."""
    if k == 0 or not detail:
        return order
    thick = order.radius[:, 0] > height * _THINNEST[detail]
    if name == "roots":
        thick = order.radius[:, 0] > height * _THINNEST[detail] * 2.0
    return order if thick.all() else order.rows(np.nonzero(thick)[0])


def tinted(mesh: Mesh, cloud: LeafCloud | None, moss: Moss) -> Mesh:
    """`mesh` with the shade of the leaves about it and moss on one side, as tint and as occlusion."""
    n = mesh.vertices
    tint = np.ones((n, 3), np.float32)
    sky = np.ones(n, np.float32) if cloud is None else cloud.openness(mesh.positions, 0.55)
    if moss.much > 0.0:
        way = np.array([math.sin(moss.azimuth), 0.25, -math.cos(moss.azimuth)], np.float32)
        facing = mesh.normals @ (way / np.linalg.norm(way))
        fade = np.clip(1.15 - np.maximum(mesh.positions[:, 1], 0) / max(0.05, moss.height), 0, 1)
        patch = _patches(mesh.positions)
        cover = (
            np.clip((facing - 0.75 + 1.35 * moss.much * fade + 0.45 * patch) * 1.8, 0, 1)
            * (fade > 0)
            * min(1.0, 4 * moss.much)
        )
        tint += cover[:, None] * (np.array(moss.tint, np.float32) - 1.0)
    light = 0.30 + 0.70 * np.minimum(1.0, 1.2 * sky)
    colors = np.full((n, 4), 255, np.uint8)
    colors[:, :3] = np.clip(tint * light[:, None], 0, 1) * 255
    wind: UInt8 = mesh.wind.copy() if mesh.wind is not None else np.zeros((n, 4), np.uint8)
    wind[:, 3] = np.clip(sky, 0, 1) * 255
    return replace(mesh, colors=colors, wind=wind)


@kernel
def _patches(points: Float32) -> Float32:
    out = np.empty(points.shape[0], np.float32)
    for i in range(points.shape[0]):
        out[i] = gradient(
            np.uint64(5),
            points[i, 0] * 2.3 + points[i, 1] * 1.7,
            points[i, 2] * 2.3 - points[i, 1] * 1.1,
            0,
            0,
        )
    return out
