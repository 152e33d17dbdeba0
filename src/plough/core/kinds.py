"""The kinds of asset: each registers itself with one decorator."""

from __future__ import annotations

import importlib
import math
import pkgutil
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any, Literal

from plough.core.arrays import Float64
from plough.core.collider import Collider, GameParameters
from plough.core.errors import FormatError, ParameterError
from plough.core.foot import with_foot
from plough.core.formats.images import Load
from plough.core.lamp import SLOT, Lamp, globe_material, globe_mesh, lamps_of
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, Named, join
from plough.core.parameters import Parameters, build


def no_files(name: str) -> bytes:
    """Has none."""
    raise FormatError(f"the file {name} is not here; give it along with the document")


@dataclass(frozen=True, slots=True)
class Filled:
    """A part of a face, over its whole height, and what fills it."""

    start: float  #: metres from the face's left
    end: float
    piece: str  #: "" for none
    opening: tuple[float, float, float, float] | None  #: left, right, low and high, metres
    by_hand: bool


@dataclass(frozen=True, slots=True)
class Facing:
    """An upright face, as it is drawn in an elevation: seen from outside."""

    id: str
    edge: str  #: of the plan
    storey: int
    role: str
    looks: str  #: to which side, by the compass
    at: tuple[float, float]  #: metres east and south of its left end
    way: tuple[float, float]  #: from there to its right, a unit vector east and south
    low: float  #: metres up
    wide: float
    high: float
    out: float  #: metres that it is pulled out by hand
    cells: tuple[Filled, ...]
    outline: tuple[tuple[float, float], ...] = ()  #: of a gable: metres to its right and up


@dataclass(frozen=True, eq=False, slots=True)
class Base:
    """What a building's footing goes on as, where the ground is lower than it reaches."""

    outline: Float64  #: (n, 2) metres east and north, counter-clockwise seen from above
    deep: float  #: metres below its origin that the footing itself reaches
    material: Material
    repeat: float  #: metres of one repeat of its texture


@dataclass(frozen=True, slots=True)
class Product:
    """What a kind makes of parameters and a seed at one level of detail."""

    mesh: Mesh
    materials: dict[str, Material]  #: by slot
    footprint_radius: float  #: metres, of what stands on the ground
    canopy_radius: float  #: metres, of the whole seen from above
    height: float  #: metres
    collider: Collider = field(default_factory=Collider)
    game: GameParameters = field(default_factory=GameParameters)
    lamps: tuple[Lamp, ...] = ()
    counts: dict[str, int] = field(default_factory=dict)  #: what was grown, by name
    measures: dict[str, float] = field(default_factory=dict)  #: metres, by name
    ranges: dict[str, tuple[int, int]] = field(
        default_factory=dict
    )  #: first triangle and number of triangles of each named element
    changed: dict[str, tuple[float, float]] = field(
        default_factory=dict
    )  #: what a dial did to other parameters: before and after
    faces: tuple[Facing, ...] = ()  #: those that are filled, edge by edge
    fillings: dict[str, tuple[str, ...]] = field(
        default_factory=dict
    )  #: what may fill a face: pieces, and roles
    far: Callable[[], Mesh] | None = (
        None  #: makes a few faces in its place, on which its look is baked where its farthest level is a shell
    )
    nodes: tuple[Named, ...] = ()  #: what the nearest level was called, piece by piece
    base: Base | None = None


Make = Callable[..., Product]

LEVELS = 3  #: levels of detail that most kinds make: near, middle, far


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of asset."""

    name: str
    title: str
    summary: str  #: one line
    parameters: type[Parameters]
    make: Make
    version: int  #: raised when the same parameters make another mesh
    levels: int = LEVELS  #: levels of detail that it makes
    impostor: bool = True  #: whether a picture of it serves as one more level, the farthest
    loads: str = ""  #: the parameter that holds the hash of the file that it is made from, if it is
    seeded: bool = True  #: whether seeds make it differ
    fetches: bool = False  #: whether it is given files for what is lent to it
    hard: bool = False  #: whether others can be set down on its faces
    based: bool = False  #: whether it has a footing that must reach the ground all about
    parts: Literal["", "stand", "fuse", "heap", "cover", "fill"] = (
        ""  #: what it does with its parts, if it has any
    )
    fills: bool = False  #: whether buildings draw it in their walls, in their own colours
    slow: bool = False  #: whether it tells how far it is, as it may take seconds


_KINDS: dict[str, Kind] = {}


def with_lamps(product: Product, detail: int) -> Product:
    """`product` with the lamps that its parameters ask for besides, and a globe about each."""
    lamps = lamps_of(product.game.lamp)
    out = replace(product, lamps=(*product.lamps, *lamps))
    for lamp in (x for x in lamps if x.radius):
        globe = globe_mesh(lamp, detail, product.mesh)
        x, y, z = lamp.position
        out = replace(
            out,
            mesh=join([out.mesh, globe]),
            materials={**out.materials, SLOT: globe_material(lamp)},
            nodes=(*out.nodes, Named("lamp", out.mesh.triangles, globe.triangles))
            if out.nodes
            else (),
            ranges={**out.ranges, "lamp": (out.mesh.triangles, globe.triangles)},
            height=max(out.height, y + lamp.radius),
            canopy_radius=max(out.canopy_radius, math.hypot(x, z) + lamp.radius),
        )
    return out


def kind(
    name: str,
    title: str,
    summary: str,
    parameters: type[Parameters],
    version: int = 1,
    **more: Any,
) -> Callable[[Make], Make]:
    """Register the decorated ``make(parameters, seed, detail) -> Product`` as the kind `name`.

    Args:
        more: other fields of `Kind`: `levels`, `impostor`, `seeded`, `hard`, `based`, `parts`, `fills`, `slow`, `loads` or `fetches` (then `make` is also given a `Load`).
    """

    def register(make: Make) -> Make:
        def lit(p: Any, seed: int, detail: int, load: Load = no_files) -> Product:
            files = (load,) if more.get("loads") or more.get("fetches") else ()
            made = make(p, seed, detail, *files)
            mesh = with_foot(made.mesh, made.materials, made.game.foot)
            return with_lamps(replace(made, mesh=mesh), detail)

        _KINDS[name] = Kind(name, title, summary, parameters, lit, version, **more)
        return make

    return register


@cache
def _discovered() -> dict[str, Kind]:
    for package in ("plough.core.grow", "plough.core.build"):
        for module in pkgutil.iter_modules(importlib.import_module(package).__path__):
            importlib.import_module(f"{package}.{module.name}")
    return dict(sorted(_KINDS.items()))


def all_kinds() -> dict[str, Kind]:
    """Every kind by name."""
    return _discovered()


def get_kind(name: str) -> Kind:
    """The kind called `name`. Raises `ParameterError` naming the known ones."""
    try:
        return _discovered()[name]
    except KeyError:
        known = ", ".join(_discovered())
        raise ParameterError(
            "kind", f"there is no asset kind {name!r}; known: {known}", limit=known, value=name
        ) from None


def make(
    kind_name: str,
    parameters: dict[str, Any],
    seed: int,
    detail: int = 0,
    load: Load = no_files,
) -> Product:
    """Make an asset from plain values.

    Args:
        detail: 0 is nearest; the kind's `levels` - 1 farthest.
        load: gives files that were brought along.
    """
    found = get_kind(kind_name)
    if not 0 <= detail < found.levels:
        limit = f"0 to {found.levels - 1}"
        raise ParameterError("detail", f"must be {limit} (got {detail})", limit=limit, value=detail)
    return found.make(build(found.parameters, parameters), seed, detail, load)
