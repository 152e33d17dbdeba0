"""A path: a smooth line on the ground that others keep clear of, shown as a ribbon."""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, ValidationInfo, field_validator

from plough.core.errors import ParameterError
from plough.core.formats.geojson import Drawn
from plough.core.ground.beds import Bed, with_bed
from plough.core.ground.classes import Laid
from plough.core.ground.cover import CoverName
from plough.core.ground.heightfield import HeightField
from plough.core.ground.paths import Curve, path_curve
from plough.core.ground.ribbon import ribbon
from plough.core.ground.surface import Surface
from plough.core.hashing import key_of
from plough.core.matters import Matters, among
from plough.core.mesh.material import Material
from plough.core.parameters import Parameters, allows, choice, flag, knot, number, points
from plough.core.scene.facets import Output, Shaped, solid
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind

_COLORS = {
    "earth": (0.20, 0.145, 0.09),
    "gravel": (0.30, 0.28, 0.24),
    "stone": (0.28, 0.28, 0.27),
    "grass": (0.13, 0.19, 0.06),
}

_LOOKS: dict[str, CoverName] = {
    "earth": "soil",
    "gravel": "gravel",
    "stone": "stone",
    "grass": "grass",
}


Knot = Annotated[tuple[float, ...], knot(("width", 0, 40), ("slope of its sides", 0, 80))]
"""East and south; then, where it has its own, width in metres and slope of the sides in degrees, 0 being the path's."""


class PathParameters(Parameters):
    """A smooth path draped on the ground, or shaping it."""

    matters: ClassVar[Matters] = {
        "depth": among("shapes", "bed"),
        "crown": among("shapes", "causeway"),
        "bank flows kept_clear": among("shapes", "bed", "causeway"),
    }

    closed: bool = flag(
        False, "Closed", group="Course", help="It goes on from its last point to its first."
    )
    points: Annotated[tuple[Knot, ...], Field(min_length=2, max_length=400)] = points(
        "Points", least=2, group="Course", own=(("width", "m", 40), ("sides", "°", 80))
    )
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

    @field_validator("points")
    @classmethod
    def _sound(cls, points: tuple[Knot, ...], info: ValidationInfo) -> tuple[Knot, ...]:
        closed = bool(info.data.get("closed"))
        if closed and len(points) < 3:
            raise ValueError("a closed path takes 3 points or more")
        try:
            path_curve(points, closed=closed)
        except ParameterError as error:
            raise ValueError(error.message) from None
        return points

    @field_validator("flows")
    @classmethod
    def _downhill(cls, flows: str, info: ValidationInfo) -> str:
        if flows != "no" and info.data.get("closed"):
            raise ValueError("a closed path cannot flow: it would have to rise again")
        return flows


def _trace(p: PathParameters) -> Curve:
    return path_curve(p.points, p.width, closed=p.closed)


def _own(inputs: Inputs) -> Curve:
    curve = inputs.trace()
    assert isinstance(curve, Curve)
    return curve


def _walked(p: PathParameters) -> bool:
    """Whether people walk it."""
    return p.flows == "no" and p.surface != "none"


def _shape(p: PathParameters, ground: Surface, inputs: Inputs) -> Shaped | None:
    """The ground with the path's bed, or causeway, and its surface."""
    if p.shapes == "nothing" and p.surface == "none":
        return None
    curve = _own(inputs)
    looks = _LOOKS.get(p.surface)
    laid = (Laid(curve.strip, looks),) if looks else ()
    if p.shapes == "nothing":
        return Shaped(ground, laid=laid)
    if not isinstance(ground, HeightField):
        inputs.find("not-shaped", "a path shapes heights; a ground made of a mesh stays as it is")
        return Shaped(ground, laid=laid)
    rise = p.crown if p.shapes == "causeway" else -p.depth
    bed = Bed(rise, math.tan(math.radians(p.bank)), p.flows)
    key = key_of("bed", ground.key, curve.key, bed.rise, bed.bank, bed.flow)
    made = inputs.kept(key, lambda: with_bed(ground, curve, bed), lambda f: f.nbytes)
    clear = (curve.strip,) if p.kept_clear else ()
    return Shaped(made, clear, laid)


def _of_shape(shape: Drawn) -> dict[str, Any] | None:
    """A path through the points of a line; properties that a path has are taken where they are possible."""
    if shape.closed:
        return None
    points: list[Any] = list(shape.rings[0])
    own = shape.properties.get("knots")
    closed = len(points) > 3 and points[0] == points[-1]
    if closed:
        points.pop()
    if isinstance(own, list) and len(own) == len(points):
        points = [(*at, *two) for at, two in zip(points, own, strict=True)]
    out: dict[str, Any] = {"points": points, "closed": closed}
    for name in ("width", "surface"):
        value = shape.properties.get(name)
        if value is not None and allows(PathParameters, name, value):
            out[name] = value
    return out


def _to_shape(p: PathParameters) -> Drawn:
    line = tuple((k[0], k[1]) for k in p.points)
    own = [list(k[2:]) if len(k) > 2 else [0.0, 0.0] for k in p.points]
    knots = {"knots": own} if any(any(k) for k in own) else {}
    ring = (*line, line[0]) if p.closed else line
    return Drawn((ring,), False, properties={"width": p.width, "surface": p.surface, **knots})


@layer_kind(
    "path",
    "Path",
    "A smooth line on the ground that others keep clear of.",
    PathParameters,
    gives=("curve", "solids"),
    shape=_shape,
    shapes=(_of_shape, _to_shape),
    trace=_trace,
    walked=_walked,
)
def evaluate(p: PathParameters, inputs: Inputs) -> Output:
    """The line as a curve, and its ribbon by tile."""
    curve = _own(inputs)
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
        walked=(curve.strip,) if _walked(p) else (),
        solids=tuple(
            solid(f"{x} {z}", mesh, material, f"path {p.surface}", (x, z))
            for (x, z), mesh in sorted(strips.items())
        ),
    )
