"""Meshes of one's own: read from files, put in metres and upright, mended, made lighter for the distance."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Literal

import numpy as np

from plough.core.arrays import Int64, UInt8
from plough.core.build.body import BodyParameters, body_of
from plough.core.build.soup import (
    Soup,
    closed,
    covered,
    faults_of,
    gather,
    mesh_of,
    turned_outwards,
    without_flat,
)
from plough.core.errors import FormatError, ParameterError, TooLargeError
from plough.core.formats.images import Load, fitted, read_image
from plough.core.formats.model import Covering, Model, unpack
from plough.core.kinds import Product, kind
from plough.core.matters import Matters, Told, above, among
from plough.core.mesh.material import Maps, Material
from plough.core.mesh.simplify import simplified
from plough.core.mesh.value import Mesh, Named
from plough.core.parameters import Parameters, choice, flag, number, section, text
from plough.core.rng import stream, uniform

UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}
MOST_SIZE = 2000.0  #: metres
_FARTHEST = 10_000.0  # times its size that its origin may be away: positions have seven digits
_PHASE = stream("mesh.phase")
_LEAST = 12  #: triangles of a level


Unit = Literal["m", "cm", "mm", "in", "ft"]
Upwards = Literal["y", "z"]


def unit_of_file(group: str) -> Any:
    """The unit that a file is in; the field's type is `Unit`."""
    names = {"m": "metres", "cm": "centimetres", "mm": "millimetres", "in": "inches", "ft": "feet"}
    return choice("m", "Its unit", names, group=group)


def upwards_of_file(group: str) -> Any:
    """The axis of a file that points up; the field's type is `Upwards`."""
    return choice("y", "Upwards is", {"y": "Y", "z": "Z"}, group=group)


class MendParameters(Parameters):
    """What is put right in a mesh."""

    outwards: bool = flag(
        False, "Turn triangles outwards", help="So that neighbours agree and bodies face outwards."
    )
    holes: bool = flag(False, "Close holes", help="Each of at most 400 edges.")
    normals: bool = flag(
        False, "Normals anew", help="In place of those that came along; without any they are made."
    )
    crease: float = number(
        40, "Sharp above", (0, 180), unit="°", step=1, help="Edges that bend by more stay sharp."
    )
    coordinates: bool = flag(
        False,
        "Texture coordinates anew",
        help="Laid on from six sides, in place of those that came along; without any they are made.",
    )
    repeat: float = number(1.0, "A texture repeats every", (0.01, 100), soft=(0.1, 5), unit="m")


def _offset(title: str) -> float:
    made: float = number(0, title, (-500, 500), soft=(-2, 2), unit="m", group="Place")
    return made


class ImportParameters(Parameters):
    """A mesh of one's own."""

    stages: ClassVar[tuple[str, ...]] = ("Place", "Mends", "Levels", "Wind", "Game")
    matters: ClassVar[Matters] = {
        "origin_*": among("pivot", "own"),
        "stiff flutter": above("sway"),
    }
    told: ClassVar[Told] = {
        "Place": {"triangles": ("triangle", "triangles")},
        "Mends": {
            "open edges": ("open edge", "open edges"),
            "inwards": ("triangle faces inwards", "triangles face inwards"),
        },
        "Game": {
            "volume": ("% of the volume", "% of the volume"),
            "covered": ("% covered", "% covered"),
        },
    }

    source: str = text(
        "", "File", most=40, group="Place", control="file", help="What was read, by its hash."
    )
    unit: Unit = unit_of_file("Place")
    up: Upwards = upwards_of_file("Place")
    turn: float = number(0, "Turned", (-180, 180), unit="°", step=1, group="Place")
    size: float = number(1, "Size", (0.001, 1000), soft=(0.1, 5), unit="times", group="Place")
    pivot: Literal["foot", "middle", "own"] = choice(
        "foot",
        "Stands on",
        {"foot": "Its foot", "middle": "Its middle", "own": "The file's origin"},
        group="Place",
    )
    origin_right: float = _offset("Origin to the right")
    origin_up: float = _offset("Origin upwards")
    origin_front: float = _offset("Origin to the front")
    mend: MendParameters = section(MendParameters(), "Mends", "Mends")
    second: float = number(
        0.35, "Second level", (0.01, 1), group="Levels", help="Its share of the triangles."
    )
    third: float = number(
        0.08, "Third level", (0.001, 1), group="Levels", help="Its share of the triangles."
    )
    translucency: float = number(
        0.0,
        "Light through leaves",
        (0, 1),
        group="Levels",
        help="Share of the light that comes through what is cut out.",
    )
    sway: float = number(
        0.0,
        "Sways",
        (0, 1),
        group="Wind",
        help="At its top; 0 stands still, or moves as the file tells.",
    )
    stiff: float = number(0.1, "Stiff up to", (0, 0.95), group="Wind", help="Share of its height.")
    flutter: float = number(0.3, "Flutters", (0, 1), group="Wind", help="What is cut out: leaves.")
    game: BodyParameters = section(BodyParameters(), "Game", "Game")


