"""Ways to begin a layer: parameters with a title and a picture, read from data/ways."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any

from plough.core.arrays import UInt8
from plough.core.errors import ParameterError
from plough.core.scene.document import Layer, SceneDocument
from plough.core.scene.evaluation import Evaluator
from plough.core.scene.picture import draw_scene
from plough.core.scene.registry import all_layer_kinds, get_layer_kind

_FOLDER = Path(__file__).parent.parent / "data" / "ways"


@dataclass(frozen=True, slots=True)
class Way:
    """Parameters of a layer to begin with."""

    name: str
    title: str
    text: str  #: one line
    kind: str  #: of layer
    parameters: dict[str, Any] = field(repr=False)


@cache
def ways_of(kind: str) -> tuple[Way, ...]:
    """The ways to begin a layer of `kind`. Raises `ParameterError` when there is no such kind."""
    path = _FOLDER / f"{get_layer_kind(kind).name}.toml"
    found = tomllib.loads(path.read_text()) if path.exists() else {}
    return tuple(
        Way(name, v["title"], v["text"], kind, v.get("parameters", {})) for name, v in found.items()
    )


def way(kind: str, name: str) -> Way:
    """One of them. Raises `ParameterError` naming the known ones."""
    found = next((w for w in ways_of(kind) if w.name == name), None)
    if found is None:
        known = ", ".join(w.name for w in ways_of(kind))
        raise ParameterError("way", f"there is no way {name!r}; known: {known}", limit=known)
    return found


def draw_way(chosen: Way, size: tuple[int, int]) -> UInt8:
    """(h, w, 3) sRGB picture of a scene that holds this layer alone, with the layers that every scene has."""
    kinds = [k for k in all_layer_kinds().values() if k.fixed or k.name == chosen.kind]
    layers = tuple(
        Layer(
            id=k.name,
            kind=k.name,
            name=k.title,
            parameters=chosen.parameters if k.name == chosen.kind else {},
        )
        for k in kinds
    )
    evaluator = Evaluator()
    evaluation = evaluator.evaluate(SceneDocument(name=chosen.title, layers=layers))
    return draw_scene(evaluation, evaluator.library, size)
