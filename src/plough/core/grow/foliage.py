"""Leaves on branches: cards, shaped leaves, or faceted lumps.

Leaves hang on (branch id, number): more of them leave the others where they were. Their normals follow the shape of the crown, so that a tree
is lit as one body; their tint follows the sky that is seen from where they hang.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, NamedTuple, cast

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt8, UInt64
from plough.core.grow.shape import Shape, set_down, strip
from plough.core.grow.skeleton import R2_FIRST, R2_SECOND, Order, at_share, level_frame
from plough.core.kernels import kernel
from plough.core.mesh.sphere import icosphere
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.rng import mix, stream, symmetric, uniform

_AMOUNT, _SIZE, _TILT, _ROLL, _TINT, _RANK = (
    stream(f"leaf.{n}") for n in ("amount", "size", "tilt", "roll", "tint", "rank")
)


@dataclass(frozen=True, slots=True)
class Hung:
    """Where leaves hang, as arrays of n rows."""

    base: Float32  #: (n, 3) metres
    direction: Float32  #: (n, 3) unit, from base to tip
    face: Float32  #: (n, 3) unit, the upper side
    length: Float32  #: (n,) metres
    ids: UInt64  #: (n,) stable
    phase: Float32  #: (n,) 0 to 1, of the first-order branch it hangs on

    @property
    def count(self) -> int:
        """Number of leaves."""
        return int(self.ids.shape[0])


class Hanging(NamedTuple):
    """How leaves hang."""

    per_metre: float  #: leaves on each metre of twig
    start: float  #: share of the twig that is bare
    cluster: float  #: 0 evenly spread, 1 gathered in clusters
    clusters: float  #: clusters on each metre of twig
    size: float  #: metres
    variation: float
    tilt: float  #: radians between twig and leaf
    droop: float  #: downwards
    light: float  #: 0 to 1, how far the upper sides turn to the light
    outward: float  #: how far leaves point away from the middle of the crown
    upward: float


@kernel
def _amounts(seed: np.uint64, ids: UInt64, full: Float32, per_metre: float) -> Int64:
    out = np.empty(ids.shape[0], np.int64)
    for j in range(ids.shape[0]):
        out[j] = 1 + int(per_metre * full[j] + uniform(seed, _AMOUNT, ids[j]))
    return out


Vector = tuple[float, float, float]


class Bearing(NamedTuple):
    """Branches that bear leaves."""

    points: Float32  #: (n, p, 3) metres
    ids: UInt64  #: (n,)
    firsts: Int64  #: (n,) row of the first-order branch each belongs to; -1 for stems
    first_ids: UInt64  #: ids of the first-order branches
    vigour: Float32  #: (n,) 1 in full leaf, 0 dead
    share: Float32  #: (n,) of its full length
    full: Float32  #: (n,) metres
    amounts: Int64  #: (n,) leaves on each


class Shown(NamedTuple):
    """Which leaves are there."""

    keep: float  #: share of them, in (0, 1]; those kept grow so that the leaf area stays the same
    fixed: bool  #: those that are not open yet are there all the same, tiny


@kernel
def _seat(h: Hanging, full: float, offset: float, k: int) -> float:
    """Where leaf `k` sits along a branch of `full` metres, in [0, 1]: the first at the tip."""
    if k == 0:
        return 1.0
    t = h.start + (1.0 - h.start) * ((offset + k * R2_FIRST) % 1.0)
    if h.cluster > 0.0:
        gathered = max(1.0, math.floor(h.clusters * full + 0.5))
        mine = min(gathered - 1.0, math.floor(t * gathered))
        t += 0.9 * h.cluster * ((mine + 0.5) / gathered - t)
    return t


@kernel
def _beside(tx: float, ty: float, tz: float, azimuth: float) -> tuple[float, float, float]:
    """The unit vector at right angles to the unit vector t, at `azimuth` from the level one."""
    nx, nz, ux, uy, uz = level_frame(tx, ty, tz)
    ca, sa = math.cos(azimuth), math.sin(azimuth)
    return ca * nx + sa * ux, sa * uy, ca * nz + sa * uz


@kernel
def _facing(
    seed: np.uint64, me: np.uint64, light: float, way: Vector, out: Vector, twig: Vector
) -> tuple[float, float, float]:
    """Where the upper side of a leaf that points `way` looks: to the light, outwards along `out` from the crown's middle, and up."""
    dx, dy, dz = way
    roll = 1.1 * (1.0 - light)
    fx = out[0] * 0.6 + roll * symmetric(seed, _ROLL, me)
    fy = out[1] * 0.6 + 0.4 + 0.6 * light + roll * symmetric(seed, _ROLL, me + np.uint64(1))
    fz = out[2] * 0.6 + roll * symmetric(seed, _ROLL, me + np.uint64(2))
    d = fx * dx + fy * dy + fz * dz
    fx, fy, fz = fx - d * dx, fy - d * dy, fz - d * dz
    s = math.sqrt(fx * fx + fy * fy + fz * fz)
    if s < 1e-3:
        fx, fy, fz = dy * 1.0, dz * 1.0, dx * 1.0
        d = fx * dx + fy * dy + fz * dz
        fx, fy, fz = fx - d * dx, fy - d * dy, fz - d * dz
        s = math.sqrt(fx * fx + fy * fy + fz * fz)
    if s < 1e-3:
        d = twig[0] * dx + twig[1] * dy + twig[2] * dz
        fx, fy, fz, s = twig[0] - dx * d, twig[1] + 1.0, twig[2], 1.0
    return fx / s, fy / s, fz / s


