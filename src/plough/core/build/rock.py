"""Rocks: from cobbles rounded by water to slabs split by frost."""

from __future__ import annotations

import math
from typing import ClassVar

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.build.hulled import HulledParameters, hull_collider
from plough.core.build.rock_body import Body, Look, body_of
from plough.core.build.stone import Stone
from plough.core.kinds import Product, kind
from plough.core.matters import Matters, Told, above, among
from plough.core.mesh.facets import faceted
from plough.core.mesh.material import Material, as_bytes
from plough.core.mesh.surface import boxed_coordinates, crease_normals, split_corners
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.parameters import (
    Color,
    Parameters,
    Seed,
    color,
    count,
    flag,
    linear,
    number,
    parse_color,
    section,
    seeded,
)
from plough.core.rng import bits, seed_for, stream
from plough.core.vectors import unit

_CREASE = 38.0  #: degrees above which an edge is sharp: smooth ones look like pillows
_SHARE = (
    (1.0, 1.0),
    (0.3, 0.6),
    (0.075, 0.25),
)  #: of the triangles, by level; the greater one up to
_FEW = (0, 260, 90)  #: so many
_WEAR, _SKIN = stream("rock.own wear"), stream("rock.skin")
_SKINS = 4  #: drawings of one stone: rocks of more seeds share them


class RockParameters(Parameters):
    """A rock."""

    stages: ClassVar[tuple[str, ...]] = ("Shape", "Beds and cracks", "Edges", "Skin", "Game")
    matters: ClassVar[Matters] = {
        "bed dip strike": above("strata"),
        "crack_*": above("cracks"),
        "cavity_size": above("cavities"),
        "wear_seed": above("wear"),
        "lichen_color": above("lichen"),
        "moss_color moss_slope": above("moss"),
        "grain speckle relief veins repeat lichen": among("facets", False),
    }
    told: ClassVar[Told] = {"Shape": {"triangles": ("triangle", "triangles")}}

    wide: float = number(1.0, "Wide", (0.02, 30), soft=(0.05, 6), unit="m", group="Shape")
    high: float = number(0.65, "High", (0.02, 30), soft=(0.05, 6), unit="m", group="Shape")
    long: float = number(0.8, "Long", (0.02, 30), soft=(0.05, 6), unit="m", group="Shape")
    angularity: float = number(
        0.6, "Angular", (0, 1), group="Shape", help="0 rounded by water, 1 freshly split."
    )
    blocky: float = number(
        0.5,
        "Blocky",
        (0, 1),
        group="Shape",
        help="How deep three sets of joints cut, square to each other.",
    )
    rough: float = number(0.4, "Rough", (0, 1), group="Shape")
    buried: float = number(
        0.08,
        "Buried",
        (0, 0.8),
        unit="of its height",
        group="Shape",
        help="Below the ground it stands on.",
    )
    triangles: int = count(
        3000, "Triangles", (80, 40_000), soft=(200, 12_000), group="Shape", help="Near by, about."
    )
    facets: bool = flag(
        False, "Flat facets", group="Shape", help="One tone for each face, for a drawn look."
    )
    strata: float = number(
        0, "Beds", (0, 1), group="Beds and cracks", help="How far they stand out from each other."
    )
    bed: float = number(
        0.12, "One bed", (0.01, 5), soft=(0.03, 1), unit="m", group="Beds and cracks"
    )
    dip: float = number(6, "Beds dip", (0, 90), unit="°", step=1, group="Beds and cracks")
    strike: float = number(30, "towards", (0, 360), unit="°", step=1, group="Beds and cracks")
    cracks: int = count(0, "Cracks", (0, 8), group="Beds and cracks")
    crack_width: float = number(
        2.0,
        "Cracks are wide",
        (0.1, 50),
        soft=(0.3, 10),
        unit="cm",
        step=0.1,
        group="Beds and cracks",
    )
    crack_depth: float = number(
        8, "and deep", (0.1, 300), soft=(1, 40), unit="cm", step=0.5, group="Beds and cracks"
    )
    cavities: float = number(0, "Cavities", (0, 1), group="Beds and cracks")
    cavity_size: float = number(
        0.12, "Cavities apart", (0.01, 3), soft=(0.03, 0.6), unit="m", group="Beds and cracks"
    )
    wear: float = number(
        0.3, "Worn edges", (0, 1), group="Edges", help="How far they are knocked off."
    )
    wear_seed: Seed = seeded("Seed of the wear", group="Edges")
    worn_light: float = number(0.35, "Lighter where worn", (0, 1), group="Edges")
    hollow_dark: float = number(0.5, "Darker in hollows", (0, 1), group="Edges")
    light: Color = color("#a7a093", "Light", "Skin")
    dark: Color = color("#6c675e", "Dark", "Skin")
    tones: float = number(
        0.3, "Tones", (0, 1), group="Skin", help="How much beds and sides differ."
    )
    grain: int = count(
        90, "Grains", (8, 240), group="Skin", help="Along one repeat of the texture."
    )
    speckle: float = number(0.3, "Speckled", (0, 1), group="Skin")
    relief: float = number(0.5, "Coarse", (0, 1), group="Skin")
    veins: float = number(0, "Veins", (0, 1), group="Skin")
    repeat: float = number(
        1.2, "A texture repeats every", (0.05, 20), soft=(0.2, 4), unit="m", group="Skin"
    )
    lichen: float = number(0.15, "Lichen", (0, 1), group="Skin")
    lichen_color: Color = color("#b9bca6", "Of lichen", "Skin")
    moss: float = number(0, "Moss", (0, 1), group="Skin", help="On what looks up.")
    moss_slope: float = number(50, "Moss up to", (5, 120), unit="°", step=1, group="Skin")
    moss_color: Color = color("#5d6b2c", "Of moss", "Skin")
    game: HulledParameters = section(HulledParameters(), "Game", "Game")


