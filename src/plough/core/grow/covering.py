"""What all woody plants wear: leaves hung on their twigs, bark, and how finely both are told."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np

from plough.core.collider import GameParameters
from plough.core.errors import TooLargeError
from plough.core.grow.bark import Bark
from plough.core.grow.foliage import (
    Dress,
    Envelope,
    Hanging,
    Hung,
    Lumps,
    Shown,
    card_shape,
    leaf_mesh,
    lump_mesh,
)
from plough.core.grow.lamina import SIZES, LeafParameters, TextureSize
from plough.core.grow.leaf import blade_shape, leaf_material, leaf_shape
from plough.core.grow.shape import Shape
from plough.core.grow.skeleton import Order
from plough.core.grow.sprig import Sprig
from plough.core.grow.wood import Flare, Moss, Tubes
from plough.core.matters import NEVER, Acts, Matters, Told, above, among, filled
from plough.core.mesh.material import Material
from plough.core.mesh.occlusion import LeafCloud
from plough.core.mesh.value import Mesh
from plough.core.parameters import (
    Color,
    Parameters,
    Seed,
    choice,
    color,
    count,
    flag,
    linear,
    number,
    parse_color,
    reference,
    section,
    seeded,
    text,
)

MOST_TRIANGLES = 600_000  #: a recipe that would exceed this is refused
MOST_LEAVES = 400_000  #: or cards
KEEP = (1.0, 0.7, 0.18)  #: share of the leaves, by level of detail


_NOT_LUMPS = (
    "leaf_* leaf.* -leaf_form -leaf_count -leaf_orders -leaf_bare -leaf_cluster -leaf_clusters"
    " -leaf_seed -leaf_name -leaf.blade_color -leaf.tip_color"
)


class Woody(Parameters):
    """Leaves, bark and fineness of a woody plant."""

    matters: ClassVar[Matters] = {
        "leaf_* sprig_* lump* leaf.*": among("leaves", True),
        "leaf_clusters": above("leaf_cluster"),
        "leaf_aspect leaf_fold sprig_*": among("leaf_form", "cards"),
        "lump*": among("leaf_form", "lumps"),
        _NOT_LUMPS: among("leaf_form", "cards", "shaped"),
        "moss_*": above("moss"),
        "leaf.length leaf.variation": NEVER,  # the wood says how long its leaves are
        "leaf.*": filled("leaf_asset", False),
        "leaf.texture_size": among("leaf_form", "shaped"),
    }
    acts: ClassVar[Acts] = {"Leaves": ("leaves",), "Leaf": ("leaves",)}
    told: ClassVar[Told] = {"Leaves": {"leaves": ("leaf", "leaves")}}

    leaves: bool = flag(True, "In leaf", group="Leaves")
    leaf_form: Literal["cards", "shaped", "lumps"] = choice(
        "cards",
        "Form",
        {"cards": "Cards with sprigs", "shaped": "Shaped leaves", "lumps": "Faceted lumps"},
        group="Leaves",
    )
    leaf_asset: str = reference(
        "",
        "Leaf from",
        "leaf",
        group="Leaves",
        lends="leaf",
        help="A leaf of this scene; none: the one below.",
    )
    leaf_count: float = number(
        4.2,
        "Amount",
        (0, 120),
        soft=(0, 30),
        unit="/m",
        step=0.1,
        group="Leaves",
        help="On each metre of twig; more leave the others where they are.",
    )
    leaf_size: float = number(
        0.42,
        "Length",
        (0.02, 6),
        soft=(0.05, 1.5),
        unit="m",
        group="Leaves",
        help="Of a card, or of a shaped leaf.",
    )
    leaf_aspect: float = number(0.9, "Card width", (0.1, 2), unit="× length", group="Leaves")
    leaf_variation: float = number(0.25, "Size varies by", (0, 0.8), unit="±", group="Leaves")
    leaf_tilt: float = number(
        52,
        "Spread",
        (0, 120),
        unit="°",
        step=1,
        group="Leaves",
        help="Angle between twig and leaf.",
    )
    leaf_droop: float = number(0.15, "Droop", (-1, 3), soft=(-0.5, 1.5), group="Leaves")
    leaf_light: float = number(0.55, "Turn to light", (0, 1), group="Leaves")
    leaf_outward: float = number(0, "Pushed outward", (-0.5, 2), soft=(0, 1), group="Leaves")
    leaf_upward: float = number(0, "Pushed upward", (-1, 2), soft=(-0.5, 1), group="Leaves")
    leaf_cluster: float = number(
        0, "Clusters", (0, 1), group="Leaves", help="0 evenly along the twig, 1 gathered."
    )
    leaf_clusters: float = number(
        3, "Clusters on each metre", (0.2, 20), soft=(0.5, 10), unit="/m", step=0.1, group="Leaves"
    )
    leaf_bare: float = number(0.15, "Bare length of twig", (0, 0.99), unit="share", group="Leaves")
    leaf_fold: float = number(0.3, "Fold", (0, 1), group="Leaves")
    leaf_normals: float = number(
        0.72,
        "Crown-shaped normals",
        (0, 1),
        group="Leaves",
        help="0 lights every leaf by itself, 1 lights the crown as one round body.",
    )
    leaf_tint: float = number(0.5, "Colour varies", (0, 1), group="Leaves")
    leaf_inside: float = number(0.75, "Darker inside", (0, 1), group="Leaves")
    leaf_top: float = number(
        0.2, "Paler at the top", (-1, 1), group="Leaves", help="Negative: at the foot."
    )
    leaf_seed: Seed = seeded(
        "Leaf seed", group="Leaves", help="Arranges the leaves without touching the wood."
    )
    sprig_leaves: int = count(26, "Leaves on a card", (1, 200), soft=(1, 80), group="Leaves")
    sprig_twigs: int = count(4, "Side twigs on it", (0, 12), group="Leaves")
    sprig_length: float = number(
        0.22, "Leaf on the card", (0.05, 0.95), unit="of card", group="Leaves"
    )
    sprig_angle: float = number(62, "Leaf to its twig", (5, 110), unit="°", step=1, group="Leaves")
    sprig_rise: float = number(0.5, "Leaves stand up", (0, 1), group="Leaves")
    lumps: int = count(
        14,
        "Lumps",
        (1, 120),
        soft=(3, 60),
        group="Leaves",
        help="Of the faceted form; more keep the others.",
    )
    lump_size: float = number(0.17, "Lump radius", (0.02, 0.6), unit="of height", group="Leaves")
    lump_rough: float = number(0.5, "Lumps uneven", (0, 1), group="Leaves")
    lump_faces: int = count(1, "Lump detail", (0, 2), group="Leaves")
    leaf: LeafParameters = section(LeafParameters(), "Leaf", "Leaf")

    bark: Literal["furrowed", "plated", "smooth", "peeling"] = choice(
        "furrowed",
        "Bark",
        {"furrowed": "Furrowed", "plated": "Plated", "smooth": "Smooth", "peeling": "Peeling"},
        group="Skin",
    )
    bark_light: Color = color("#8d8272", "Bark, raised", "Skin")
    bark_dark: Color = color("#37302a", "Bark, deep", "Skin")
    bark_furrows: float = number(0.8, "Relief", (0, 1), group="Skin")
    bark_scale: int = count(
        7,
        "Marks",
        (2, 24),
        group="Skin",
        help="Ridges, plates or bands round one repeat of the texture.",
    )
    bark_lichen: float = number(0.35, "Lichen", (0, 1), group="Skin")
    bark_tile: float = number(
        0.7, "Texture repeat", (0.05, 4), soft=(0.1, 2), unit="m", group="Skin"
    )
    moss: float = number(0, "Moss", (0, 1), group="Skin")
    moss_side: float = number(0, "Moss faces", (0, 360), unit="° from north", step=5, group="Skin")
    moss_height: float = number(
        2.5, "Moss up to", (0.05, 40), soft=(0.2, 10), unit="m", step=0.1, group="Skin"
    )
    moss_color: Color = color("#8fa63a", "Moss", "Skin")
    texture_size: TextureSize = choice("512", "Texture size", SIZES, group="Skin")
    bark_name: str = text(
        "bark",
        "Bark is called",
        most=60,
        group="Skin",
        help="The name under which the game knows the material.",
    )
    leaf_name: str = text("leaf", "Leaf is called", most=60, group="Skin")

    sides: float = number(
        1,
        "Roundness",
        (0.3, 3),
        soft=(0.4, 2),
        unit="×",
        group="Detail",
        help="Sides of stems and limbs, by their thickness.",
    )
    least_sides: int = count(3, "Least sides", (3, 16), group="Detail")
    twigs: bool = flag(
        True, "Thinnest order has wood", group="Detail", help="Off leaves it out; its leaves stay."
    )
    game: GameParameters = section(GameParameters(), "For the game", "Game")


def leaf_shape_of(p: Woody, detail: int) -> Shape:
    """The mesh of one leaf or card, of length 1."""
    if p.leaf_form == "shaped" and detail == 0:
        return leaf_shape(p.leaf, min(p.leaf.divisions, 3))
    if p.leaf_form == "shaped":
        return blade_shape(p.leaf, 1) if p.leaf.form == "simple" else leaf_shape(p.leaf, 1)
    return card_shape(p.leaf_aspect, 0.9 * p.leaf_fold, 0.06)


def check_leaves(p: Woody, detail: int, bearing: list[Order]) -> None:
    """Raises `TooLargeError` before more leaves are hung on `bearing` than a plant may bear."""
    each = int(leaf_shape_of(p, detail).indices.shape[0])
    expected = sum(float(o.full.sum()) * p.leaf_count + o.count for o in bearing) * KEEP[detail]
    many = f"the plant would bear about {expected:,.0f} leaves or cards"
    if p.leaf_form != "lumps" and expected * each > MOST_TRIANGLES:
        limit = f"{MOST_TRIANGLES:,} triangles"
        message = f"{many} of {each} triangles; the limit is {limit}: lower the amount"
        raise TooLargeError("leaf_count", message, limit=limit)
    if expected > MOST_LEAVES:
        limit = f"{MOST_LEAVES:,}"
        raise TooLargeError(
            "leaf_count", f"{many}; the limit is {limit}: lower the amount", limit=limit
        )


def check_whole(p: Woody, detail: int, wood: int, leaves: int) -> None:
    """Raises `TooLargeError` before leaves are meshed that the plant, with its `wood` triangles, has no room for."""
    each = int(leaf_shape_of(p, detail).indices.shape[0])
    if p.leaf_form == "lumps" or wood + leaves * each <= MOST_TRIANGLES:
        return
    limit = f"{MOST_TRIANGLES:,} triangles"
    message = f"the plant would have {wood:,} triangles of wood and {leaves * each:,} of leaves"
    raise TooLargeError("leaf_count", f"{message}; the limit is {limit}: lower it", limit=limit)


def hanging(p: Woody, young: float = 1.0) -> Hanging:
    """How leaves hang; `young` shrinks them."""
    return Hanging(
        p.leaf_count,
        p.leaf_bare,
        p.leaf_cluster,
        p.leaf_clusters,
        p.leaf_size * young,
        p.leaf_variation,
        math.radians(p.leaf_tilt),
        p.leaf_droop,
        p.leaf_light,
        p.leaf_outward,
        p.leaf_upward,
    )


def shown_of(p: Woody, detail: int, fixed: bool = False) -> Shown:
    """Which leaves are there at a level of detail; `fixed`: those not open yet, too."""
    return Shown(1.0 if p.leaf_form == "lumps" else KEEP[detail], fixed)


def cloud_of(p: Woody, hung: Hung, height: float) -> LeafCloud:
    """Where the leaf area is, for the shade that leaves cast on each other and on the wood."""
    if p.leaf_form == "lumps":
        each = 4.0 * p.lumps * (p.lump_size * height) ** 2 / hung.count
        return LeafCloud(hung.base, np.full(hung.count, each, np.float32))
    middle = hung.base + hung.direction * (0.5 * hung.length)[:, None]
    area = hung.length**2 * (p.leaf_aspect * 0.45 if p.leaf_form == "cards" else p.leaf.width * 0.6)
    return LeafCloud(middle, area)


def dressed(p: Woody, hung: Hung, detail: int, cloud: LeafCloud, envelope: Envelope) -> Mesh:
    """Leaves or cards at every place of `hung`."""
    dress = Dress(p.leaf_seed, p.leaf_normals, p.leaf_tint, p.leaf_inside, p.leaf_top)
    return leaf_mesh(hung, leaf_shape_of(p, detail), cloud.openness(hung.base), envelope, dress)


def lumped(p: Woody, hung: Hung, detail: int, envelope: Envelope, height: float) -> Mesh:
    """Faceted lumps about the places of `hung`; their size is a share of `height`, in metres."""
    lumps = Lumps(
        count=p.lumps,
        radius=p.lump_size * height,
        rough=p.lump_rough,
        subdivisions=max(0, p.lump_faces - detail),
        finest=p.lump_faces,
        tones=(linear(p.leaf.blade_color), linear(p.leaf.tip_color)),
    )
    return lump_mesh(p.leaf_seed, hung, lumps, envelope)


def tubes_of(p: Woody, height: float, flare: Flare) -> Tubes:
    """What the wood is drawn as; `height` is the plant's, in metres."""
    return Tubes(height, flare, p.bark_tile, p.sides, p.least_sides, p.twigs)