@dataclass(frozen=True, slots=True)
class ModelMaps:
    """The images that came with a covering."""

    source: str
    covering: int
    load: Load = field(repr=False, compare=False)

    def draw(self) -> Maps:
        """The images, all as large as the largest."""
        worn = unpack(self.load(self.source)).coverings[self.covering]
        found = {n: read_image(d, n) for n, d in worn.images.items() if n != "emission"}
        h, w = (max(i.shape[k] for i in found.values()) for k in (0, 1))
        images = {n: fitted(i, w, h) for n, i in found.items()}
        white = np.full((h, w, 3), 255, np.uint8)
        albedo = images.get("albedo", white)
        if albedo.shape[2] == 3:
            albedo = np.concatenate([albedo, white[..., :1]], axis=2)
        flat: UInt8 = np.full((h, w, 3), (128, 128, 255), np.uint8)
        surface = images.get("surface", white)[..., :3].copy()
        surface[..., 0] = images.get("occlusion", white)[..., 0]
        return Maps(albedo, images.get("normal", flat)[..., :3], surface)


def material_of(
    p: ImportParameters, covering: Covering, number: int, slot: str, load: Load
) -> Material:
    """What a covering is for the view, the pictures and the bake."""
    mapped = any(n != "emission" for n in covering.images)
    glows = max(covering.emission) > 0 and "emission" not in covering.images
    cut = covering.alpha != "opaque"
    r, g, b = (min(1.0, c) for c in covering.emission)
    return Material(
        covering.name or slot,
        ModelMaps(p.source, number, load) if mapped else None,
        covering.color,
        covering.roughness,
        cutout=cut or covering.both_sides,
        translucency=p.translucency if cut else 0.0,
        glow=(r, g, b) if glows else None,
        metallic=covering.metallic,
        extras=covering.extras,
    )


def slots_of(model: Model) -> list[str]:
    """A name of its own for each covering."""
    out: list[str] = []
    for covering in model.coverings:
        name, n = covering.name or "material", 1
        while name in out:
            n += 1
            name = f"{covering.name or 'material'} {n}"
        out.append(name)
    return out


def placed(p: ImportParameters, model: Model) -> tuple[Soup, Soup | None]:
    """What is seen of a model and what came along to collide with, in metres, upright, about the pivot."""
    upright = np.eye(3) if p.up == "y" else np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
    a = math.radians(p.turn)
    around = np.array([[math.cos(a), 0, math.sin(a)], [0, 1, 0], [-math.sin(a), 0, math.cos(a)]])
    turned = around @ upright
    scale = UNITS[p.unit] * p.size
    places = [q.positions.astype(np.float64) @ turned.T * scale for q in model.pieces]
    pieces = [
        q if q.normals is None else replace(q, normals=q.normals @ turned.T.astype(np.float32))
        for q in model.pieces
    ]
    seen = [k for k, q in enumerate(pieces) if not q.collides]
    whole = np.concatenate([places[k] for k in seen])
    low, high = whole.min(axis=0), whole.max(axis=0)
    if float((high - low).max()) > MOST_SIZE:
        raise TooLargeError(
            "size",
            f"it would be {float((high - low).max()):,.0f} m large; the limit is {MOST_SIZE:,.0f} m:"
            " choose a smaller unit or size",
            limit=f"{MOST_SIZE:,.0f} m",
            value=p.size,
        )
    middle = 0.5 * (low + high)
    origin = {
        "foot": np.array([middle[0], low[1], middle[2]]),
        "middle": middle,
        "own": np.array([p.origin_right, p.origin_up, p.origin_front]),
    }[p.pivot]
    away = float(np.abs(np.stack([low, high]) - origin).max())
    if away > _FARTHEST * float((high - low).max()):
        raise TooLargeError(
            "pivot",
            f"its origin would be {away:,.3g} m from it, where it loses its shape; the limit is"
            f" {_FARTHEST:,.0f} times its size: choose its foot or its middle, or a larger size",
            limit=f"{_FARTHEST:,.0f} times its size",
            value=p.pivot,
        )
    bodies = [k for k, q in enumerate(pieces) if q.collides]

    def soup(which: list[int]) -> Soup:
        return gather([pieces[k] for k in which], [places[k] - origin for k in which])

    return soup(seen), soup(bodies) if bodies else None