@kernel
def _hang(
    seed: np.uint64, on: Bearing, h: Hanging, centre: Float64, shown: Shown
) -> tuple[Float32, Float32, Float32, Float32, UInt64, Float32, int]:
    total = on.amounts.sum()
    base = np.empty((total, 3), np.float32)
    direction = np.empty((total, 3), np.float32)
    face = np.empty((total, 3), np.float32)
    lengths = np.empty(total, np.float32)
    out_ids = np.empty(total, np.uint64)
    phase = np.empty(total, np.float32)
    grown = 1.0 / math.sqrt(shown.keep)
    c = 0
    for j in range(on.ids.shape[0]):
        offset = uniform(seed, _AMOUNT, on.ids[j])
        first = on.firsts[j]
        branch_phase = (
            float(on.first_ids[first] >> np.uint64(40)) / 16777216.0 if first >= 0 else 0.0
        )
        for k in range(on.amounts[j]):
            me = mix(on.ids[j] ^ mix(np.uint64(k + 7919)))
            if uniform(seed, _RANK, me) >= shown.keep:
                continue
            # on a young branch the leaves open one after the other
            opened = (on.share[j] * 1.1 - k / on.amounts[j]) * 10.0
            open_ = min(1.0, max(0.0, opened)) * on.vigour[j]
            if open_ <= 0.0 and not shown.fixed:
                continue
            t = _seat(h, on.full[j], offset, k)
            p, f, tx, ty, tz = at_share(on.points[j], t)
            bx, by, bz = (
                on.points[j, p, 0] + f * (on.points[j, p + 1, 0] - on.points[j, p, 0]),
                on.points[j, p, 1] + f * (on.points[j, p + 1, 1] - on.points[j, p, 1]),
                on.points[j, p, 2] + f * (on.points[j, p + 1, 2] - on.points[j, p, 2]),
            )
            lx, ly, lz = _beside(tx, ty, tz, 2.0 * math.pi * ((offset + k * R2_SECOND) % 1.0))
            ox, oy, oz = bx - centre[0], by - centre[1], bz - centre[2]
            s = 1.0 / max(1e-6, math.sqrt(ox * ox + oy * oy + oz * oz))
            ox, oy, oz = ox * s, oy * s, oz * s
            # younger leaves, near the tip, stand steeper
            young = max(0.0, (t - h.start) / max(1e-3, 1.0 - h.start))
            angle = (0.15 if k == 0 else h.tilt * (1.1 - 0.6 * young * young)) * (
                1.0 + 0.3 * symmetric(seed, _TILT, me)
            )
            dx = math.cos(angle) * tx + math.sin(angle) * lx + h.outward * ox
            dy = math.cos(angle) * ty + math.sin(angle) * ly - h.droop + h.outward * oy + h.upward
            dz = math.cos(angle) * tz + math.sin(angle) * lz + h.outward * oz
            s = math.sqrt(dx * dx + dy * dy + dz * dz)
            if s < 1e-4:
                dx, dy, dz, s = tx, ty, tz, 1.0
            dx, dy, dz = dx / s, dy / s, dz / s
            fx, fy, fz = _facing(seed, me, h.light, (dx, dy, dz), (ox, oy, oz), (tx, ty, tz))
            base[c, 0], base[c, 1], base[c, 2] = bx, by, bz
            direction[c, 0], direction[c, 1], direction[c, 2] = dx, dy, dz
            face[c, 0], face[c, 1], face[c, 2] = fx, fy, fz
            size = h.size * grown * (1.0 + h.variation * symmetric(seed, _SIZE, me))
            lengths[c] = max(1e-3, size * open_)
            out_ids[c], phase[c] = me, branch_phase
            c += 1
    return base, direction, face, lengths, out_ids, phase, c