def materials(p: Woody) -> dict[str, Material]:
    """Bark and leaf."""
    size = int(p.texture_size)
    bark = Bark(
        p.bark,
        3,
        size,
        parse_color(p.bark_light),
        parse_color(p.bark_dark),
        p.bark_furrows,
        p.bark_scale,
        p.bark_lichen,
    )
    out = {"bark": Material(p.bark_name or "bark", bark)}
    name = p.leaf_name or "leaf"
    if not p.leaves or p.leaf_count <= 0:
        return out
    if p.leaf_form == "lumps":
        out["leaf"] = Material(name, roughness=0.95, translucency=0.2)
    elif p.leaf_form == "shaped":
        out["leaf"] = leaf_material(p.leaf, name)
    else:
        angle = math.radians(p.sprig_angle)
        sprig = Sprig(
            p.leaf,
            size,
            p.sprig_leaves,
            p.sprig_twigs,
            p.sprig_length,
            angle,
            p.sprig_rise,
            parse_color(p.bark_dark),
        )
        out["leaf"] = Material(name, sprig, cutout=True, translucency=p.leaf.translucency)
    return out


def moss_of(p: Woody) -> Moss:
    """What grows on one side of the bark."""
    return Moss(p.moss, math.radians(p.moss_side), p.moss_height, linear(p.moss_color))
