"""An area: an outline on the ground that others fill."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, TypeVar

from pydantic import Field, ValidationInfo, field_validator

from plough.core.errors import ParameterError
from plough.core.formats.geojson import Drawn
from plough.core.ground.areas import Region, check_region
from plough.core.ground.surface import Surface
from plough.core.parameters import Parameters, Point, flag, points, rings
from plough.core.scene.facets import Output, Shaped
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind

T = TypeVar("T")
_Ring = Annotated[tuple[Point, ...], Field(min_length=3, max_length=400)]


class AreaParameters(Parameters):
    """A polygon on the ground that other layers refer to."""

    corners: _Ring = points("Corners", least=3, closed=True, group="Outline")
    holes: Annotated[tuple[_Ring, ...], Field(max_length=20)] = rings("Holes", group="Outline")
    kept_clear: bool = flag(
        False, "Kept clear", group="Outline", help="Nothing is planted in it, by whatever rule."
    )

    @field_validator("corners")
    @classmethod
    def _simple(cls, corners: tuple[Point, ...]) -> tuple[Point, ...]:
        return _told(lambda: check_region(corners), corners)

    @field_validator("holes")
    @classmethod
    def _within(
        cls, holes: tuple[tuple[Point, ...], ...], info: ValidationInfo
    ) -> tuple[tuple[Point, ...], ...]:
        corners = info.data.get("corners")  # lacking where they are wrong themselves
        return _told(lambda: check_region(corners, holes), holes) if corners else holes


def _told(check: Callable[[], object], value: T) -> T:
    """`value`, once `check` finds nothing wrong with it."""
    try:
        check()
    except ParameterError as error:
        raise ValueError(error.message) from None
    return value


def _trace(p: AreaParameters) -> Region:
    return check_region(p.corners, p.holes)


def _own(inputs: Inputs) -> Region:
    region = inputs.trace()
    assert isinstance(region, Region)
    return region


def _shape(p: AreaParameters, ground: Surface, inputs: Inputs) -> Shaped | None:
    return Shaped(ground, (_own(inputs),)) if p.kept_clear else None


def _of_shape(shape: Drawn) -> dict[str, Any] | None:
    if not shape.closed:
        return None
    corners, *holes = shape.rings
    return {
        "corners": corners,
        "holes": holes,
        "kept_clear": shape.properties.get("kept_clear") is True,
    }


def _to_shape(p: AreaParameters) -> Drawn:
    return Drawn((p.corners, *p.holes), True, properties={"kept_clear": p.kept_clear})


@layer_kind(
    "area",
    "Area",
    "An outline on the ground that others fill.",
    AreaParameters,
    gives=("region",),
    trace=_trace,
    shape=_shape,
    shapes=(_of_shape, _to_shape),
)
def evaluate(p: AreaParameters, inputs: Inputs) -> Output:
    """The outline as a region."""
    return Output(regions=(_own(inputs),))