def look_of(p: RockParameters) -> Look:
    """The numbers of `p` as the body takes them."""
    return Look(
        (0.5 * p.wide, 0.5 * p.high, 0.5 * p.long),
        p.angularity,
        p.blocky,
        p.rough,
        p.wear,
        p.strata,
        p.bed,
        math.radians(p.dip),
        math.radians(p.strike),
        p.cracks,
        p.crack_width / 100,
        p.crack_depth / 100,
        p.cavities,
        p.cavity_size,
    )


def _count(triangles: int, detail: int) -> int:
    """Triangles of a level: a light rock can spare fewer of them."""
    share, greater = _SHARE[detail]
    return round(max(share * triangles, min(greater * triangles, _FEW[detail])))


@kind(
    "rock",
    "Rock",
    "Cobbles, boulders, slabs, tors and scree.",
    RockParameters,
    hard=True,
    version=3,
)
def make(p: RockParameters, seed: int, detail: int) -> Product:
    """A rock that stands, partly buried, at the origin."""
    wear = int(bits(np.uint64(seed), _WEAR, np.uint64(p.wear_seed)))
    own = int(seed_for(seed, "rock.body"))
    body = body_of(look_of(p), own, wear, _count(p.triangles, detail))
    low, high = body.positions[:, 1].min(), body.positions[:, 1].max()
    body = body._replace(positions=body.positions - [0.0, low + p.buried * (high - low), 0.0])
    mesh = _mesh(p, body)
    position = mesh.positions
    above_ = position[position[:, 1] >= 0.0]
    foot = position[np.abs(position[:, 1]) <= 0.12 * (high - low)]
    wide = float(np.hypot(position[:, 0], position[:, 2]).max())
    return Product(
        mesh,
        {"stone": Material("stone", _skin(p, seed), roughness=1.0)},
        footprint_radius=float(np.hypot(foot[:, 0], foot[:, 2]).max(initial=0.0)) or wide,
        canopy_radius=wide,
        height=float(above_[:, 1].max()),
        collider=hull_collider(p.game, body.positions, None if detail else body.faces),
        game=p.game,
        counts={"triangles": mesh.triangles},
    )


def _skin(p: RockParameters, seed: int) -> Stone | None:
    if p.facets:
        return None
    return Stone(
        int(bits(np.uint64(seed), _SKIN, np.uint64(0))) % _SKINS,
        512,
        parse_color(p.light),
        parse_color(p.dark),
        p.grain,
        p.speckle,
        p.relief,
        p.veins,
        p.lichen,
        parse_color(p.lichen_color),
    )