def hang(seed: int, order: Order, firsts: Order, h: Hanging, centre: Float64, shown: Shown) -> Hung:
    """Leaves along the branches of `order`, one at each tip; `firsts` are the first-order branches."""
    amounts = _amounts(np.uint64(seed), order.ids, order.full, h.per_metre)
    bearing = Bearing(
        order.points,
        order.ids,
        order.first,
        firsts.ids,
        order.vigour,
        order.share,
        order.full,
        amounts,
    )
    *arrays, n = cast("tuple[Any, ...]", _hang(np.uint64(seed), bearing, h, centre, shown))
    return Hung(*(a[:n] for a in arrays))


def join_hung(parts: list[Hung]) -> Hung:
    """All leaves in one."""
    return Hung(*(np.concatenate([getattr(c, name) for c in parts]) for name in Hung.__slots__))


def card_shape(aspect: float, fold: float, bend: float) -> Shape:
    """A card of length 1, folded by `fold` radians a side, its tip bent down by `bend`."""
    t = np.linspace(0.0, 1.0, 2)
    line = np.stack([np.zeros(2), t, -bend * t], axis=1)
    across, up = np.tile([1.0, 0, 0], (2, 1)), np.tile([0, 0, 1.0], (2, 1))
    return strip(
        line, across, up, np.full(2, 0.5 * aspect / max(0.2, math.cos(fold))), fold, 1.0 - t
    )


class Envelope(NamedTuple):
    """The body that the leaves of a plant fill."""

    centre: Float64  #: (3,) metres
    extent: Float64  #: (3,) metres, half its size
    height: float  #: metres, of the whole plant


class Dress(NamedTuple):
    """How leaves are lit and coloured."""

    seed: int
    round_normals: float  #: 0 normals of the leaf, 1 of an ellipsoid about the crown
    tint: float  #: strength of the variation from leaf to leaf
    inside: float  #: how much darker the inside of the crown is
    top: float  #: how much paler the top is, or the foot where negative


@kernel
def _dress(
    seed: np.uint64,
    positions: Float32,
    normals: Float32,
    tip: Float32,
    ids: UInt64,
    phase: Float32,
    sky: Float32,
    envelope: Envelope,
    d: Dress,
) -> tuple[Float32, UInt8, UInt8]:
    centre, extent, height = envelope
    n = ids.shape[0]
    each = positions.shape[0] // max(1, n)
    nor = np.empty_like(positions)
    col, win = (
        np.empty((positions.shape[0], 4), np.uint8),
        np.empty((positions.shape[0], 4), np.uint8),
    )
    for i in range(n):
        hue = symmetric(seed, _TINT, ids[i])
        value = symmetric(seed, _TINT, ids[i] + np.uint64(1))
        light = (1.0 - 0.66 * d.inside) + 0.66 * d.inside * min(1.0, 1.25 * sky[i])
        for k in range(each):
            v = i * each + k
            px, py, pz = positions[v, 0], positions[v, 1], positions[v, 2]
            qx, qy, qz = (
                (px - centre[0]) / extent[0],
                (py - centre[1]) / extent[1] + 0.35,
                (pz - centre[2]) / extent[2],
            )
            s = 1.0 / max(1e-6, math.sqrt(qx * qx + qy * qy + qz * qz))
            r = d.round_normals
            nx = r * qx * s + (1 - r) * normals[v, 0]
            ny = r * qy * s + (1 - r) * normals[v, 1]
            nz = r * qz * s + (1 - r) * normals[v, 2]
            s = math.sqrt(nx * nx + ny * ny + nz * nz)
            if s < 1e-3:
                nx, ny, nz, s = 0.0, 1.0, 0.0, 1.0
            nor[v, 0], nor[v, 1], nor[v, 2] = nx / s, ny / s, nz / s
            up = max(-1.0, min(1.0, (py - centre[1]) / extent[1]))
            shade = (
                light
                * (1.0 + 0.25 * d.tint * value)
                * (1.0 + 0.30 * d.top * up - 0.30 * abs(d.top))
            )
            col[v, 0] = np.uint8(max(0.0, min(255.0, 255.0 * shade * (0.92 + 0.22 * d.tint * hue))))
            col[v, 1] = np.uint8(max(0.0, min(255.0, 255.0 * shade * 0.94)))
            col[v, 2] = np.uint8(max(0.0, min(255.0, 255.0 * shade * (0.88 - 0.2 * d.tint * hue))))
            col[v, 3] = 255
            win[v, 0] = np.uint8(max(0.0, min(1.0, py / height)) ** 2 * 255)
            win[v, 1] = np.uint8(phase[i] * 255)
            win[v, 2] = np.uint8(255 * tip[v])
            win[v, 3] = np.uint8(255 * min(1.0, sky[i]))
    return nor, col, win


