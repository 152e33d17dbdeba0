"""Trees: stems, three orders of limbs, and leaf cards."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from plough.core.arrays import Float32, Float64, Int64
from plough.core.curves import profile_table
from plough.core.errors import TooLargeError
from plough.core.grow.foliage import card_mesh, hang_cards, join_cards
from plough.core.grow.skeleton import Order, grow_limbs, grow_stems
from plough.core.grow.skin import Bark, Sprig, parse_color
from plough.core.kinds import Capsule, Product, kind
from plough.core.mesh.material import Material
from plough.core.mesh.sweep import Limbs, sweep
from plough.core.mesh.value import Mesh, join
from plough.core.parameters import Knots, Numeral, Parameters, Seed, choice, count, curve, flag, number, section

MOST_TRIANGLES = 600_000  #: a recipe that would exceed this is refused
Color = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
_ARRANGEMENTS = {"spiral": "Spiral", "opposite": "Opposite", "whorled": "Whorls of three"}
_WHORL = {"spiral": 1, "opposite": 2, "whorled": 3}


def color(default: str, title: str, group: str, help: str = "") -> str:
    """An sRGB colour as ``#rrggbb``."""
    extra = {"control": "color", "unit": "", "group": group}
    return Field(default, title=title, description=help, json_schema_extra=extra)  # type: ignore[arg-type]


class LimbOrder(Parameters):
    """The limbs of one order, relative to their parents."""

    count: int = count(
        0,
        "Limbs",
        (0, 120),
        soft=(0, 60),
        help="On a parent of full length; shorter ones bear fewer. More limbs leave the others as they are.",
    )
    start: float = number(0.3, "Starts along parent", (0, 0.95), unit="share", help="Where the lowest limb sits.")
    end: float = number(0.96, "Ends along parent", (0.05, 1), unit="share")
    angle: float = number(60, "Leaves parent at", (5, 150), unit="°", step=1, help="Angle between limb and parent at the parent's base.")
    tip_angle: float = number(35, "and at its tip", (5, 150), unit="°", step=1)
    arrangement: Literal["spiral", "opposite", "whorled"] = choice("spiral", "Arrangement", _ARRANGEMENTS)
    flat: float = number(0, "Held level", (0, 1), unit="share", help="0 limbs all round the parent, 1 in one level plane.")
    length: float = number(0.5, "Length of parent", (0.02, 1.5), soft=(0.05, 1), unit="×")
    variation: float = number(0.25, "Length varies by", (0, 0.9), unit="±")
    thickness: float = number(0.6, "Thickness of parent", (0.1, 1), unit="×", help="At its base, for a limb of full length.")
    crookedness: float = number(0.25, "Crookedness", (0, 1.5), soft=(0, 1))
    pull: float = number(0.2, "Pull up", (-2, 2), soft=(-1, 1), help="Positive bends limbs upwards along their length, negative down.")


_FIRST = LimbOrder(count=24, start=0.22, end=0.97, angle=66, tip_angle=30, length=0.52, thickness=0.56, crookedness=0.34, pull=0.3)
_SECOND = LimbOrder(
    count=9, start=0.25, end=0.97, angle=58, tip_angle=38, flat=0.35, length=0.5, thickness=0.62, crookedness=0.34, pull=0.12
)
_THIRD = LimbOrder(count=5, start=0.2, end=0.96, angle=52, tip_angle=40, flat=0.2, length=0.52, thickness=0.66, crookedness=0.3, pull=0.05)


