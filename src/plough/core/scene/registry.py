"""The kinds of layer: each registers itself, in a module of its own, with one decorator."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any, Literal

from plough.core.errors import ParameterError
from plough.core.parameters import Parameters
from plough.core.scene.facets import FacetName, Output

if TYPE_CHECKING:
    from plough.core.scene.inputs import Inputs

Evaluate = Callable[[Any, "Inputs"], Output]
Place = Literal["first", "middle", "last"]


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

    @property
    def fixed(self) -> bool:
        """Whether every scene has exactly one, in its place."""
        return self.place != "middle"


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
) -> Callable[[Evaluate], Evaluate]:
    """Register the decorated ``evaluate(parameters, inputs) -> Output`` as the layer kind `name`."""

    def register(evaluate: Evaluate) -> Evaluate:
        _KINDS[name] = LayerKind(name, title, summary, parameters, evaluate, version, place, gives)
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


def get_layer_kind(name: str) -> LayerKind:
    """The kind called `name`. Raises `ParameterError` naming the known ones."""
    _discover()
    found = _KINDS.get(name)
    if found is None:
        known = ", ".join(all_layer_kinds())
        message = f"there is no layer kind {name!r}; known: {known}"
        raise ParameterError("kind", message, limit=known, value=name)
    return found
