"""Layers made of lines and outlines that were drawn elsewhere, and those of a scene given away again."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from plough.core.errors import ParameterError
from plough.core.formats.geojson import Drawn, Read, Ring
from plough.core.parameters import build
from plough.core.scene.document import SceneDocument
from plough.core.scene.registry import LayerKind, all_layer_kinds, get_layer_kind

MOST_POINTS = 400  #: of one ring
MOST_MADE, MOST_TOGETHER = 200, 20_000  #: layers, and points, of one file


@dataclass(frozen=True, slots=True)
class Made:
    """A layer to be added."""

    kind: str
    name: str
    parameters: dict[str, Any]


def layers_of(found: Read) -> tuple[list[Made], list[str]]:
    """What to add for each shape, and what had to be left out or made simpler, in words.

    Raises:
        ParameterError: there are more than `MOST_MADE` shapes, or `MOST_TOGETHER` points.
    """
    if len(found.drawn) > MOST_MADE:
        raise ParameterError(
            "file",
            f"holds {len(found.drawn)} lines and areas; the limit is {MOST_MADE}",
            limit=str(MOST_MADE),
        )
    points = sum(min(len(ring), MOST_POINTS) for shape in found.drawn for ring in shape.rings)
    if points > MOST_TOGETHER:
        raise ParameterError(
            "file",
            f"holds {points:,} points; the limit is {MOST_TOGETHER:,}: bring it in by parts",
            limit=str(MOST_TOGETHER),
        )
    made, told = [], list(found.left_out)
    for k, shape in enumerate(found.drawn):
        name = shape.name or f"{'Area' if shape.closed else 'Line'} {k + 1}"
        simple = replace(shape, rings=tuple(_simple(ring, shape.closed) for ring in shape.rings))
        if simple != shape:
            told.append(f"{name}: made simpler, to {MOST_POINTS} points at most")
        kind, parameters = _layer_for(simple)
        try:
            build(kind.parameters, parameters)
        except ParameterError as error:
            told.append(f"{name}: left out; {error.field}: {error.message}")
            continue
        made.append(Made(kind.name, name, parameters))
    return made, told


def _layer_for(shape: Drawn) -> tuple[LayerKind, dict[str, Any]]:
    """The kind of layer that is made of such shapes, and the parameters of this one."""
    for kind in all_layer_kinds().values():
        parameters = kind.of_shape(shape) if kind.of_shape else None
        if parameters is not None:
            return kind, parameters
    raise AssertionError("lines and outlines are both made into layers")


def _simple(ring: Ring, closed: bool) -> Ring:
    """`ring` in centimetres, without corners on each other, and without so many that lie on a line that too many are left (Douglas and Peucker 1973)."""
    from shapely import LineString

    tidy: list[tuple[float, float]] = []
    for x, z in ring:
        at = (round(x, 2), round(z, 2))
        if not tidy or max(abs(at[0] - tidy[-1][0]), abs(at[1] - tidy[-1][1])) >= 0.05:
            tidy.append(at)
    if (
        closed
        and len(tidy) > 1
        and max(abs(a - b) for a, b in zip(tidy[0], tidy[-1], strict=True)) < 0.05
    ):
        tidy.pop()
    tolerance = 0.05
    while len(tidy) > MOST_POINTS:
        tidy = [(x, z) for x, z in LineString(tidy).simplify(tolerance).coords]
        tolerance *= 2
    return tuple(tidy)


def shapes_of(document: SceneDocument) -> list[Drawn]:
    """The lines and outlines of a scene."""
    out = []
    for layer in document.layers:
        kind = get_layer_kind(layer.kind)
        if kind.to_shape is not None:
            shape: Drawn = kind.to_shape(build(kind.parameters, layer.parameters))
            out.append(replace(shape, name=layer.name))
    return out