class TreeParameters(Parameters):
    """A tree by orders of branching."""

    height: float = number(7, "Height", (0.5, 60), soft=(1, 30), unit="m", step=0.1, group="Habit", help="Length of the tallest stem.")
    stems: int = count(1, "Stems", (1, 12), group="Habit")
    spread: float = number(16, "Stems spread by", (0, 60), unit="°", step=1, group="Habit")
    lean: float = number(3, "Lean", (0, 45), unit="°", step=1, group="Habit", help="Of the first stem; the seed says which way.")
    girth: float = number(4, "Stem diameter", (0.5, 20), soft=(1, 10), unit="% of height", step=0.1, group="Habit")
    taper: float = number(0.5, "Taper", (0, 1), group="Habit")
    crookedness: float = number(0.18, "Stem crookedness", (0, 1.5), soft=(0, 1), group="Habit")
    straighten: float = number(0.15, "Pull up", (-1, 2), soft=(-0.5, 1), group="Habit", help="Bends the stem back to the vertical.")
    pipe: float = number(
        2.4,
        "Pipe exponent",
        (2, 3),
        group="Habit",
        help="Radii share their parent's section by this exponent; 2 keeps the area, 3 makes fine twigs.",
    )

    profile: Knots = curve(
        ((0, 0.7), (0.3, 1), (0.7, 0.72), (1, 0.22)),
        "Length along the stem",
        group="Branching",
        help="Lengths of the first-order limbs from the lowest to the topmost.",
    )
    first: LimbOrder = section(_FIRST, "First order", "Branching")
    second: LimbOrder = section(_SECOND, "Second order", "Branching")
    third: LimbOrder = section(_THIRD, "Third order", "Branching")
    thinnest: float = number(
        4, "Thinnest twig", (1, 40), soft=(1, 15), unit="mm", step=0.5, group="Branching", help="Radius below which no limb gets."
    )

    leaves: bool = flag(True, "In leaf", group="Leaves")
    leaf_count: float = number(
        4.2,
        "Sprigs",
        (0, 60),
        soft=(0, 20),
        unit="/m",
        step=0.1,
        group="Leaves",
        help="Leaf cards on each metre of twig; more leave the others where they are.",
    )
    leaf_size: float = number(0.42, "Sprig length", (0.02, 3), soft=(0.05, 1.2), unit="m", group="Leaves")
    leaf_aspect: float = number(0.9, "Sprig width", (0.2, 2), unit="× length", group="Leaves")
    leaf_variation: float = number(0.25, "Size varies by", (0, 0.8), unit="±", group="Leaves")
    leaf_tilt: float = number(52, "Tilt", (0, 120), unit="°", step=1, group="Leaves", help="Angle between twig and sprig.")
    leaf_droop: float = number(0.15, "Droop", (-1, 2), soft=(-0.5, 1), group="Leaves")
    leaf_light: float = number(0.55, "Turn to light", (0, 1), group="Leaves")
    leaf_fold: float = number(0.3, "Fold", (0, 1), group="Leaves")
    leaf_normals: float = number(
        0.72, "Crown-shaped normals", (0, 1), group="Leaves", help="0 lights every leaf by itself, 1 lights the crown as one round body."
    )
    leaf_bare: float = number(0.15, "Bare length of twig", (0, 0.95), unit="share", group="Leaves")
    leaf_tint: float = number(0.5, "Colour variation", (0, 1), group="Leaves")
    leaf_seed: Seed = Field(
        1,
        title="Leaf seed",
        description="Arranges the leaves without touching the wood.",
        json_schema_extra={"control": "seed", "unit": "", "group": "Leaves"},
    )

    flare: float = number(0.75, "Root flare", (0, 3), soft=(0, 2), group="Roots", help="How much wider the stem is at the ground.")
    flare_height: float = number(0.09, "Flare height", (0.01, 0.5), unit="of height", group="Roots")
    lobes: int = count(5, "Lobes", (0, 9), group="Roots")
    lobe_depth: float = number(0.16, "Lobe depth", (0, 0.4), group="Roots")

    bark_light: Color = color("#8d8272", "Bark ridges", "Skin")
    bark_dark: Color = color("#37302a", "Bark furrows", "Skin")
    bark_furrows: float = number(0.8, "Furrows", (0, 1), group="Skin")
    bark_scale: int = count(7, "Ridges", (2, 24), group="Skin", help="Ridges round one repeat of the texture.")
    bark_lichen: float = number(0.35, "Lichen", (0, 1), group="Skin")
    bark_tile: float = number(0.7, "Texture repeat", (0.1, 4), unit="m", group="Skin")
    leaf_color: Color = color("#5a7a35", "Leaf", "Skin")
    leaf_tip_color: Color = color("#86a04a", "Young leaf", "Skin")
    sprig_leaves: int = count(11, "Leaves on a sprig", (1, 40), soft=(1, 24), group="Skin")
    sprig_length: float = number(0.34, "Leaf length", (0.08, 0.95), unit="of sprig", group="Skin")
    sprig_width: float = number(0.56, "Leaf width", (0.05, 1.2), unit="× length", group="Skin")
    sprig_widest: float = number(0.42, "Widest at", (0.1, 0.9), unit="along", group="Skin")
    sprig_point: float = number(0.25, "Point", (0, 1), group="Skin")
    sprig_teeth: float = number(0.3, "Teeth", (0, 1), group="Skin")
    texture_size: Annotated[Literal["128", "256", "512", "1024", "2048"], Numeral] = choice(
        "512", "Texture size", {str(s): f"{s} px" for s in (128, 256, 512, 1024, 2048)}, group="Skin"
    )

    sides: float = number(
        1, "Roundness", (0.3, 3), soft=(0.4, 2), unit="×", group="Detail", help="Sides of stems and limbs, by their thickness."
    )
    least_sides: int = count(3, "Least sides", (3, 16), group="Detail")
    twigs: bool = flag(True, "Third-order wood", group="Detail", help="Off leaves out the thinnest wood; the leaves stay.")


