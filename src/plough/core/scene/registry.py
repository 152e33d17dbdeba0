"""The kinds of layer: each registers itself, in a module of its own, with one decorator."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any, Literal

from plough.core.errors import ParameterError
from plough.core.formats.geojson import Drawn
from plough.core.formats.heights import HeightMap
from plough.core.ground.areas import Region
from plough.core.ground.paths import Curve
from plough.core.ground.surface import Surface
from plough.core.parameters import Parameters, describe
from plough.core.scene.facets import FacetName, Output, Shaped

if TYPE_CHECKING:
    from plough.core.scene.inputs import Inputs

Evaluate = Callable[[Any, "Inputs"], Output]
Shape = Callable[[Any, Surface, "Inputs"], Shaped | None]
"""What a layer makes of the ground that it is given; None where it leaves that as it is."""
Walked = Callable[[Any], bool]
Trace = Callable[[Any], Curve | Region]
"""The line or outline on the map that a layer gives, whatever the ground is like."""
OfShape = Callable[[Drawn], dict[str, Any] | None]
"""Parameters of a layer made of a shape; None where it is made of others."""
ToShape = Callable[[Any], Drawn]
BegunWith = Callable[[HeightMap, str], dict[str, Any]]
"""Gives parameters to begin with, of a height map and the hash that it is kept under."""
Place = Literal["first", "middle", "last"]
Stands = Literal["on something", "on faces", "anywhere"]
"""What placements of a layer stand on: the ground or what is on it; faces of things; or they need nothing."""


@dataclass(frozen=True, slots=True)
class LayerKind:
    """A kind of layer."""

    name: str
    title: str
    summary: str  #: one line
    parameters: type[Parameters]
    evaluate: Evaluate
    version: int  #: raised when the same parameters come to something else
    place: (
        Place  #: a scene has one layer that stands first, one that stands last, any number between
    )
    gives: tuple[FacetName, ...]  #: the facets that its results hold
    begun_with: BegunWith | None = None  #: parameters of one that is made from a height map
    shape: Shape | None = None  #: how it shapes the ground, before any layer stands on it
    trace: Trace | None = None
    walked: Walked | None = None  #: whether people walk along its line
    of_shape: OfShape | None = None
    to_shape: ToShape | None = None
    stands: Stands = "on something"

    @property
    def fixed(self) -> bool:
        """Whether every scene has exactly one, in its place."""
        return self.place != "middle"

    def holds(self, control: str) -> str:
        """The parameter that has a control; empty where none has."""
        rows = describe(self.parameters)
        return next((row.path for row in rows if row.control == control), "")


_KINDS: dict[str, LayerKind] = {}
_PLACES = {"first": 0, "middle": 1, "last": 2}


def layer_kind(
    name: str,
    title: str,
    summary: str,
    parameters: type[Parameters],
    *,
    version: int = 1,
    place: Place = "middle",
    gives: tuple[FacetName, ...] = (),
    begun_with: BegunWith | None = None,
    shape: Shape | None = None,
    trace: Trace | None = None,
    walked: Walked | None = None,
    shapes: tuple[OfShape, ToShape] | None = None,
    stands: Stands = "on something",
) -> Callable[[Evaluate], Evaluate]:
    """Register the decorated ``evaluate(parameters, inputs) -> Output`` as the layer kind `name`."""

    def register(evaluate: Evaluate) -> Evaluate:
        _KINDS[name] = LayerKind(
            name=name,
            title=title,
            summary=summary,
            parameters=parameters,
            evaluate=evaluate,
            version=version,
            place=place,
            gives=gives,
            begun_with=begun_with,
            shape=shape,
            trace=trace,
            walked=walked,
            of_shape=shapes[0] if shapes else None,
            to_shape=shapes[1] if shapes else None,
            stands=stands,
        )
        return evaluate

    return register


@cache
def _discover() -> None:
    package = importlib.import_module("plough.core.layers")
    for module in pkgutil.iter_modules(package.__path__):
        importlib.import_module(f"plough.core.layers.{module.name}")


def all_layer_kinds() -> dict[str, LayerKind]:
    """Every kind by name, in the order in which they may stand."""
    _discover()
    ordered = sorted(_KINDS.values(), key=lambda k: (_PLACES[k.place], k.name))
    return {k.name: k for k in ordered}


def begun_with(heights: HeightMap, file: str) -> dict[str, Any]:
    """Parameters to begin with, of the layer kind that can be made from a height map, kept as `file`."""
    return next(
        k.begun_with(heights, file) for k in all_layer_kinds().values() if k.begun_with is not None
    )


def get_layer_kind(name: str) -> LayerKind:
    """The kind called `name`. Raises `ParameterError` naming the known ones."""
    _discover()
    found = _KINDS.get(name)
    if found is None:
        known = ", ".join(all_layer_kinds())
        message = f"there is no layer kind {name!r}; known: {known}"
        raise ParameterError("kind", message, limit=known, value=name)
    return found
