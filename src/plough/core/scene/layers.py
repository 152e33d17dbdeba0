"""The kinds of layer and their parameters, from the ground to the bake."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from plough.core.errors import ParameterError
from plough.core.ground.areas import check_polygon
from plough.core.ground.heightfield import TerrainParameters
from plough.core.ground.paths import path_line
from plough.core.parameters import Numeral, Parameters, Seed, choice, flag, number, reference, span, within

Id = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_-]+$")]
Coordinate = Annotated[float, Field(ge=-4096, le=4096)]
Point = tuple[Coordinate, Coordinate]


def _sound_path(points: tuple[Point, ...]) -> tuple[Point, ...]:
    try:
        path_line(points)
    except ParameterError as error:
        raise ValueError(error.message) from None
    return points


def _sound_polygon(corners: tuple[Point, ...]) -> tuple[Point, ...]:
    try:
        check_polygon(corners)
    except ParameterError as error:
        raise ValueError(error.message) from None
    return corners


class PathParameters(Parameters):
    """A smooth path draped on the ground."""

    points: Annotated[tuple[Point, ...], Field(min_length=2, max_length=400), AfterValidator(_sound_path)] = Field(
        title="Points", description="East and south, in metres.", json_schema_extra={"control": "points", "unit": "m", "group": "Course"}
    )
    width: float = number(3, "Width", (0.2, 40), soft=(0.5, 12), unit="m", step=0.1, group="Course")
    surface: Literal["earth", "gravel", "stone", "grass"] = choice(
        "earth", "Surface", {"earth": "Earth", "gravel": "Gravel", "stone": "Stone", "grass": "Grass"}, group="Course"
    )


class AreaParameters(Parameters):
    """A polygon on the ground that other layers refer to."""

    corners: Annotated[tuple[Point, ...], Field(min_length=3, max_length=400), AfterValidator(_sound_polygon)] = Field(
        title="Corners", description="East and south, in metres.", json_schema_extra={"control": "points", "unit": "m", "group": "Outline"}
    )


class MixEntry(Parameters):
    """One asset of a mix."""

    asset: Id
    weight: float = Field(1.0, gt=0, le=1000)


class ScatterParameters(Parameters):
    """Assets scattered by rule."""

    seed: Seed = Field(1, title="Seed", json_schema_extra={"control": "seed", "unit": "", "group": ""})
    mix: tuple[MixEntry, ...] = Field(
        (), max_length=32, title="What", json_schema_extra={"control": "mix", "unit": "", "group": "What", "to": "asset"}
    )
    areas: tuple[Id, ...] = reference((), "Over", "area", group="Where", help="None: the whole ground.")
    spacing: float = number(
        4, "Spacing", (0.1, 200), soft=(0.2, 20), unit="m", step=0.05, group="How close", help="Least distance between any two."
    )
    fill: float = number(
        70,
        "Fill",
        (0, 100),
        unit="%",
        step=1,
        group="How close",
        help="Share of what fits at this spacing. A higher fill keeps all that stood.",
    )
    apart: float = number(
        1,
        "From earlier layers",
        (0, 100),
        soft=(0, 10),
        unit="m",
        step=0.1,
        group="How close",
        help="Gives way to what stands in layers further left.",
    )
    height: within(-1000, 5000) = span((-1000, 5000), "Height of ground", (-1000, 5000), soft=(-10, 40), unit="m", step=0.05, group="Where")  # type: ignore[valid-type]
    slope: within(0, 90) = span((0, 90), "Slope", (0, 90), unit="°", step=0.5, group="Where")  # type: ignore[valid-type]
    paths: tuple[Id, ...] = reference((), "Clear of", "path", group="Where")
    clearance: float = number(3, "Clear by", (0, 200), soft=(0, 20), unit="m", step=0.1, group="Where", help="From the middle of the path.")
    lean: float = number(
        0, "Leans with the slope", (0, 100), unit="%", step=1, group="How they stand", help="0 upright, 100 square to the slope."
    )
    turn: float = number(360, "Turned by up to", (0, 360), unit="°", step=1, group="How they stand")
    size: within(5, 1000) = span((85, 120), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand")  # type: ignore[valid-type]
    sink: within(-200, 500) = span((0, 5), "Sunk", (-200, 500), soft=(-20, 50), unit="cm", step=1, group="How they stand")  # type: ignore[valid-type]


class BakeParameters(Parameters):
    """What is written for the game."""

    instancing: bool = flag(
        True, "Instances by extension", group="What to write", help="EXT_mesh_gpu_instancing; off writes a plain node for each placement."
    )
    levels: bool = flag(True, "Levels of detail", group="What to write", help="MSFT_lod in the scene, and each level as a file of its own.")
    colliders: Literal["asset", "box", "none"] = choice(
        "asset", "Colliders", {"asset": "As each asset says", "box": "Boxes", "none": "None"}, group="What to write"
    )
    textures: bool = flag(True, "Textures", group="What to write")
    ground_step: Annotated[Literal["1", "2", "4", "8"], Numeral] = choice(
        "2", "Ground mesh", {"1": "Every sample", "2": "Every 2nd", "4": "Every 4th", "8": "Every 8th"}, group="What to write"
    )


class _Layer(Parameters):
    id: Id
    name: str = Field(min_length=1, max_length=80)
    hidden: bool = False


class GroundLayer(_Layer):
    """The terrain; always the first layer."""

    kind: Literal["ground"] = "ground"
    parameters: TerrainParameters = TerrainParameters()


class PathLayer(_Layer):
    """A path."""

    kind: Literal["path"] = "path"
    parameters: PathParameters


class AreaLayer(_Layer):
    """An area."""

    kind: Literal["area"] = "area"
    parameters: AreaParameters


class ScatterLayer(_Layer):
    """A scatter."""

    kind: Literal["scatter"] = "scatter"
    parameters: ScatterParameters = ScatterParameters()


class BakeLayer(_Layer):
    """The bake; always the last layer."""

    kind: Literal["bake"] = "bake"
    parameters: BakeParameters = BakeParameters()


Layer = Annotated[GroundLayer | PathLayer | AreaLayer | ScatterLayer | BakeLayer, Field(discriminator="kind")]


@dataclass(frozen=True, slots=True)
class LayerKind:
    """A kind of layer, as people choose it."""

    name: str
    title: str
    summary: str
    parameters: type[Parameters]
    layer: type[_Layer]


LAYER_KINDS: dict[str, LayerKind] = {
    k.name: k
    for k in (
        LayerKind("ground", "Ground", "The terrain: hills, basin, standing water.", TerrainParameters, GroundLayer),
        LayerKind("path", "Path", "A smooth line on the ground that others keep clear of.", PathParameters, PathLayer),
        LayerKind("area", "Area", "An outline on the ground that others fill.", AreaParameters, AreaLayer),
        LayerKind("scatter", "Scatter", "Assets spread by a rule: how close, where, how they stand.", ScatterParameters, ScatterLayer),
        LayerKind("bake", "Bake", "What is written for the game.", BakeParameters, BakeLayer),
    )
}
