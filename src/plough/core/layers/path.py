"""A path: a smooth line on the ground that others keep clear of, shown as a ribbon."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar, Literal

from pydantic import AfterValidator, Field

from plough.core.errors import ParameterError
from plough.core.ground.beds import Bed, with_bed
from plough.core.ground.heightfield import HeightField
from plough.core.ground.paths import path_curve
from plough.core.ground.ribbon import ribbon
from plough.core.ground.surface import Surface
from plough.core.hashing import key_of
from plough.core.matters import Matters, among
from plough.core.mesh.material import Material
from plough.core.parameters import Parameters, choice, flag, number, points
from plough.core.scene.document import Point
from plough.core.scene.facets import Output, Shaped, solid
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind

_COLORS = {
    "earth": (0.20, 0.145, 0.09),
    "gravel": (0.30, 0.28, 0.24),
    "stone": (0.28, 0.28, 0.27),
    "grass": (0.13, 0.19, 0.06),
}


def _sound(knots: tuple[Point, ...]) -> tuple[Point, ...]:
    try:
        path_curve(knots)
    except ParameterError as error:
        raise ValueError(error.message) from None
    return knots


class PathParameters(Parameters):
    """A smooth path draped on the ground, or shaping it."""

    matters: ClassVar[Matters] = {
        "depth": among("shapes", "bed"),
        "crown": among("shapes", "causeway"),
        "bank flows kept_clear": among("shapes", "bed", "causeway"),
    }

    points: Annotated[
        tuple[Point, ...], Field(min_length=2, max_length=400), AfterValidator(_sound)
    ] = points("Points", least=2, group="Course")
    width: float = number(3, "Width", (0.2, 40), soft=(0.5, 12), unit="m", step=0.1, group="Course")
    surface: Literal["earth", "gravel", "stone", "grass", "none"] = choice(
        "earth",
        "Surface",
        {
            "earth": "Earth",
            "gravel": "Gravel",
            "stone": "Stone",
            "grass": "Grass",
            "none": "None: the ground as it is",
        },
        group="Course",
    )
    shapes: Literal["nothing", "bed", "causeway"] = choice(
        "nothing",
        "Shapes the ground",
        {"nothing": "No", "bed": "Cuts a bed", "causeway": "Lays a causeway"},
        group="Shape",
    )
    depth: float = number(
        1.5, "Depth", (0.05, 60), soft=(0.2, 8), unit="m", step=0.05, group="Shape"
    )
    crown: float = number(
        1.0,
        "Height of the crown",
        (0.05, 60),
        soft=(0.1, 6),
        unit="m",
        step=0.05,
        group="Shape",
        help="Above the ground along it.",
    )
    bank: float = number(
        35, "Slope of the sides", (5, 80), soft=(10, 60), unit="°", step=1, group="Shape"
    )
    flows: Literal["no", "falls", "balanced"] = choice(
        "no",
        "Flows",
        {"no": "No", "falls": "Falls, cut ever deeper", "balanced": "Falls, cut and filled"},
        group="Shape",
        help="From its first point to its last it never rises.",
    )
    kept_clear: bool = flag(True, "Nothing grows in it", group="Shape", help="Within its width.")


def _shape(p: PathParameters, ground: Surface, inputs: Inputs) -> Shaped | None:
    """The ground with the path's bed, or causeway."""
    if p.shapes == "nothing":
        return None
    if not isinstance(ground, HeightField):
        inputs.find("not-shaped", "a path shapes heights; a ground made of a mesh stays as it is")
        return None
    curve = path_curve(p.points, p.width)
    rise = p.crown if p.shapes == "causeway" else -p.depth
    bed = Bed(rise, math.tan(math.radians(p.bank)), p.flows)
    key = key_of("bed", ground.key, curve.key, bed.rise, bed.bank, bed.flow)
    made = inputs.kept(key, lambda: with_bed(ground, curve, bed), lambda f: f.nbytes)
    return Shaped(made, ((curve.line, p.width / 2),) if p.kept_clear else ())


@layer_kind(
    "path",
    "Path",
    "A smooth line on the ground that others keep clear of.",
    PathParameters,
    gives=("curve", "solids"),
    shape=_shape,
)
def evaluate(p: PathParameters, inputs: Inputs) -> Output:
    """The line as a curve, and its ribbon by tile."""
    curve = path_curve(p.points, p.width)
    if p.surface == "none":
        return Output(curves=(curve,))
    surface = inputs.surface()
    strips = inputs.kept(
        key_of("ribbon", curve.key, surface.key),
        lambda: ribbon(curve, surface),
        lambda found: sum(m.nbytes for m in found.values()),
    )
    material = {"path": Material(f"path {p.surface}", color=_COLORS[p.surface], roughness=0.95)}
    return Output(
        curves=(curve,),
        solids=tuple(
            solid(f"{x} {z}", mesh, material, f"path {p.surface}", (x, z))
            for (x, z), mesh in sorted(strips.items())
        ),
    )
