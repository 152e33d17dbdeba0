"""Small plants: tiers of leaves about one or more stems, with flower or seed heads."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import ClassVar

import numpy as np

from plough.core.arrays import Float32, Float64, Int64
from plough.core.collider import GameParameters, along_branch, joined
from plough.core.errors import TooLargeError
from plough.core.grow.covering import linear
from plough.core.grow.heads import HEADS, HeadForm, make_head
from plough.core.grow.lamina import LeafParameters
from plough.core.grow.leaf import leaf_material, leaf_shape
from plough.core.grow.shape import Shape, set_down
from plough.core.grow.skeleton import Course, Stems, Thinning, grow_stems
from plough.core.kinds import Product, kind
from plough.core.matters import NEVER, Acts, Matters, Told, above, among
from plough.core.mesh.material import Material
from plough.core.mesh.sweep import Branches, sweep
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part, join
from plough.core.parameters import (
    Color,
    Parameters,
    choice,
    color,
    count,
    number,
    reference,
    section,
)
from plough.core.rng import bits_array, stream, symmetric_array
from plough.core.vectors import across, unit

MOST_TRIANGLES = 200_000
_HEAD = stream("plant.head")
_KEEP = (1.0, 1.0, 0.5)  #: share of the leaves, by level of detail
_DIVIDE = (1.0, 0.6, 0.3)
_FINE = (1.0, 0.7, 0.3)


TIERS = ("low", "middle", "high", "top")


class Tier(Parameters):
    """Leaves at one height of the stems."""

    matters: ClassVar[Matters] = {"* -leaves": above("leaves")}

    leaves: int = count(
        0, "Leaves", (0, 80), soft=(0, 24), help="On each stem; more leave the others as they are."
    )
    at: float = number(0, "Height", (0, 1), unit="of stem", help="Where the lowest leaf sits.")
    extent: float = number(
        0.1, "over", (0, 1), unit="of stem", help="How far up from there the others sit."
    )
    turn: float = number(
        137.5,
        "Turn",
        (0, 360),
        unit="°",
        step=0.5,
        help="From one leaf to the next: 137.5 spirals, 180 alternates, 90 with pairs crosses.",
    )
    pairs: int = count(1, "At one node", (1, 8), help="Leaves that leave the stem at one height.")
    pitch: float = number(
        50, "Pitch", (0, 150), unit="°", step=1, help="0 upright, 90 level, more hangs."
    )
    size: float = number(16, "Leaf length", (0.5, 300), soft=(2, 80), unit="cm", step=0.5)
    smaller: float = number(
        0.3,
        "Smaller upwards",
        (-1, 0.95),
        help="By how much the topmost leaf is shorter than the lowest.",
    )
    variation: float = number(0.2, "Varies", (0, 1))
    leaf_asset: str = reference(
        "",
        "Leaf from",
        "leaf",
        lends="leaf",
        help="A leaf of this scene; none: the one of this plant.",
    )
    leaf: LeafParameters | None = None


_ROSETTE = Tier(leaves=9, at=0.0, extent=0.02, pitch=62, size=24, smaller=0.45)
_MIDDLE = Tier(leaves=5, at=0.12, extent=0.5, pitch=48, size=15, smaller=0.5)
_UPPER = Tier(leaves=0, at=0.6, extent=0.3, pitch=40, size=6)
_TOP = Tier(leaves=0, at=0.94, extent=0.04, pitch=60, size=4)


class PlantParameters(Parameters):
    """Stems with tiers of leaves and heads."""

    stages: ClassVar = ("Habit", "Tiers", "Leaf", "Heads", "Game")
    matters: ClassVar[Matters] = {
        "leaf.length leaf.variation": NEVER,  # the tiers say how long their leaves are
        "head_* opened heads petal_* middle_* side_* face*": among(
            "head", *(h for h in HEADS if h != "none")
        ),
        "head_* opened petal_* middle_* side_* face*": above("heads"),
    }
    acts: ClassVar[Acts] = {
        "Habit": ("stems",),
        "Heads": ("heads",),
        "Leaf": TIERS,
        "height": (),
        **{f"{tier}.*": (tier,) for tier in TIERS},
    }
    told: ClassVar[Told] = {
        "Habit": {"stems": ("stem", "stems")},
        "Heads": {"heads": ("head", "heads")},
    }

    height: float = number(0.75, "Height", (0.02, 6), soft=(0.05, 2.5), unit="m", group="Habit")
    stems: int = count(
        3, "Stems", (1, 40), soft=(1, 12), group="Habit", help="More leave the others as they are."
    )
    spread: float = number(12, "Stems spread by", (0, 80), unit="°", step=1, group="Habit")
    foot: float = number(
        2, "Apart at the foot", (0, 60), soft=(0, 20), unit="cm", step=0.5, group="Habit"
    )
    lean: float = number(5, "Lean", (0, 60), unit="°", step=1, group="Habit")
    crookedness: float = number(0.12, "Crookedness", (0, 1.5), soft=(0, 1), group="Habit")
    nod: float = number(
        0.1, "Nods", (-1, 3), soft=(0, 1.5), group="Habit", help="The stem's upper part bends over."
    )
    thickness: float = number(
        6, "Stem thickness", (0.5, 80), soft=(1, 25), unit="mm", step=0.5, group="Habit"
    )
    stem_color: Color = color("#7d8a4e", "Stem", "Habit")

    low: Tier = section(_ROSETTE, "At the foot", "Tiers")
    middle: Tier = section(_MIDDLE, "Lower", "Tiers")
    high: Tier = section(_UPPER, "Upper", "Tiers")
    top: Tier = section(_TOP, "Under the head", "Tiers")
    leaf: LeafParameters = section(
        LeafParameters(length=16, width=0.34, bend=50, stalk=0.1), "Leaf", "Leaf"
    )

    head: HeadForm = choice("rays", "Head", HEADS, group="Heads")
    head_size: float = number(
        5.5, "Size", (0.3, 120), soft=(0.5, 30), unit="cm", step=0.1, group="Heads"
    )
    head_parts: int = count(14, "Petals or florets", (3, 400), soft=(3, 120), group="Heads")
    opened: float = number(0.9, "Opened", (0, 1), group="Heads")
    heads: int = count(
        2,
        "Heads on a stem",
        (0, 40),
        soft=(0, 12),
        group="Heads",
        help="The first at its tip, others on side stems below; more leave the others.",
    )
    head_from: float = number(0.62, "Side heads from", (0.05, 0.98), unit="of stem", group="Heads")
    side_length: float = number(0.26, "Side stems", (0.02, 1), unit="of height", group="Heads")
    side_angle: float = number(38, "Side stems leave at", (5, 100), unit="°", step=1, group="Heads")
    face: float = number(
        0.25,
        "Turn to light",
        (0, 1),
        group="Heads",
        help="0 along the stem, 1 to the south and up.",
    )
    petal_color: Color = color("#efe7cf", "Petals or florets", "Heads")
    middle_color: Color = color("#c79a2b", "Middle", "Heads")
    game: GameParameters = section(GameParameters(collider="none"), "For the game", "Game")


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


def _on(points: Float32, row: Int64, t: Float64) -> tuple[Float64, Float64]:
    x = np.clip(t, 0, 1) * (points.shape[1] - 1)
    k = np.minimum(x.astype(np.int64), points.shape[1] - 2)
    a, b = points[row, k].astype(np.float64), points[row, k + 1].astype(np.float64)
    way = b - a
    return a + (x - k)[:, None] * way, way / np.maximum(
        np.linalg.norm(way, axis=1, keepdims=True), 1e-9
    )


def _square(along: Float64, up: Float64) -> Float64:
    """`up` made square to `along`, both (n, 3); where they are the same, some square direction."""
    side = up - along * (up * along).sum(axis=1, keepdims=True)
    size = np.linalg.norm(side, axis=1, keepdims=True)
    return unit(np.where(size < 1e-3, across(along)[0], side))


def _tier(
    p: PlantParameters, t: Tier, name: str, seed: int, points: Float32, detail: int
) -> tuple[Shape, Float32]:
    """All leaves of one tier, and the phase (v,) of the stem that each vertex hangs on."""
    kept = max(1, round(t.leaves * _KEEP[detail]))
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
    base, way = _on(points, stem, at)
    base[:, 1] = np.maximum(base[:, 1], 0.0)
    around = (
        np.radians(t.turn) * node
        + (k % t.pairs) * 2 * math.pi / t.pairs
        + 2.399963 * stem
        + 0.35 * t.variation * draws[0]
    )
    side = _square(way, np.stack([np.cos(around), np.zeros(around.size), np.sin(around)], axis=1))
    pitch = np.radians(np.clip(t.pitch * (1.0 + 0.5 * t.variation * draws[1]), 1, 165)) * (
        1.0 - 0.25 * place
    )
    along = way * np.cos(pitch)[:, None] + side * np.sin(pitch)[:, None]
    up = _square(
        along, way * np.sin(pitch)[:, None] - side * np.cos(pitch)[:, None] + np.array([0, 0.02, 0])
    )
    grown = 1.0 / math.sqrt(kept / t.leaves)
    size = t.size / 100.0 * (1.0 - t.smaller * place) * (1.0 + 0.5 * t.variation * draws[2]) * grown
    own = t.leaf or p.leaf
    shape = leaf_shape(own, max(1, math.ceil(own.divisions * _DIVIDE[detail])))
    made = set_down(shape, base, along, up, np.maximum(size, 0.002))
    return made, np.repeat((stem * 0.381966) % 1.0, shape.positions.shape[0]).astype(np.float32)


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


@kind("plant", "Plant", "Small plants: tiers of leaves, flower and seed heads.", PlantParameters)
def make(p: PlantParameters, seed: int, detail: int) -> Product:
    """A plant, standing on the origin."""
    points, radius = _stems(p, seed)
    tiers = [(name, t) for name in TIERS if (t := getattr(p, name)).leaves]
    expected = sum(
        p.stems
        * t.leaves
        * leaf_shape(
            t.leaf or p.leaf, max(1, math.ceil((t.leaf or p.leaf).divisions * _DIVIDE[detail]))
        ).indices.shape[0]
        for _, t in tiers
    )
    head = None
    if p.head != "none" and p.heads:
        head = make_head(
            p.head,
            p.head_parts,
            p.opened,
            (linear(p.petal_color), linear(p.middle_color), linear(p.stem_color)),
            _FINE[detail],
        )
        expected += p.stems * p.heads * head.shape.indices.shape[0]
    if expected > MOST_TRIANGLES:
        limit = f"{MOST_TRIANGLES:,}"
        message = f"the plant would have about {expected:,} triangles; the limit is {limit}"
        raise TooLargeError("stems", f"{message}: lower stems, leaves or heads", limit=limit)
    phase = ((np.arange(p.stems) * 0.381966) % 1.0).astype(np.float32)
    foot, along, stem, side = _heads_at(p, seed, points)
    courses = [(points, radius, phase)]
    if head is not None and side is not None:
        thin = np.tile(
            np.linspace(0.5, 0.3, side.shape[1], dtype=np.float32) * p.thickness / 2000.0,
            (side.shape[0], 1),
        )
        courses.append((side, thin, phase[stem[p.stems :]]))
    meshes = [_rods(courses, (7, 5, 3)[detail], p.height)]
    materials = {"stem": Material("stem", color=linear(p.stem_color), roughness=0.8)}
    ranges = {"stems": (0, meshes[0].triangles)}
    done = meshes[0].triangles
    leaves = 0
    for name, t in tiers:
        shape, own = _tier(p, t, name, seed, points, detail)
        slot = "leaf" if t.leaf is None or t.leaf == p.leaf else f"leaf {name}"
        materials[slot] = leaf_material(t.leaf or p.leaf, slot)
        meshes.append(_as_mesh(shape, own, None, slot, p.height))
        ranges[name] = (done, meshes[-1].triangles)
        done += meshes[-1].triangles
        leaves += p.stems * max(1, round(t.leaves * _KEEP[detail]))
    if head is not None:
        size = p.head_size / 100.0 * (0.5 if p.head in ("rays", "bell") else 1.0)
        scale = size * np.where(np.arange(stem.size) < p.stems, 1.0, 0.82)
        shape = set_down(
            head.shape,
            foot,
            along,
            _square(along, np.tile([[0.0, 0.0, 1.0]], (stem.size, 1))),
            scale,
        )
        v = head.shape.positions.shape[0]
        meshes.append(
            _as_mesh(
                shape,
                np.repeat(phase[stem], v),
                np.tile(head.colors, (stem.size, 1)),
                "head",
                p.height,
            )
        )
        materials["head"] = Material(
            "head",
            roughness=0.85,
            translucency=0.2,
            cutout=p.head in ("rays", "bell", "plume", "spike"),
        )
        ranges["heads"] = (done, meshes[-1].triangles)
    mesh = join(meshes)
    height = float(mesh.positions[:, 1].max())
    reach = float(np.hypot(mesh.positions[:, 0], mesh.positions[:, 2]).max())
    counts = {
        "stems": p.stems,
        "leaves": leaves,
        "heads": p.stems * p.heads if head is not None else 0,
    }
    rods = [along_branch(points[k], radius[k], 1, p.game) for k in range(p.stems)]
    return Product(
        mesh,
        materials,
        max(0.01, p.foot / 100.0),
        reach,
        max(height, 0.01),
        collider=joined(rods, p.game),
        game=p.game,
        counts=counts,
        ranges=ranges,
    )


def _heads_at(
    p: PlantParameters, seed: int, points: Float32
) -> tuple[Float64, Float64, Int64, Float32 | None]:
    """Feet and directions (n, 3) of the heads, the stem of each, and the courses of the side stems."""
    stem = np.arange(p.stems)
    tip, way = _on(points, stem, np.ones(p.stems))
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
        base, up = _on(points, row, at)
        around = k * 2.399963 + row * 1.3
        side = _square(up, np.stack([np.cos(around), np.zeros(row.size), np.sin(around)], axis=1))
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
    return np.concatenate(feet), ways, np.concatenate(rows), rods
