"""Buildings: a body of storeys, façades in cells filled from a kit of pieces, and roofs over any plan."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from plough.core.arrays import Float32, Float64
from plough.core.build.group import alike, by_slot, parts_field
from plough.core.build.hulled import SolidGame, hull_collider
from plough.core.build.own_pieces import MOST_OWN, OwnPiece, hung_up, kit_with
from plough.core.collider import Collider
from plough.core.errors import ParameterError
from plough.core.formats.images import Load
from plough.core.grow.lamina import SIZES, TextureSize
from plough.core.house.body import (
    MOST_STOREYS,
    BodyName,
    FaceOf,
    Pull,
    RoofName,
    RoofRule,
    Storey,
    Wing,
    blocks_of,
    covered_of,
    outline,
    storeys_of,
)
from plough.core.house.facade import Cell, Edit, Filling
from plough.core.house.far import far_of, roofs_of
from plough.core.house.kits import COVERINGS, KITS, ROLES, Kit, KitName, RoleName
from plough.core.house.raised import Footing, Raised, base_of, raised
from plough.core.house.roofed import RoofLook
from plough.core.kinds import Base, Facing, Filled, Product, kind, no_files
from plough.core.matters import Matters, above, among, either
from plough.core.mesh.convex import convex_pieces
from plough.core.mesh.material import Material
from plough.core.mesh.value import join
from plough.core.parameters import (
    Id,
    Parameters,
    Point,
    Seed,
    choice,
    count,
    flag,
    number,
    section,
    seeded,
)
from plough.core.rng import seed_for

_SLOPED: tuple[RoofName, ...] = ("gable", "hip", "half", "shed", "mansard")
_COMPASS = (
    "north",
    "north-east",
    "east",
    "south-east",
    "south",
    "south-west",
    "west",
    "north-west",
)
MOST_WINGS = 6
MOST_EDITS = 200
_SOFT = {"thatch", "turf"}  # coverings that are seen at the eaves


class WingParameters(Parameters):
    """What is built on to an edge of the plan."""

    id: Id
    edge: str = Field("w2", max_length=64, description="That it is built on to.")
    at: float = Field(0.5, ge=0, le=1, description="Along the edge.")
    wide: float = Field(4.0, ge=0.6, le=60, description="Metres along the edge.")
    deep: float = Field(3.0, ge=0.3, le=60, description="Metres out.")
    storeys: int = Field(1, ge=1, le=MOST_STOREYS)


class CellEdit(Parameters):
    """A cell that is filled by hand."""

    cell: int = Field(ge=0, le=200, description="From the left.")
    piece: str = Field("", max_length=40, description="Of the kit; nothing: none.")


class FaceEdit(Parameters):
    """What is done to one face by hand."""

    id: str = Field(
        max_length=64, description="Its edge and its storey: w0-1; of a gable: w1-gable0."
    )
    role: RoleName | None = None
    out: float = Field(0.0, ge=-20, le=20, description="Metres that it is pulled out.")
    splits: tuple[Annotated[float, Field(ge=0, le=200)], ...] = Field(
        (), max_length=60, description="Metres from its left where cells end."
    )
    cells: tuple[CellEdit, ...] = Field((), max_length=60)


class RoleParameters(Parameters):
    """How the faces of a role are filled."""

    wide: float = number(
        0.0,
        "Cells wide about",
        (0, 20),
        soft=(0, 5),
        unit="m",
        step=0.05,
        help="0: as the kit has it.",
    )
    filled: float = number(100, "Filled", (0, 200), unit="%", step=1, help="Of what the kit fills.")
    stretched: bool = flag(True, "Pieces as wide as their cells")
    seed: Seed = seeded()


class BuildingGame(SolidGame):
    """What a building brings for a game."""

    collider: Literal["none", "each", "convex"] = choice(  # type: ignore[assignment]
        "each",
        "Collider",
        {
            "none": "None",
            "each": "Convex pieces, storey by storey, and of the roofs",
            "convex": "One hull",
        },
    )
    impostor: Literal["shell", "crossed", "eight"] = choice(  # type: ignore[assignment]
        "shell",
        "Farthest level",
        {
            "shell": "A few faces with its look on them",
            "crossed": "Two crossed cards",
            "eight": "Four cards, eight views",
        },
        help="Drawn from the asset itself.",
    )


class BuildingParameters(Parameters):
    """A building."""

    stages: ClassVar[tuple[str, ...]] = ("Body", "Faces", "Roof", "Footing", "Kit", "Game")
    matters: ClassVar[Matters] = {
        "long": among("body", "long", "ell", "tee", "court", "round"),
        "wide": among("body", "long", "ell", "tee", "court"),
        "wing": among("body", "ell", "tee", "court"),
        "corners": among("body", "drawn"),
        "upper setback jetty from_storey above.*": above("storeys", 1),
        "from_storey": either(above("setback"), above("jetty")),
        "pitch overhang thick ridge chimneys dormers covering": among("roof", *_SLOPED),
        "verge gable_lights": among("roof", "gable", "half", "shed"),
        "parapet": among("roof", "flat"),
    }

    body: BodyName = choice(
        "long",
        "Body",
        {
            "long": "Long house",
            "ell": "Two wings in an angle",
            "tee": "With a wing behind",
            "court": "About a yard",
            "round": "Round",
            "drawn": "As drawn",
        },
        group="Body",
    )
    long: float = number(9.0, "Long", (1.5, 120), soft=(3, 30), unit="m", step=0.1, group="Body")
    wide: float = number(5.4, "Wide", (1.5, 60), soft=(3, 14), unit="m", step=0.1, group="Body")
    wing: float = number(4.6, "Wings", (1.0, 60), soft=(2, 12), unit="m", step=0.1, group="Body")
    corners: tuple[Point, ...] = Field(
        (),
        max_length=60,
        description="Of what is drawn, east and south.",
        json_schema_extra={"control": "plan", "unit": "m", "group": "Body"},
    )
    wings: tuple[WingParameters, ...] = Field(
        (),
        max_length=MOST_WINGS,
        description="Built on to edges.",
        json_schema_extra={"control": "wings", "unit": "m", "group": "Body"},
    )
    storeys: int = count(1, "Storeys", (1, MOST_STOREYS), group="Body")
    ground: float = number(
        2.5, "Ground floor", (1.6, 12), soft=(2, 6), unit="m", step=0.05, group="Body"
    )
    upper: float = number(
        2.4, "Upper floors", (1.6, 12), soft=(2, 5), unit="m", step=0.05, group="Body"
    )
    setback: float = number(
        0.0,
        "Set back",
        (0, 6),
        soft=(0, 2),
        unit="m",
        step=0.05,
        group="Body",
        help="Each storey behind the one below.",
    )
    jetty: float = number(
        0.0,
        "Stands out",
        (0, 1.5),
        soft=(0, 0.8),
        unit="m",
        step=0.05,
        group="Body",
        help="Each storey over the one below.",
    )
    from_storey: int = count(1, "From storey", (1, MOST_STOREYS - 1), group="Body")
    door: float = number(0.5, "Door", (0, 1), group="Faces", help="Along the front.")
    front: RoleParameters = section(RoleParameters(), "Front", "Faces")
    lower: RoleParameters = section(RoleParameters(), "Ground floor", "Faces")
    above: RoleParameters = section(RoleParameters(), "Upper floors", "Faces")
    cornice: float = number(
        0.0,
        "Cornice",
        (0, 0.8),
        soft=(0, 0.4),
        unit="m",
        step=0.01,
        group="Faces",
        help="High, under the eaves or the parapet; none below 2 cm.",
    )
    gable_lights: bool = flag(True, "Windows in gables", group="Faces")
    faces: tuple[FaceEdit, ...] = Field(
        (),
        max_length=MOST_EDITS,
        description="What is done to faces by hand.",
        json_schema_extra={"control": "faces", "unit": "", "group": "Faces"},
    )
    roof: RoofName = choice(
        "gable",
        "Form",
        {
            "gable": "Gables",
            "hip": "Hips",
            "half": "Half hips",
            "shed": "To one side",
            "mansard": "Steep below, flat above",
            "flat": "Flat",
        },
        group="Roof",
    )
    pitch: float = number(45, "Pitch", (8, 75), unit="°", step=1, group="Roof")
    overhang: float = number(
        0.4, "Eaves stand out", (0, 3), soft=(0, 1.2), unit="m", step=0.02, group="Roof"
    )
    verge: float = number(
        0.25, "Gables overhang", (0, 2), soft=(0, 0.8), unit="m", step=0.02, group="Roof"
    )
    thick: float = number(
        0.0,
        "Thick",
        (0, 1),
        soft=(0, 0.6),
        unit="m",
        group="Roof",
        help="0: as its covering has it.",
    )
    covering: str = choice(
        "kit",
        "Covered with",
        {
            "kit": "As the kit has it",
            "tiles": "Tiles",
            "shingles": "Shingles",
            "thatch": "Thatch",
            "turf": "Turf",
            "boards": "Boards",
        },
        group="Roof",
    )
    ridge: bool = flag(True, "Ridges are capped", group="Roof")
    chimneys: int = count(1, "Chimneys", (0, 3), group="Roof")
    dormers: int = count(0, "Dormers", (0, 12), group="Roof")
    parapet: float = number(0.6, "Parapet", (0, 3), soft=(0, 1.5), unit="m", group="Roof")
    footing: float = number(
        0.35, "Above the ground", (0, 4), soft=(0, 1.5), unit="m", group="Footing"
    )
    footing_out: float = number(
        0.08, "Stands out", (0, 1), soft=(0, 0.4), unit="m", group="Footing"
    )
    deep: float = number(
        0.8,
        "Goes down",
        (0.1, 12),
        soft=(0.3, 4),
        unit="m",
        group="Footing",
        help="Below the ground.",
    )
    kit: KitName = choice("timber", "Kit", {name: k.title for name, k in KITS.items()}, group="Kit")
    pieces: tuple[OwnPiece, ...] = parts_field(
        "Assets that fill cells beside the kit's pieces, or in place of them.",
        MOST_OWN,
        "pieces",
        "Kit",
    )
    texture_size: TextureSize = choice("512", "Texture size", SIZES, group="Kit")
    game: BuildingGame = section(BuildingGame(), "Game", "Game")


_GABLE = re.compile(r"gable\d{1,2}(\.\d)?")  # of a face's id
_NARROWEST = 0.3  #: metres of a cell; below, it is as wide as the kit has it
_THINNEST = (
    0.02  #: metres of a roof, below which it is as thick as its covering has it; of a parapet
)
_THICK: dict[str, float] = {
    "thatch": 0.34,
    "turf": 0.28,
    "tiles": 0.12,
    "shingles": 0.09,
    "boards": 0.07,
}


def _once(field: str, ids: list[str]) -> None:
    for k, name in enumerate(ids):
        if name in ids[:k]:
            raise ParameterError(
                f"{field}.{k}.id", f"{name} is there twice; each is told once", value=name
            )


def storeys(p: BuildingParameters) -> list[Storey]:
    """The storeys of a building."""
    _once("wings", [w.id for w in p.wings])
    _once("faces", [f.id for f in p.faces])
    base = outline(p.body, p.long, p.wide, p.wing, p.corners)
    wings = [Wing(w.id, w.edge, w.at, w.wide, w.deep, w.storeys) for w in p.wings]
    pulls = []
    for k, f in enumerate(p.faces):
        edge, _, storey = f.id.rpartition("-")
        gable = _GABLE.fullmatch(storey) is not None
        if not edge or not (storey.isdigit() or gable):
            raise ParameterError(
                f"faces.{k}.id",
                "names no face: an edge, a dash and a storey, as w0-1, or a gable, as w1-gable0",
                value=f.id,
            )
        if gable:
            for field in ("out", "splits", "role"):
                if getattr(f, field):
                    raise ParameterError(
                        f"faces.{k}.{field}", "a gable has its cell filled only", value=f.id
                    )
            continue
        pulls.append(Pull(edge, int(storey), f.out))
    heights = [p.ground, *([p.upper] * (p.storeys - 1))]
    return storeys_of(base, p.footing, heights, wings, pulls, p.setback - p.jetty, p.from_storey)


def _fillings(p: BuildingParameters, k: Kit, seed: int) -> dict[RoleName, Filling]:
    own: dict[RoleName, RoleParameters] = {"front": p.front, "lower": p.lower, "upper": p.above}
    out: dict[RoleName, Filling] = {}
    for name, mine in own.items():
        role = k.roles[name]
        wide = mine.wide if mine.wide >= _NARROWEST else role.wide
        filled = min(1.0, role.filled * mine.filled / 100.0)
        own_seed = int(seed_for(seed, f"house {mine.seed}"))
        out[name] = Filling(replace(role, wide=wide, filled=filled), own_seed, mine.stretched)
    lights = k.roles["gable"] if p.gable_lights else replace(k.roles["gable"], pieces=())
    out["gable"] = Filling(lights, 1, True)
    return out


def _edits(p: BuildingParameters, k: Kit) -> dict[str, Edit]:
    out = {}
    own_names = {q.called for q in p.pieces}
    for n, f in enumerate(p.faces):
        for m, c in enumerate(f.cells):
            if (
                c.piece
                and c.piece not in own_names
                and not any(c.piece in kit.pieces for kit in KITS.values())
            ):
                known = ", ".join(k.pieces)
                raise ParameterError(
                    f"faces.{n}.cells.{m}.piece",
                    f"no kit has a piece {c.piece!r}; this one has {known}",
                    limit=known,
                    value=c.piece,
                )
        # what another kit calls so waits until that kit is back
        own = {c.cell: c.piece for c in f.cells if not c.piece or c.piece in k.pieces}
        out[f.id] = Edit(f.role, f.splits, own)
    return out


def _roof(p: BuildingParameters, k: Kit) -> tuple[RoofRule, RoofLook]:
    """How its roofs are made, and what lies on them."""
    covering = k.covering if p.covering == "kit" else p.covering
    look = RoofLook(
        p.thick if p.thick >= _THINNEST else _THICK[covering],
        p.parapet if p.parapet >= _THINNEST else 0.0,
        p.chimneys,
        p.dormers,
        p.ridge,
    )
    return RoofRule(p.roof, math.radians(p.pitch), p.overhang, p.verge), look


def made_of(
    p: BuildingParameters, seed: int, detail: int, kit: Kit | None = None
) -> tuple[Raised, list[Storey]]:
    """A building's triangles, and its storeys; `kit` is that of its name, with pieces of its own.

    Raises:
        ParameterError: its plan would cross itself, or names what is not there.
    """
    k = kit or KITS[p.kit]
    own = storeys(p)
    rule, look = _roof(p, k)
    made = raised(
        own,
        covered_of(own, rule),
        k,
        _fillings(p, k, seed),
        _edits(p, k),
        Footing(p.footing, p.footing_out, p.deep),
        look,
        p.door,
        seed,
        detail,
        p.cornice if p.cornice >= _THINNEST else 0.0,
    )
    return made, own


_ROOF = 5  #: convex pieces of a roof, at most


def _materials(
    p: BuildingParameters, used: set[str]
) -> tuple[dict[str, Material], dict[str, float]]:
    k = KITS[p.kit]
    covers = dict(k.covers)
    if p.covering != "kit" and p.roof != "flat":
        covers["roof"] = covers["cap"] = COVERINGS[p.covering]  # type: ignore[index]
    covering = k.covering if p.covering == "kit" or p.roof == "flat" else p.covering
    covers["fascia"] = covers["roof" if covering in _SOFT else "timber"]
    materials, repeats = {}, {}
    for slot in sorted(used):
        cover_ = covers[slot]
        materials[slot] = cover_.material(slot, int(p.texture_size))
        repeats[slot] = cover_.repeat
    return materials, repeats


def _collider(
    p: BuildingParameters, own: list[Storey], roofs: list[Float64], points: Float32
) -> Collider:
    if p.game.collider != "each":
        return hull_collider(p.game, points)  # type: ignore[arg-type]
    return Collider(
        pieces=(
            *(piece for s in own for piece in blocks_of(s)),
            *(piece for roof in roofs for piece in convex_pieces(roof, _ROOF)),
        ),
        movement=p.game.movement,
        camera=p.game.camera,
        shots=p.game.shots,
    )


@kind(
    "building",
    "Building",
    "Storeys over a plan, faces in cells filled from a kit of pieces, a roof over any of it.",
    BuildingParameters,
    hard=True,
    based=True,
    fetches=True,
    parts="fill",
    version=6,
)
def make(p: BuildingParameters, seed: int, detail: int, load: Load = no_files) -> Product:
    """A building; its front faces south."""
    _once("pieces", [q.called for q in p.pieces])
    kit, things = kit_with(KITS[p.kit], p.pieces, load)
    made, own = made_of(p, seed, detail, kit)
    rule, look = _roof(p, kit)
    if made.why:
        raise ParameterError("roof", f"cannot be made over this plan: {made.why[0]}", value=p.roof)
    edges: dict[str, int] = {}
    for f in made.faces:
        edges.setdefault(f.edge, len(edges))
    materials, repeats = _materials(p, made.soup.slots)
    mesh = made.soup.mesh(repeats)
    hung = hung_up(made.soup.hung, things, materials, seed, detail, load)
    if hung:
        mesh = by_slot(join(alike([mesh, *(x.mesh for x in hung)])))
    at = mesh.positions
    foot = own[0].ring.corners
    radius = float(np.hypot(foot[:, 0], foot[:, 1]).max())
    cells = [c for cs in made.cells.values() for c in cs]
    openings = sum(c.piece is not None and c.piece.open for c in cells)
    return Product(
        mesh,
        materials,
        footprint_radius=radius,
        canopy_radius=float(np.hypot(at[:, 0], at[:, 2]).max()),
        height=float(at[:, 1].max()),
        collider=_collider(p, own, [] if detail else roofs_of(covered_of(own, rule), look), at),
        game=p.game,
        lamps=tuple(lamp for x in hung for lamp in x.lamps),
        counts={"faces": len(made.faces), "openings": openings, "triangles": mesh.triangles},
        faces=tuple(
            _facing(p, kit, f, made.cells[f.id], made.outlines.get(f.id, ()))
            for f in sorted(made.faces, key=lambda f: edges[f.edge])
        ),
        base=Base(
            base_of(own[0].ring, p.footing_out), p.deep, materials["plinth"], repeats["plinth"]
        ),
        far=lambda: far_of(own, covered_of(own, rule), look, p.deep, seed),
        fillings={
            "pieces": tuple(kit.pieces),
            "kit": tuple(KITS[p.kit].pieces),
            "roles": ROLES[:3],
        },
    )


def _facing(
    p: BuildingParameters,
    kit: Kit,
    face: FaceOf,
    cells: list[Cell],
    outline: tuple[tuple[float, float], ...],
) -> Facing:
    edit = next((f for f in p.faces if f.id == face.id), FaceEdit(id=face.id))
    known = kit.pieces
    by_hand = {c.cell for c in edit.cells if not c.piece or c.piece in known}
    found = []
    for c in cells:
        opening = None
        if c.piece is not None and c.piece.open:
            opening = c.opening
        found.append(Filled(c.start, c.end, c.name, opening, c.number in by_hand))
    return Facing(
        face.id,
        face.edge,
        face.storey,
        edit.role or face.role,
        _COMPASS[round(math.degrees(math.atan2(face.out[0], face.out[1])) / 45.0) % 8],
        (float(face.origin[0]), -float(face.origin[1])),
        (float(face.way[0]), -float(face.way[1])),
        float(face.origin[2]),
        face.wide,
        face.high,
        edit.out,
        tuple(found),
        outline,
    )
