"""Small plants: tiers of leaves about one or more stems, with flower or seed heads."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from plough.core.arrays import Float32, Float64, Int64
from plough.core.collider import along_branch, joined
from plough.core.errors import TooLargeError
from plough.core.grow.heads import Head, make_head
from plough.core.grow.leaf import leaf_material, leaf_shape
from plough.core.grow.plant_habit import TIERS, PlantParameters, Tier
from plough.core.grow.shape import Shape, set_down
from plough.core.grow.skeleton import Course, Stems, Thinning, grow_stems
from plough.core.kinds import Product, kind
from plough.core.mesh.material import Material
from plough.core.mesh.sweep import Branches, sweep
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part, join
from plough.core.parameters import linear
from plough.core.rng import bits_array, stream, symmetric_array
from plough.core.vectors import along_rows, squared

MOST_TRIANGLES = 200_000
_HEAD = stream("plant.head")
_KEEP = (1.0, 1.0, 0.5)  #: share of the leaves, by level of detail
_DIVIDE = (1.0, 0.6, 0.3)
_FINE = (1.0, 0.7, 0.3)


def _stems(p: PlantParameters, seed: int) -> tuple[Float32, Float32]:
    """Courses (stems, 9, 3) and radii (stems, 9) of the stems."""
    radius = p.thickness / 2000.0
    course = Course(p.crookedness, -0.5 * p.nod, 0.0, 0.0, 0.0)
    lean, spread = math.radians(p.lean), math.radians(p.spread)
    thinning = Thinning(0.95, 0.6, 2.0, 0.0)
    order = grow_stems(seed, Stems(p.stems, p.height, radius, lean, spread, 9, course, thinning))
    points = order.points.copy()
    angle = np.arange(p.stems) * 2.399963
    points += (
        np.stack([np.cos(angle), np.zeros(p.stems), np.sin(angle)], axis=1)
        * (0.56 * p.foot / 100.0)  # neighbours on a spiral (Vogel 1979) are then `foot` apart
        * np.sqrt(np.arange(p.stems))[:, None]
    )[:, None]
    points[:, 0, 1] = -0.03 * p.height
    return points.astype(np.float32), np.maximum(order.radius, 0.35 * radius).astype(np.float32)


def _kept(t: Tier, detail: int) -> int:
    """Leaves of a tier on each stem."""
    return max(1, round(t.leaves * _KEEP[detail])) if t.leaves else 0


def _leaf(p: PlantParameters, t: Tier, detail: int) -> Shape:
    own = t.leaf or p.leaf
    return leaf_shape(own, max(1, math.ceil(own.divisions * _DIVIDE[detail])))


def _phase(stem: Int64) -> Float32:
    """How far each stem is in its swaying."""
    return ((stem * 0.381966) % 1.0).astype(np.float32)


def _tier(
    p: PlantParameters, name: str, seed: int, stems: Float32, detail: int
) -> tuple[Shape, Float32]:
    """All leaves of one tier on `stems` (n, m, 3), and the phase (v,) of the stem that bears each vertex."""
    t: Tier = getattr(p, name)
    kept = _kept(t, detail)
    stem = np.repeat(np.arange(p.stems), kept)
    k = np.tile(np.arange(kept), p.stems)
    ids = bits_array(seed, stream(f"plant.leaf.{name}"), (stem * 4096 + k).astype(np.uint64))
    draws = [
        symmetric_array(seed, stream(f"plant.leaf.{s}"), ids) for s in ("turn", "pitch", "size")
    ]
    # along the tier by the golden ratio, so that more leaves come between the others
    node = k // t.pairs
    place = np.where(node == 0, 0.0, (node * 0.6180339887) % 1.0)
    at = t.at + t.extent * place * min(1.0, 1.0 - t.at + 1e-6)
    base, way = along_rows(stems, stem, at)
    base[:, 1] = np.maximum(base[:, 1], 0.0)
    around = (
        np.radians(t.turn) * node
        + (k % t.pairs) * 2 * math.pi / t.pairs
        + 2.399963 * stem
        + 0.35 * t.variation * draws[0]
    )
    side = squared(way, np.stack([np.cos(around), np.zeros(around.size), np.sin(around)], axis=1))
    pitch = np.radians(np.clip(t.pitch * (1.0 + 0.5 * t.variation * draws[1]), 1, 165)) * (
        1.0 - 0.25 * place
    )
    along = way * np.cos(pitch)[:, None] + side * np.sin(pitch)[:, None]
    up = squared(
        along, way * np.sin(pitch)[:, None] - side * np.cos(pitch)[:, None] + np.array([0, 0.02, 0])
    )
    grown = 1.0 / math.sqrt(kept / t.leaves)
    size = t.size / 100.0 * (1.0 - t.smaller * place) * (1.0 + 0.5 * t.variation * draws[2]) * grown
    shape = _leaf(p, t, detail)
    made = set_down(shape, base, along, up, np.maximum(size, 0.002))
    return made, np.repeat(_phase(stem), shape.positions.shape[0])


def _as_mesh(
    shape: Shape, phase: Float32, colors: Float32 | None, material: str, height: float
) -> Mesh:
    n = shape.positions.shape[0]
    tint = np.full((n, 4), 255, np.uint8)
    if colors is not None:
        tint[:, :3] = np.clip(colors, 0, 1) * 255
    wind = np.zeros((n, 4), np.uint8)
    rise = np.clip(shape.positions[:, 1] / max(height, 1e-6), 0, 1)
    wind[:, 0], wind[:, 1], wind[:, 2] = (
        rise**2 * 255,
        phase * 255,
        np.clip(shape.tip, 0, 1) * (200 if colors is None else 40),
    )
    # what grows low among the others is in their shade
    shade = 0.55 + 0.45 * np.clip(2.2 * rise + 0.3, 0, 1)
    wind[:, 3] = shade * 255
    tint[:, :3] = tint[:, :3] * shade[:, None]
    part = Part(material, 0, shape.indices.shape[0])
    return with_tangents(
        Mesh(
            shape.positions, shape.normals, shape.uv, shape.indices, (part,), colors=tint, wind=wind
        )
    )


def _rods(courses: list[tuple[Float32, Float32, Float32]], sides: int, height: float) -> Mesh:
    """Tubes along courses, each group given by points (n, m, 3), radii (n, m) and phases (n,); part `stem`."""
    counts, wind = [], []
    for points, _, phase in courses:
        n, m = points.shape[:2]
        channel = np.zeros((n, m, 4), np.uint8)
        channel[..., 0] = np.clip(points[..., 1] / max(height, 1e-6), 0, 1) ** 2 * 255
        channel[..., 1] = (phase * 255).astype(np.uint8)[:, None]
        channel[..., 3] = 255
        counts.append(np.full(n, m, np.int64))
        wind.append(channel.reshape(-1, 4))
    each = np.concatenate(counts)
    branches = Branches(
        np.concatenate([[0], np.cumsum(each)]).astype(np.int64),
        np.concatenate([c[0].reshape(-1, 3) for c in courses]),
        np.concatenate([c[1].reshape(-1) for c in courses]),
        np.zeros(int(each.sum()), np.float32),
        np.full(each.size, sides),
        np.zeros(each.size, np.float32),
        np.concatenate(wind),
    )
    mesh = sweep(branches, "stem", 0.1, 0)
    return replace(mesh, colors=np.full((mesh.vertices, 4), 255, np.uint8))


@dataclass(frozen=True, slots=True)
class Held:
    """The ends of stems that hold the heads."""

    foot: Float64  #: (n, 3) metres
    along: Float64  #: (n, 3) unit
    stem: Int64  #: (n,) which stem bears it
    rods: Float32 | None  #: (k, 5, 3) courses of the side stems, which hold the last k


def _heads_at(p: PlantParameters, seed: int, points: Float32) -> Held:
    stem = np.arange(p.stems)
    tip, way = along_rows(points, stem, np.ones(p.stems))
    feet, along, rows, rods = [tip], [way], [stem], None
    more = p.heads - 1
    if more > 0:
        row = np.repeat(stem, more)
        k = np.tile(np.arange(more), p.stems)
        ids = bits_array(seed, _HEAD, (row * 4096 + k).astype(np.uint64))
        draws = [symmetric_array(seed, stream(f"plant.head.{s}"), ids) for s in ("angle", "length")]
        at = np.asarray(
            p.head_from + (0.97 - p.head_from) * ((0.5 + k * 0.6180339887) % 1.0), np.float64
        )
        base, up = along_rows(points, row, at)
        around = k * 2.399963 + row * 1.3
        side = squared(up, np.stack([np.cos(around), np.zeros(row.size), np.sin(around)], axis=1))
        angle = np.radians(p.side_angle) * (1.0 + 0.2 * draws[0])
        out = up * np.cos(angle)[:, None] + side * np.sin(angle)[:, None]
        long = (
            p.side_length
            * p.height
            * (1.0 - 0.55 * (at - p.head_from) / max(0.02, 1 - p.head_from))
            * (1.0 + 0.15 * draws[1])
        )
        t = np.linspace(0, 1, 5)[None, :, None]
        end = base + long[:, None] * (0.7 * out + 0.3 * np.array([0.0, 1.0, 0.0]))
        middle = base + long[:, None] * 0.5 * out
        course = (
            base[:, None] * (1 - t) ** 2 + 2 * middle[:, None] * t * (1 - t) + end[:, None] * t**2
        )
        heading = end - middle
        feet.append(end)
        along.append(heading / np.linalg.norm(heading, axis=1, keepdims=True))
        rows.append(row)
        rods = course.astype(np.float32)
    ways = np.concatenate(along)
    if p.head == "bell":
        ways = ways * 0.35 + np.array([0.0, -1.0, 0.0])
    ways = ways * (1 - 0.8 * p.face) + p.face * np.array([0.0, 0.45, 0.9]) * (p.head != "bell")
    ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-9)
    return Held(np.concatenate(feet), ways, np.concatenate(rows), rods)


def _head(p: PlantParameters, detail: int) -> Head | None:
    if p.head == "none" or not p.heads:
        return None
    tones = (linear(p.petal_color), linear(p.middle_color), linear(p.stem_color))
    return make_head(p.head, p.head_parts, p.opened, tones, _FINE[detail])


def _check(p: PlantParameters, tiers: list[str], head: Head | None, detail: int) -> None:
    """Raise `TooLargeError` when the leaves and heads would have too many triangles."""
    on_a_stem = 0 if head is None else p.heads * head.shape.indices.shape[0]
    for name in tiers:
        t: Tier = getattr(p, name)
        on_a_stem += t.leaves * _leaf(p, t, detail).indices.shape[0]
    expected = p.stems * on_a_stem
    if expected > MOST_TRIANGLES:
        limit = f"{MOST_TRIANGLES:,}"
        message = f"the plant would have about {expected:,} triangles; the limit is {limit}"
        raise TooLargeError("stems", f"{message}: lower stems, leaves or heads", limit=limit)


def _headed(p: PlantParameters, head: Head, held: Held) -> Mesh:
    """`head` at each end that holds one."""
    size = p.head_size / 100.0 * (0.5 if p.head in ("rays", "bell") else 1.0)
    scale = size * np.where(np.arange(held.stem.size) < p.stems, 1.0, 0.82)
    up = squared(held.along, np.tile([[0.0, 0.0, 1.0]], (held.stem.size, 1)))
    shape = set_down(head.shape, held.foot, held.along, up, scale)
    phase = np.repeat(_phase(held.stem), head.shape.positions.shape[0])
    colors = np.tile(head.colors, (held.stem.size, 1))
    return _as_mesh(shape, phase, colors, "head", p.height)


@kind("plant", "Plant", "Small plants: tiers of leaves, flower and seed heads.", PlantParameters)
def make(p: PlantParameters, seed: int, detail: int) -> Product:
    """A plant, standing on the origin."""
    tiers = [name for name in TIERS if getattr(p, name).leaves]
    head = _head(p, detail)
    _check(p, tiers, head, detail)
    points, radius = _stems(p, seed)
    held = _heads_at(p, seed, points)
    rods = [(points, radius, _phase(np.arange(p.stems)))]
    if head is not None and held.rods is not None:
        thin = np.linspace(0.5, 0.3, held.rods.shape[1], dtype=np.float32) * p.thickness / 2000.0
        rods.append(
            (held.rods, np.tile(thin, (held.rods.shape[0], 1)), _phase(held.stem[p.stems :]))
        )
    parts = {"stems": _rods(rods, (7, 5, 3)[detail], p.height)}
    materials = {"stem": Material("stem", color=linear(p.stem_color), roughness=0.8)}
    for name in tiers:
        t: Tier = getattr(p, name)
        slot = "leaf" if t.leaf is None or t.leaf == p.leaf else f"leaf {name}"
        materials[slot] = leaf_material(t.leaf or p.leaf, slot)
        shape, phase = _tier(p, name, seed, points, detail)
        parts[name] = _as_mesh(shape, phase, None, slot, p.height)
    if head is not None:
        parts["heads"] = _headed(p, head, held)
        thin_parts = p.head in ("rays", "bell", "plume", "spike")
        materials["head"] = Material("head", roughness=0.85, translucency=0.2, cutout=thin_parts)
    mesh = join(list(parts.values()))
    reach = float(np.hypot(mesh.positions[:, 0], mesh.positions[:, 2]).max())
    first = np.concatenate([[0], np.cumsum([part.triangles for part in parts.values()])])
    return Product(
        mesh,
        materials,
        footprint_radius=max(0.01, p.foot / 100.0),
        canopy_radius=reach,
        height=max(float(mesh.positions[:, 1].max()), 0.01),
        collider=joined(
            [along_branch(points[k], radius[k], 1, p.game) for k in range(p.stems)], p.game
        ),
        game=p.game,
        counts={
            "stems": p.stems,
            "leaves": p.stems * sum(_kept(getattr(p, name), detail) for name in tiers),
            "heads": p.stems * p.heads if head is not None else 0,
        },
        ranges={
            name: (int(start), part.triangles)
            for start, (name, part) in zip(first, parts.items(), strict=False)
        },
    )
