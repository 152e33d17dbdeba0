"""A group: several assets as one, each where it was put: a fallen stem with its ferns, a punt with its poles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any

import numpy as np
from pydantic import Field
from scipy.spatial.transform import Rotation

from plough.core.arrays import Float32, Float64, UInt32
from plough.core.collider import Capsule, Collider, GameParameters
from plough.core.formats.images import Load, with_images
from plough.core.kinds import Product, get_kind, kind, no_files
from plough.core.mesh.material import Material
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part, join
from plough.core.parameters import Id, Parameters, Seed, Up, build, section
from plough.core.progress import part_of
from plough.core.vectors import rotations

MOST_PARTS = 64  #: of one group
_SPECK = 0.002  # metres
_Metres = Annotated[float, Field(ge=-100, le=100)]


class LentPart(Parameters):
    """One asset that something is made of."""

    id: Id
    asset: Id = Field(description="An asset of the scene; it may be a group.")
    seed: Seed = 1
    lent: dict[str, Any] = Field(
        default_factory=dict, description="What its asset is made from; filled in by the scene."
    )


class GroupPart(LentPart):
    """One asset of a group, and how it stands in it."""

    at: tuple[_Metres, _Metres, _Metres] = Field(
        (0.0, 0.0, 0.0), description="Metres to the right, up and to the front."
    )
    turn: float = Field(0.0, ge=0, le=360, description="Degrees clockwise, seen from above.")
    up: Up = Field(
        (0.0, 0.0),
        description="Right and front parts of the direction that is up for it; 2 long is upside down.",
    )
    size: float = Field(1.0, ge=0.05, le=20)
    tall: float = Field(1.0, ge=0.05, le=20, description="Its height, besides its size.")


def parts_field(
    help: str, most: int = MOST_PARTS, control: str = "parts", group: str = "Parts"
) -> Any:
    """Field of the assets that something is of."""
    return Field(
        (),
        max_length=most,
        title="Parts",
        description=help,
        json_schema_extra={"control": control, "unit": "", "group": group, "parts": True},
    )


class GroupParameters(Parameters):
    """Several assets as one."""

    parts: tuple[GroupPart, ...] = parts_field("The assets of the group, each where it stands.")
    game: GameParameters = section(GameParameters(), "Game", "Game")


@kind(
    "group",
    "Group",
    "Several assets as one: set down, scattered and baked together.",
    GroupParameters,
    seeded=False,
    hard=True,
    fetches=True,
    parts="stand",
    version=2,
)
def make(p: GroupParameters, seed: int, detail: int, load: Load = no_files) -> Product:
    """All parts as one mesh; what stands for an asset that is not there is left out."""
    materials: dict[str, Material] = {}
    made = standing(p.parts, materials, detail, load)
    if not made:
        return empty(p.game)
    mesh = by_slot(join(alike([m.mesh for m in made])))
    across = np.hypot(mesh.positions[:, 0], mesh.positions[:, 2])
    pieces = tuple(piece for m in made for piece in m.collider.pieces)
    rods = tuple(c for m in made for c in m.collider.capsules)
    collider = Collider(rods, pieces, p.game.movement, p.game.camera, p.game.shots)
    return Product(
        mesh,
        materials,
        max(m.footprint_radius for m in made),
        float(across.max()),
        max(0.01, float(mesh.positions[:, 1].max())),
        Collider() if p.game.collider == "none" else collider,
        p.game,
        tuple(lamp for m in made for lamp in m.lamps),
        {"parts": len(made)},
    )


def standing(
    parts: Sequence[GroupPart], materials: dict[str, Material], detail: int, load: Load
) -> list[Product]:
    """What parts are, each where it stands; their materials are added to `materials`, under names of their own."""
    there = sorted((q for q in parts if q.lent), key=lambda q: (q.asset, q.seed, q.id))
    made = []
    for k, q in enumerate(there):
        with part_of(k / len(there), (k + 1) / len(there)):
            made.append(_placed(part_made(q, detail, load), q, materials))
    return made


def empty(game: GameParameters) -> Product:
    """What has no parts."""
    return Product(_nothing(), {"nothing": Material("nothing")}, 0.0, 0.01, 0.01, game=game)


def _nothing() -> Mesh:
    """A speck: a group without parts is there, and seen by nobody."""
    corners = np.array([[0, 0, 0], [0, 0, 1], [1, 0, 0]], np.float32) * np.float32(_SPECK)
    up = np.tile(np.array([0, 1, 0], np.float32), (3, 1))
    face, uv = np.array([[0, 1, 2]], np.uint32), corners[:, [0, 2]] / np.float32(_SPECK)
    return Mesh(corners, up, uv, face, (Part("nothing", 0, 1),))


def part_made(part: LentPart, detail: int, load: Load, field: str = "parts") -> Product:
    """What a part is, in its own coordinates."""
    found = get_kind(part.lent["kind"])
    parameters = build(found.parameters, part.lent["parameters"], field)
    level = min(detail, found.levels - 1)
    files = (load,) if found.loads or found.fetches else ()
    product = found.make(parameters, part.seed, level, *files)
    images = part.lent.get("images")
    return (
        replace(product, materials=with_images(product.materials, images, load))
        if images
        else product
    )


def _placed(product: Product, part: GroupPart, materials: dict[str, Material]) -> Product:
    """A product where it stands in the group; its materials are added to `materials`, under names of their own."""
    q = rotations(np.radians([180.0 + part.turn]), np.array([part.up]))[0]
    size = part.size * np.array([1.0, part.tall, 1.0])
    own = with_own_names(product, part.asset, part.seed, materials)
    return posed(own, np.array(part.at), q, size)


def with_own_names(
    product: Product, asset: str, seed: int, materials: dict[str, Material]
) -> Product:
    """`product` with slots named after its asset; its materials are added to `materials`."""
    names = {}
    for slot, material in product.materials.items():
        name = f"{asset} {slot}"
        if materials.setdefault(name, material) != material:
            name = f"{asset} {seed} {slot}"
            materials.setdefault(name, material)
        names[slot] = name
    parts = tuple(replace(x, material=names[x.material]) for x in product.mesh.parts)
    return replace(product, mesh=replace(product.mesh, parts=parts))


def posed(
    product: Product, at: Float64 | Float32, q: Float64 | Float32, size: Float64 | Float32
) -> Product:
    """A product moved to `at` (3,) metres, turned by the quaternion `q` (4,) xyzw, `size` (3,) times as large along its own axes."""
    turn = Rotation.from_quat(q.astype(np.float64))
    at, size = at.astype(np.float64), size.astype(np.float64)
    about = float(max(size[0], size[2]))
    mesh = product.mesh

    def moved(points: Float32 | Float64) -> Float32:
        return np.asarray(turn.apply(points.astype(np.float64) * size) + at, np.float32)

    def swung(directions: Float32, by: Float64) -> Float32:
        out = turn.apply(directions.astype(np.float64) * by)
        long = np.linalg.norm(out, axis=1, keepdims=True)
        return np.asarray(out / np.maximum(long, 1e-9), np.float32)

    tangents = mesh.tangents
    if tangents is not None:
        tangents = np.concatenate([swung(tangents[:, :3], size), tangents[:, 3:]], axis=1)
    whole = replace(
        mesh,
        positions=moved(mesh.positions),
        normals=swung(mesh.normals, 1.0 / size),
        tangents=tangents,
        uv1=None,
    )
    rods = tuple(
        Capsule(
            _triple(moved(np.array([c.start]))[0]),
            _triple(moved(np.array([c.end]))[0]),
            c.radius * about,
        )
        for c in product.collider.capsules
    )
    pieces = tuple(moved(piece) for piece in product.collider.pieces)
    lamps = tuple(
        replace(x, position=_triple(moved(np.array([x.position]))[0]), radius=x.radius * about)
        for x in product.lamps
    )
    return replace(
        product,
        mesh=whole,
        footprint_radius=product.footprint_radius * about + float(np.hypot(at[0], at[2])),
        collider=replace(product.collider, capsules=rods, pieces=pieces),
        lamps=lamps,
    )


def by_slot(mesh: Mesh) -> Mesh:
    """The triangles of each slot together, so that each is drawn once."""
    runs: dict[str, list[UInt32]] = {}
    for part in mesh.parts:
        faces = mesh.indices[part.first : part.first + part.count]
        runs.setdefault(part.material, []).append(faces)
    indices = {slot: np.concatenate(found) for slot, found in runs.items()}
    parts, first = [], 0
    for slot, faces in indices.items():
        parts.append(Part(slot, first, len(faces)))
        first += len(faces)
    return replace(mesh, indices=np.concatenate(list(indices.values())), parts=tuple(parts))


def _triple(p: Float32) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])


def alike(meshes: list[Mesh]) -> list[Mesh]:
    """Meshes that all have the channels that one of them has: stiff, untinted, with tangents."""
    out = []
    for mesh in meshes:
        changed = mesh
        if any(m.tangents is not None for m in meshes) and mesh.tangents is None:
            changed = with_tangents(changed)
        if any(m.colors is not None for m in meshes) and mesh.colors is None:
            changed = replace(changed, colors=changed.tint)
        if any(m.wind is not None for m in meshes) and mesh.wind is None:
            still = np.tile(np.array([0, 0, 0, 255], np.uint8), (mesh.vertices, 1))
            changed = replace(changed, wind=still)
        out.append(changed)
    return out
