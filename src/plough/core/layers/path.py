"""A path: a smooth line on the ground that others keep clear of, shown as a ribbon."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from plough.core.errors import ParameterError
from plough.core.ground.paths import path_curve
from plough.core.ground.ribbon import ribbon
from plough.core.hashing import key_of
from plough.core.mesh.material import Material
from plough.core.parameters import Parameters, choice, number, points
from plough.core.scene.document import Point
from plough.core.scene.facets import Output, solid
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
    """A smooth path draped on the ground."""

    points: Annotated[
        tuple[Point, ...], Field(min_length=2, max_length=400), AfterValidator(_sound)
    ] = points("Points", least=2, group="Course")
    width: float = number(3, "Width", (0.2, 40), soft=(0.5, 12), unit="m", step=0.1, group="Course")
    surface: Literal["earth", "gravel", "stone", "grass"] = choice(
        "earth",
        "Surface",
        {"earth": "Earth", "gravel": "Gravel", "stone": "Stone", "grass": "Grass"},
        group="Course",
    )


@layer_kind(
    "path",
    "Path",
    "A smooth line on the ground that others keep clear of.",
    PathParameters,
    gives=("curve", "solids"),
)
def evaluate(p: PathParameters, inputs: Inputs) -> Output:
    """The line as a curve, and its ribbon by tile."""
    curve = path_curve(p.points, p.width)
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