def _mesh(p: RockParameters, body: Body) -> Mesh:
    faces, positions = body.faces, body.positions
    a, b, c = (positions[faces[:, k]] for k in range(3))
    flat = np.cross(b - a, c - a)
    corner = faces.reshape(-1)
    normals = crease_normals(positions, faces, _CREASE)
    uv = boxed_coordinates(positions[corner], flat, 1.0 if p.facets else p.repeat)
    first, indices = split_corners(corner, normals, uv)
    vertex = corner[first]
    marks = _marks(p, body, flat)
    tint = np.concatenate([_tinted(p, body.bed, marks), np.ones((len(marks), 1))], axis=1)
    mesh = Mesh(
        positions[vertex].astype(np.float32),
        np.ascontiguousarray(normals[first]),
        np.ascontiguousarray(uv[first]),
        indices.astype(np.uint32),
        (Part("stone", 0, len(faces)),),
        colors=as_bytes(tint)[vertex],
        masks=as_bytes(marks)[vertex],
    )
    return faceted(mesh) if p.facets else with_tangents(mesh)


def _marks(p: RockParameters, body: Body, flat: Float64) -> Float64:
    """(n, 4) at each point, 0 to 1: how worn, how far it looks up, how hollow, and a value that is uneven over all of it."""
    n, corner = len(body.positions), body.faces.reshape(-1)
    summed = [np.bincount(corner, np.repeat(flat[:, k], 3), n) for k in range(3)]
    normal = unit(np.stack(summed, axis=1).astype(np.float64))
    hollow = np.maximum(_hollows(body.positions, normal, body.faces), body.deep)
    worn = 1.4 * body.worn + 0.5 * p.wear * body.edge
    marks = np.stack([worn, 0.5 + 0.5 * normal[:, 1], hollow, 0.5 + 0.5 * body.patch], axis=1)
    return np.asarray(marks.clip(0.0, 1.0))


def _tinted(p: RockParameters, bed: Float64, marks: Float64) -> Float64:
    """(n, 3) what the textures are multiplied by at each point, 0 to 1, linear."""
    worn, up, hollow, patch = marks.T
    shade = (1.0 - 0.25 * p.tones * (0.5 - 0.5 * bed)) * (1.0 - 0.22 * p.worn_light)
    shade = shade + p.worn_light * (1.0 - shade) * worn
    shade = shade * (1.0 - 0.75 * p.hollow_dark * hollow)
    shade = shade * (
        1.0 - 0.25 * np.clip(1.0 - 2.0 * up, 0.0, 1.0)
    )  # what looks down is in its own shade
    light, dark = np.array(linear(p.light)), np.array(linear(p.dark))
    tint = shade[:, None] * (light if p.facets else np.ones(3))
    if p.moss > 0:
        limit = math.cos(math.radians(p.moss_slope))
        cover = (2.0 * up - 1.0 - limit) / 0.12 + 1.2 * (hollow - 0.2) + 4.4 * (patch - 0.5)
        cover = p.moss * np.clip(cover + 2.0 * p.moss - 1.0, 0.0, 1.0)
        stone = np.ones(3) if p.facets else 0.5 * (light + dark)
        green = np.clip(np.array(linear(p.moss_color)) / np.maximum(stone, 0.02), 0.0, 1.0)
        tint = tint + cover[:, None] * (green * (0.75 + 0.25 * shade[:, None]) - tint)
    return np.asarray(tint.clip(0.0, 1.0))


def _hollows(positions: Float64, normal: Float64, faces: Int64) -> Float64:
    """(n,) 0 to 1: how far each point lies in a hollow between its neighbours."""
    ends = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    n = len(positions)
    way = positions[ends[:, 1]] - positions[ends[:, 0]]
    rise = np.einsum("ij,ij->i", unit(way), normal[ends[:, 0]])
    count = np.bincount(ends[:, 0], minlength=n)
    mean = np.bincount(ends[:, 0], rise, n) / count
    wide = np.bincount(ends[:, 0], mean[ends[:, 1]], n) / count
    return np.asarray(np.clip(2.6 * np.maximum(mean, 1.6 * wide), 0.0, 1.0))