_POINTS = (17, 9, 5, 3)  #: along a limb, by order
_STRIDE = (1, 2, 4)  #: every how many of them, by level of detail
_SIDES = (1.0, 0.62, 0.4)  #: by level of detail
_KEEP = (1.0, 0.34, 0.07)  #: share of the leaf cards, by level of detail
_ORDERS = (4, 3, 2)  #: orders with wood, by level of detail


def _grow_orders(p: TreeParameters, seed: int) -> list[Order]:
    radius = p.height * p.girth / 200.0
    crown_start = min(0.85, p.first.start)
    lean, spread = math.radians(p.lean), math.radians(p.spread)
    orders = [
        grow_stems(seed, p.stems, p.height, spread, lean, radius, _POINTS[0], p.crookedness, p.straighten, crown_start, p.taper, p.pipe)
    ]
    reference = p.height
    table = profile_table(p.profile)
    falling = np.linspace(1.0, 0.45, 65).astype(np.float32)
    for number_, limb in enumerate((p.first, p.second, p.third), start=1):
        expected = orders[-1].count * limb.count * 1.25
        if expected > 120_000:
            raise TooLargeError(
                f"order {number_} would have about {expected:,.0f} limbs; the limit is 120,000: lower the limbs of this or an earlier order"
            )
        orders.append(
            grow_limbs(
                seed, orders[-1], number_, limb.count, reference, min(limb.start, limb.end - 0.01), limb.end,
                (math.radians(limb.angle), math.radians(limb.tip_angle)), _WHORL[limb.arrangement], 0.0, limb.flat, limb.length,
                limb.variation, table if number_ == 1 else falling, limb.thickness, p.pipe, p.thinnest / 1000.0, _POINTS[number_],
                limb.crookedness, limb.pull, 0.5, 0.12 * math.sqrt(p.height),
            )
        )  # fmt: skip
        reference *= limb.length
    return orders


