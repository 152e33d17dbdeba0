"""The ground: terrain from noise, from a height map, a mesh or level, with standing water."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import accumulate
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import AfterValidator, Field

from plough.core.arrays import Float32
from plough.core.build.imported import Unit, Upwards, unit_of_file, upwards_of_file
from plough.core.formats.heights import HeightMap, side_of, square_of, unpack_heights
from plough.core.ground.classes import (
    CLASSES,
    MOST_CLASSES,
    MOST_PAINTED,
    GroundClass,
    Painted,
)
from plough.core.ground.erosion import ErosionParameters, Rain, rained_on, slid
from plough.core.ground.heightfield import MOST_SAMPLES, HeightField
from plough.core.ground.strokes import MOST_STROKES, Stroke, shaped
from plough.core.ground.surface import Surface
from plough.core.ground.terrain import TerrainParameters, make_terrain, samples
from plough.core.ground.triangles import TriangleSurface
from plough.core.hashing import key_of
from plough.core.kinds import make as make_asset
from plough.core.matters import Matters, among
from plough.core.mesh.material import Material
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.parameters import choice, flag, number, span, text, within
from plough.core.scene.facets import Output, Solid, solid
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind

_WATER = Material("water", color=(0.02, 0.035, 0.035), roughness=0.12)
_FILE = "Height map"


def _sound(classes: tuple[GroundClass, ...]) -> tuple[GroundClass, ...]:
    keys = [c.key for c in classes]
    twice = next((k for k in keys if keys.count(k) > 1), None)
    if twice is not None:
        raise ValueError(f"the key {twice!r} is used more than once")
    return classes


class GroundParameters(TerrainParameters, ErosionParameters):
    """What the ground is made of, and the water that stands on it."""

    stages: ClassVar[tuple[str, ...]] = (
        "Ground",
        "Terrain",
        _FILE,
        "Mesh",
        "Basin",
        "Erosion",
        "Water",
        "Cover",
    )
    matters: ClassVar[Matters] = {
        "seed relief feature roughness ridges stretch* lean terrace basin* slides repose rain carving settling": among(
            "made_from", "noise"
        ),
        "source as_told heights whole mirror_*": among("made_from", "heights"),
        "heights": among("as_told", False),
        "size resolution": among("made_from", "noise", "heights", "level"),
        "mesh unit up turned times centred outwards dressed": among("made_from", "mesh"),
        "level": among("made_from", "level"),
        "water_level": among("water", True),
    }

    made_from: Literal["noise", "heights", "mesh", "level"] = choice(
        "noise",
        "Made from",
        {
            "noise": "Noise",
            "heights": "A height map",
            "mesh": "A mesh",
            "level": "A level plane",
        },
        group="Ground",
    )
    source: str = text(
        "", "File", most=40, group=_FILE, control="heights", help="What was read, by its hash."
    )
    as_told: bool = flag(
        True,
        "Heights as the file tells them",
        group=_FILE,
        help="Of files that hold metres; shares are spread over the range below.",
    )
    heights: within(-1000, 9000) = span(  # type: ignore[valid-type]
        (0, 60),
        "From black to white",
        (-1000, 9000),
        soft=(-50, 400),
        unit="m",
        step=0.5,
        group=_FILE,
    )
    whole: bool = flag(
        False,
        "All of it",
        group=_FILE,
        help="Where it is no square: all of it, level beyond its edge, in place of the largest square within.",
    )
    mirror_x: bool = flag(False, "West and east changed about", group=_FILE)
    mirror_z: bool = flag(False, "North and south changed about", group=_FILE)
    mesh: str = text(
        "", "File", most=40, group="Mesh", control="file", help="What was read, by its hash."
    )
    unit: Unit = unit_of_file("Mesh")
    up: Upwards = upwards_of_file("Mesh")
    turned: float = number(0, "Turned", (-180, 180), unit="°", step=1, group="Mesh")
    times: float = number(1, "Larger", (0.001, 1000), soft=(0.1, 10), unit="times", group="Mesh")
    centred: bool = flag(
        True, "In the middle of the map", group="Mesh", help="In place of where its file has it."
    )
    outwards: bool = flag(
        False, "Turn triangles outwards", group="Mesh", help="So that neighbours agree."
    )
    dressed: Literal["own", "classes"] = choice(
        "own",
        "Looks like",
        {"own": "Its own materials", "classes": "Grass and soil, by slope"},
        group="Mesh",
    )
    level: float = number(
        0, "Height", (-1000, 9000), soft=(-10, 50), unit="m", step=0.1, group="Ground"
    )
    strokes: tuple[Stroke, ...] = Field(
        (),
        max_length=MOST_STROKES,
        description="Of the brush, in order; each acts on what the ones before have left.",
    )
    classes: Annotated[
        tuple[GroundClass, ...],
        Field(min_length=1, max_length=MOST_CLASSES),
        AfterValidator(_sound),
    ] = Field(
        CLASSES,
        title="Classes",
        description="What it is covered with; each lies over the ones before it.",
        json_schema_extra={"control": "classes", "unit": "", "group": "Cover"},
    )
    painted: tuple[Painted, ...] = Field(
        (), max_length=MOST_PAINTED, description="Classes laid by brush, in order."
    )
    water: bool = flag(False, "Standing water", group="Water")
    water_level: float = number(
        0, "Level", (-1000, 9000), soft=(-10, 20), unit="m", step=0.05, group="Water"
    )


def _begun_with(heights: HeightMap, file: str) -> dict[str, Any]:
    """Parameters of a ground made of a height map that is kept as `file`: its own size where it tells one, a sample for each of its own."""
    size = side_of(heights, False) or min(512.0, min(heights.values.shape) - 1.0)
    size = min(4096.0, max(64.0, size))
    step = min(32.0, max(0.25, size / (min(heights.values.shape) - 1)))
    return {
        "made_from": "heights",
        "source": file,
        "size": round(size, 2),
        "resolution": math.ceil(1e4 * max(step, size / (MOST_SAMPLES - 1))) / 1e4,
        "as_told": heights.metres,
    }


@layer_kind(
    "ground",
    "Ground",
    "The terrain: noise, a height map or a plane, and standing water.",
    GroundParameters,
    place="first",
    gives=("surface", "solids"),
    begun_with=_begun_with,
)
def evaluate(p: GroundParameters, inputs: Inputs) -> Output:
    """The terrain as a surface; water is a solid of its own, so that its level rebuilds nothing."""
    made = {"noise": _noise, "heights": _heights, "mesh": _mesh, "level": _level}
    surface = made[p.made_from](p, inputs)
    if p.strokes:
        surface = _shaped(surface, p.strokes, inputs)
    return Output(
        surface=surface,
        solids=(_water(surface, p.water_level),) if p.water else (),
        water=p.water_level if p.water else None,
        classes=p.classes,
        painted=p.painted,
    )


def _shaped(surface: Surface, strokes: tuple[Stroke, ...], inputs: Inputs) -> Surface:
    """What the brush makes of `surface`; the ground before the last stroke is at hand as a rule."""
    if not isinstance(surface, HeightField):
        inputs.find(
            "not-shaped", "the brush shapes heights; a ground made of a mesh stays as it is"
        )
        return surface
    keys = list(
        accumulate(strokes, lambda k, s: key_of(k, s.model_dump(mode="json")), initial=surface.key)
    )

    def held(count: int) -> HeightField | None:
        found: HeightField | None = inputs.look_up(keys[count])
        return found

    def make() -> HeightField:
        return shaped(surface, strokes, held, inputs.check)

    return inputs.kept(keys[-1], make, lambda f: f.nbytes)


def _noise(p: GroundParameters, inputs: Inputs) -> HeightField:
    """Noise, then what weather does to it, each step by a key of its own."""
    shape = TerrainParameters(**{n: getattr(p, n) for n in TerrainParameters.model_fields})
    key = key_of("terrain", shape.model_dump(mode="json"))
    made = inputs.kept(key, lambda: make_terrain(shape, inputs.check), lambda f: f.nbytes)
    if p.rain:
        drops, how = round(p.rain * made.heights.size), Rain(p.carving, p.settling)
        key = key_of(key, drops, list(how), p.seed)
        before = made
        made = inputs.kept(
            key, lambda: rained_on(before, drops, how, p.seed, inputs.check), lambda f: f.nbytes
        )
    if p.slides:
        key, rest, steep = key_of(key, p.slides, p.repose), made, math.radians(p.repose)
        made = inputs.kept(
            key, lambda: slid(rest, p.slides, steep, inputs.check), lambda f: f.nbytes
        )
    return made


def _heights(p: GroundParameters, inputs: Inputs) -> HeightField:
    """Heights of a file; level ground where there is none."""
    n = samples(p)
    if not inputs.has(p.source):
        return _level(p, inputs)
    heights = inputs.kept(
        key_of("height map", p.source),
        lambda: unpack_heights(inputs.file(p.source)),
        lambda h: h.values.nbytes,
    )
    side = side_of(heights, p.whole)
    if side is not None and abs(side / p.size - 1) > 0.01:
        inputs.find("other-size", f"the file is {side:,.0f} m wide; the ground has {p.size:,.0f} m")
    as_told = heights.metres and p.as_told
    spread = None if as_told else p.heights
    key = key_of("heights", p.source, p.size, n, p.whole, p.mirror_x, p.mirror_z, spread)

    def make() -> HeightField:
        values = square_of(heights, n, p.whole, (p.mirror_x, p.mirror_z))
        if as_told:
            return HeightField(values, p.size)
        ends = (heights.values.min(), heights.values.max()) if heights.metres else (0.0, 1.0)
        return HeightField(np.interp(values, ends, p.heights).astype(np.float32), p.size)

    return inputs.kept(key, make, lambda f: f.nbytes)


def _mesh(p: GroundParameters, inputs: Inputs) -> Surface:
    """The triangles of a file; level ground where there are none."""
    if not inputs.has(p.mesh):
        return _level(p, inputs)
    placed = {
        "source": p.mesh,
        "unit": p.unit,
        "up": p.up,
        "turn": p.turned,
        "size": p.times,
        "pivot": "own",
        "game": {"collider": "none"},
        "mend": {"outwards": p.outwards},
    }

    def make() -> TriangleSurface:
        product = make_asset("mesh", placed, 1, 0, inputs.file)
        mesh = product.mesh
        if p.centred:
            low, high = mesh.bounds()
            middle = ((low + high) / 2).astype(np.float32)
            middle[1] = 0
            positions: Float32 = mesh.positions - middle
            mesh = replace(mesh, positions=positions)
        return TriangleSurface(mesh, product.materials if p.dressed == "own" else {})

    key = key_of("ground of triangles", placed, p.centred, p.dressed)
    return inputs.kept(key, make, lambda s: s.nbytes)


def _level(p: GroundParameters, inputs: Inputs) -> HeightField:
    n = samples(p)

    def make() -> HeightField:
        return HeightField(np.full((n, n), p.level, np.float32), p.size)

    return inputs.kept(key_of("level", n, p.size, p.level), make, lambda f: f.nbytes)


def _water(surface: Surface, level: float) -> Solid:
    """A level square over the whole ground."""
    h = max(abs(v) for v in surface.bounds)
    corners = [[-h, level, -h], [-h, level, h], [h, level, -h], [h, level, h]]
    positions = np.array(corners, np.float32)
    normals = np.tile(np.array([0, 1, 0], np.float32), (4, 1))
    indices = np.array([[0, 1, 2], [2, 1, 3]], np.uint32)
    uv = positions[:, [0, 2]] / np.float32(8)
    mesh = Mesh(positions, normals, uv, indices, (Part("water", 0, 2),))
    return solid("water", with_tangents(mesh), {"water": _WATER}, "water")