def leaf_mesh(hung: Hung, shape: Shape, sky: Float32, envelope: Envelope, dress: Dress) -> Mesh:
    """`shape` at every place of `hung`, part `leaf`; `sky` (n,) is the share of the sky seen from each."""
    placed = set_down(shape, hung.base, hung.direction, hung.face, hung.length)
    args = (
        placed.positions,
        placed.normals,
        placed.tip,
        hung.ids,
        hung.phase,
        sky,
        envelope,
        dress,
    )
    normals, colors, wind = _dress(np.uint64(dress.seed), *args)
    part = Part("leaf", 0, placed.indices.shape[0])
    return with_tangents(
        Mesh(
            placed.positions, normals, placed.uv, placed.indices, (part,), colors=colors, wind=wind
        )
    )


@kernel
def _farthest(points: Float32, count: int, first: int) -> Int64:
    """Rows of `count` points, each the farthest from those before it: more of them keep the earlier ones (Gonzalez 1985)."""
    n = points.shape[0]
    out = np.empty(min(count, n), np.int64)
    distance = np.full(n, 1e30)
    at = first
    for k in range(out.shape[0]):
        out[k] = at
        best = 0
        for i in range(n):
            d = (
                (points[i, 0] - points[at, 0]) ** 2
                + (points[i, 1] - points[at, 1]) ** 2
                + (points[i, 2] - points[at, 2]) ** 2
            )
            distance[i] = min(distance[i], d)
            if distance[i] > distance[best]:
                best = i
        at = best
    return out


_SHADOW = (2.394, 2.910, 3.082)  #: mean shadow of an icosahedron of radius 1, by subdivisions


@dataclass(frozen=True, slots=True)
class Lumps:
    """What faceted bodies of leaves are like."""

    count: int
    radius: float  #: metres
    rough: float  #: how uneven they are, 0 to 1
    subdivisions: int  #: 0 to 2
    finest: int  #: of the nearest level; with fewer subdivisions the bodies are larger and cast as large a shadow
    tones: tuple[
        tuple[float, float, float], ...
    ]  #: linear, at the foot and at the top of the crown


def lump_mesh(seed: int, hung: Hung, lumps: Lumps, envelope: Envelope) -> Mesh:
    """Faceted bodies of leaves about the twigs, part `leaf`; more of them keep the earlier ones."""
    centre, extent, height = envelope
    rough, subdivisions, tones = lumps.rough, lumps.subdivisions, lumps.tones
    radius = lumps.radius * math.sqrt(_SHADOW[min(2, lumps.finest)] / _SHADOW[subdivisions])
    rows = _farthest(hung.base, lumps.count, int(np.argmax(hung.base[:, 1])))
    unit, faces = icosphere(subdivisions)
    v = unit.shape[0]
    index = hung.ids[rows][:, None] + np.arange(v, dtype=np.uint64)[None]
    noise = np.array([[symmetric(np.uint64(seed), _SIZE, i) for i in row] for row in index])
    size = radius * np.array(
        [1.0 + 0.28 * symmetric(np.uint64(seed), _TILT, i) for i in hung.ids[rows]]
    )
    out = hung.base[rows] - centre
    out /= np.maximum(np.linalg.norm(out / extent, axis=1, keepdims=True), 1e-6)
    middle = hung.base[rows] - 0.30 * size[:, None] * out / np.maximum(
        np.linalg.norm(out, axis=1, keepdims=True), 1e-6
    )
    body = (
        unit[None]
        * (1.0 + 0.30 * rough * noise)[..., None]
        * size[:, None, None]
        * np.array([1.0, 0.82, 1.0])
    )
    points = (middle[:, None] + body)[:, faces].reshape(-1, 3).astype(np.float32)
    p = points.reshape(-1, 3, 3)
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    high = np.clip(
        (p[..., 1].mean(axis=1) - centre[1]) / (2 * extent[1]) + 0.5 + 0.18 * normal[:, 1], 0, 1
    )
    tone = np.array(tones[0]) * (1 - high)[:, None] + np.array(tones[1]) * high[:, None]
    tone *= (1.0 + 0.10 * noise[:, faces[:, 0]].reshape(-1))[:, None]
    total = points.shape[0]
    colors = np.full((total, 4), 255, np.uint8)
    colors[:, :3] = np.repeat(np.clip(tone, 0, 1) * 255, 3, axis=0)
    wind = np.zeros((total, 4), np.uint8)
    wind[:, 0] = np.clip(points[:, 1] / height, 0, 1) ** 2 * 255
    wind[:, 1] = np.repeat((hung.phase[rows] * 255).astype(np.uint8), faces.size)
    wind[:, 3] = 255
    indices = np.arange(total, dtype=np.uint32).reshape(-1, 3)
    return with_tangents(
        Mesh(
            points,
            np.repeat(normal, 3, axis=0).astype(np.float32),
            np.zeros((total, 2), np.float32),
            indices,
            (Part("leaf", 0, indices.shape[0]),),
            colors=colors,
            wind=wind,
        )
    )