def _stem_rings(p: TreeParameters, stems: Order, stride: int) -> tuple[Float32, Float32, Float32]:
    """Points, radii and lobes of the stems with rings added about the ground, where the flare needs them."""
    n = stems.points.shape[1]
    coarse = np.arange(stride, n, stride, dtype=np.float64)
    near = {1: [0.0, 0.2, 0.45, 0.75], 2: [0.0, 0.5, 1.0], 4: [0.0]}[stride]
    at = np.unique(np.concatenate([near, coarse]))
    low = np.minimum(at.astype(np.int64), n - 2)
    f = (at - low).astype(np.float32)
    points = stems.points[:, low] * (1 - f)[None, :, None] + stems.points[:, low + 1] * f[None, :, None]
    radius = stems.radius[:, low] * (1 - f) + stems.radius[:, low + 1] * f
    below = points[:, :1] - np.array([0, 0.06 * p.height + 0.15, 0], np.float32)
    points = np.concatenate([below, points], axis=1)
    radius = np.concatenate([radius[:, :1], radius], axis=1)
    swell = np.exp(-np.maximum(points[..., 1], 0.0) / (p.flare_height * p.height))
    radius = radius * (1.0 + p.flare * swell**1.5)
    lobe = (p.lobe_depth * (0.22 + 0.78 * swell)).astype(np.float32) if p.lobes else np.zeros_like(radius)
    return points.astype(np.float32), radius.astype(np.float32), lobe


def _wood(p: TreeParameters, orders: list[Order], detail: int) -> Mesh:
    points, radius, lobe, sides, counts, wind, phase = [], [], [], [], [], [], []
    shown = _ORDERS[detail] - (0 if p.twigs else 1) * (detail == 0)
    for k, order in enumerate(orders[:shown]):
        if not order.count:
            continue
        stride = min(_STRIDE[detail], _POINTS[k] - 1) if k < 3 else _POINTS[k] - 1 if detail else 1
        if k == 0:
            pts, rad, lob = _stem_rings(p, order, stride)
        else:
            pts, rad = order.points[:, ::stride], order.radius[:, ::stride]
            lob = np.zeros_like(rad)
        wanted = np.rint((2.6 + 21.0 * np.sqrt(rad[:, 0])) * p.sides * _SIDES[detail])
        n, m = rad.shape
        channel = np.empty((n, m, 4), np.uint8)
        channel[..., 0] = np.clip(np.maximum(pts[..., 1], 0) / p.height, 0, 1) ** 2 * 255
        first = orders[1].ids[order.first] if k else np.zeros(n, np.uint64)
        channel[..., 1] = (first >> np.uint64(56)).astype(np.uint8)[:, None]
        channel[..., 2] = 0
        channel[..., 3] = 255
        points.append(pts.reshape(-1, 3))
        radius.append(rad.reshape(-1))
        lobe.append(lob.reshape(-1))
        sides.append(np.clip(wanted, max(3, p.least_sides if detail == 0 else 3), 32).astype(np.int64))
        counts.append(np.full(n, m, np.int64))
        wind.append(channel.reshape(-1, 4))
        phase.append((order.ids >> np.uint64(40)).astype(np.float32) * np.float32(2 * math.pi / 2**24))
    start: Int64 = np.concatenate([[0], np.cumsum(np.concatenate(counts))]).astype(np.int64)
    limbs = Limbs(
        start,
        np.ascontiguousarray(np.concatenate(points)),
        np.concatenate(radius),
        np.concatenate(lobe),
        np.concatenate(sides),
        np.concatenate(phase),
        np.concatenate(wind),
    )
    mesh = sweep(limbs, "bark", p.bark_tile, p.lobes)
    grey = np.full((mesh.vertices, 4), 255, np.uint8)
    return Mesh(mesh.positions, mesh.normals, mesh.uv0, mesh.indices, mesh.parts, mesh.tangents, grey, mesh.wind)


def crown(p: TreeParameters) -> tuple[Float64, Float64]:
    """Middle and half extent (3,) of the crown in metres, from the parameters alone."""
    low = p.first.start * p.height
    reach = max(0.25, p.height * p.first.length * 0.85 + p.height * math.sin(math.radians(p.spread)) * 0.5 * (p.stems > 1))
    half = max(0.25, 0.55 * (p.height * 1.05 - low))
    return np.array([0.0, (low + p.height * 1.02) * 0.5, 0.0]), np.array([reach, half, reach])