def mended(p: MendParameters, soup: Soup) -> Soup:
    """`soup` with what `p` asks to be put right."""
    soup = without_flat(soup)
    if p.outwards:
        soup = turned_outwards(soup)
    if p.holes:
        soup = closed(soup)
    if not len(soup.faces):
        raise FormatError("no triangle of the mesh has an area")
    return covered(soup, p.crease, p.repeat, p.normals, p.coordinates)


def _swaying(p: ImportParameters, mesh: Mesh, materials: dict[str, Material], seed: int) -> Mesh:
    """`mesh` with wind that grows with the height; each connected part has a phase of its own by its slot."""
    low, high = mesh.bounds()
    height = max(float(high[1] - low[1]), 1e-6)
    share = ((mesh.positions[:, 1] - low[1]) / height - p.stiff) / (1.0 - p.stiff)
    wind = np.zeros((mesh.vertices, 4), np.float64)
    wind[:, 0] = p.sway * np.maximum(share, 0.0) ** 1.5
    wind[:, 3] = 1.0
    for k, part in enumerate(mesh.parts):
        own = np.unique(mesh.indices[part.first : part.first + part.count])
        wind[own, 1] = float(uniform(np.uint64(seed), _PHASE, np.uint64(k)))
        if materials[part.material].cutout:
            wind[own, 2] = p.flutter * p.sway
    return replace(mesh, wind=np.rint(wind * 255).astype(np.uint8))


def _nodes(model: Model, piece: Int64) -> tuple[Named, ...]:
    """The runs of triangles that belong to one piece each."""
    seen = [q for q in model.pieces if not q.collides]
    ends = np.flatnonzero(np.diff(piece)) + 1
    first = np.concatenate([[0], ends])
    count = np.diff(np.concatenate([first, [len(piece)]]))
    return tuple(
        Named(seen[int(piece[f])].name, int(f), int(c), seen[int(piece[f])].extras)
        for f, c in zip(first, count, strict=True)
    )


@kind(
    "mesh",
    "Mesh",
    "A mesh of one's own, from a file.",
    ImportParameters,
    loads="source",
    seeded=False,
    hard=True,
    version=2,
)
def make(p: ImportParameters, seed: int, detail: int, load: Load) -> Product:
    """A mesh that was read from a file."""
    if not p.source:
        raise ParameterError("source", "no file has been chosen", limit="a file that was read")
    model = unpack(load(p.source))
    came, bodies = placed(p, model)
    faults = faults_of(came)
    soup = mended(p.mend, came)
    slots = slots_of(model)
    mesh, piece = mesh_of(soup, slots)
    materials = {
        slot: material_of(p, covering, k, slot, load)
        for k, (slot, covering) in enumerate(zip(slots, model.coverings, strict=True))
        if any(part.material == slot for part in mesh.parts)
    }
    if p.sway:
        mesh = _swaying(p, mesh, materials, seed)
    nodes = _nodes(model, piece)
    body = body_of(p.game, soup, bodies)
    if detail:
        share = (p.second, p.third)[detail - 1]
        mesh, nodes = simplified(mesh, max(_LEAST, round(share * mesh.triangles))), ()
    far = float(np.hypot(soup.positions[:, 0], soup.positions[:, 2]).max())
    foot = soup.positions[:, 1] <= 0.15 * float(soup.positions[:, 1].max()) + 1e-6
    near = float(np.hypot(soup.positions[foot, 0], soup.positions[foot, 2]).max(initial=0.0))
    return Product(
        mesh,
        materials,
        near or far,
        far,
        max(float(mesh.positions[:, 1].max()), 1e-3),
        body.collider,
        p.game,
        counts={
            "triangles": mesh.triangles,
            "flat": faults.flat,
            "inwards": faults.inwards,
            "open edges": faults.open_edges,
            "crossed": faults.crossed,
            "bare": faults.bare,
            "unmapped": faults.unmapped,
            **({} if body.volume is None else {"volume": body.volume}),
            **({"covered": body.covered} if body.collider.count else {}),
        },
        nodes=nodes,
    )
