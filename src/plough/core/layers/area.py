"""An area: an outline on the ground that others fill."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, Field

from plough.core.errors import ParameterError
from plough.core.ground.areas import Region, check_polygon
from plough.core.parameters import Parameters, points
from plough.core.scene.document import Point
from plough.core.scene.facets import Output
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind


def _sound(corners: tuple[Point, ...]) -> tuple[Point, ...]:
    try:
        check_polygon(corners)
    except ParameterError as error:
        raise ValueError(error.message) from None
    return corners


class AreaParameters(Parameters):
    """A polygon on the ground that other layers refer to."""

    corners: Annotated[
        tuple[Point, ...], Field(min_length=3, max_length=400), AfterValidator(_sound)
    ] = points("Corners", least=3, closed=True, group="Outline")


@layer_kind(
    "area", "Area", "An outline on the ground that others fill.", AreaParameters, gives=("region",)
)
def evaluate(p: AreaParameters, inputs: Inputs) -> Output:
    """The outline as a region."""
    return Output(regions=(Region(check_polygon(p.corners)),))