def _leaves(p: TreeParameters, orders: list[Order], detail: int) -> Mesh | None:
    bearing = [o for o in orders[1:] if o.count]
    bearing = bearing[-2:] if len(bearing) > 2 else bearing
    if not p.leaves or p.leaf_count <= 0 or not bearing:
        return None
    expected = sum(float(o.length.sum()) * p.leaf_count + o.count for o in bearing)
    if expected * 4 > MOST_TRIANGLES:
        raise TooLargeError(
            f"the tree would bear about {expected:,.0f} sprigs; the limit is {MOST_TRIANGLES // 4:,}: lower the sprigs per metre or the limbs"
        )
    centre, extent = crown(p)
    cards = join_cards(
        [
            hang_cards(
                p.leaf_seed, o, orders[1], p.leaf_count, p.leaf_bare, p.leaf_size, p.leaf_variation, math.radians(p.leaf_tilt),
                p.leaf_droop, p.leaf_light, centre, _KEEP[detail],
            )
            for o in bearing
        ]
    )  # fmt: skip
    if not cards.ids.size:
        return None
    return card_mesh(p.leaf_seed, cards, "leaf", p.leaf_aspect, p.leaf_fold, 0.06, p.leaf_normals, centre, extent, p.leaf_tint, p.height)


def materials(p: TreeParameters) -> dict[str, Material]:
    """Bark and leaf."""
    size = int(p.texture_size)
    bark = Bark(3, size, parse_color(p.bark_light), parse_color(p.bark_dark), p.bark_furrows, p.bark_scale, p.bark_lichen)
    sprig = Sprig(
        5, size, p.sprig_leaves, p.sprig_length, p.sprig_width, p.sprig_widest, p.sprig_point, p.sprig_teeth,
        parse_color(p.leaf_color), parse_color(p.leaf_tip_color), parse_color(p.bark_dark),
    )  # fmt: skip
    return {"bark": Material("bark", bark), "leaf": Material("leaf", sprig, roughness=0.85, cutout=True, translucency=0.45)}


@kind("tree", "Tree", "Stems, three orders of limbs and leaves.", TreeParameters)
def make(p: TreeParameters, seed: int, detail: int) -> Product:
    """A tree, standing on the origin; its stem goes a little below the ground."""
    orders = _grow_orders(p, seed)
    wood = _wood(p, orders, detail)
    leaves = _leaves(p, orders, detail)
    mesh = join([wood, leaves]) if leaves is not None else wood
    if mesh.triangles > MOST_TRIANGLES:
        raise TooLargeError(
            f"the tree would have {mesh.triangles:,} triangles; the limit is {MOST_TRIANGLES:,}: lower limbs, sprigs or roundness"
        )
    reach = np.hypot(mesh.positions[:, 0], mesh.positions[:, 2])
    radius = p.height * p.girth / 200.0
    stems = []
    for curve_, rad in zip(orders[0].points, orders[0].radius, strict=True):
        clear = max(2, round(len(curve_) * min(0.6, max(0.25, p.first.start))))
        a, b = (tuple(float(v) for v in q) for q in (curve_[0], curve_[clear - 1]))
        stems.append(Capsule(a, b, float(rad[0])))  # type: ignore[arg-type]
    counts = {name: o.count for name, o in zip(("stems", "first", "second", "third"), orders, strict=True)}
    counts["sprigs"] = leaves.triangles // 4 if leaves is not None else 0
    return Product(
        mesh,
        materials(p) if leaves is not None else {"bark": materials(p)["bark"]},
        footprint_radius=radius * (1.0 + p.flare),
        canopy_radius=float(np.quantile(reach, 0.995)),
        height=float(mesh.positions[:, 1].max()),
        stems=tuple(stems),
        counts=counts,
    )
