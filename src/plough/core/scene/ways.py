"""Ways to begin a layer: parameters, and what comes with them, with a title and a picture, read from data/ways."""

from __future__ import annotations

import math
import tomllib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any

from plough.core.arrays import UInt8
from plough.core.demo import demo_file, mesh_parameters
from plough.core.errors import ParameterError
from plough.core.library import Library
from plough.core.presets import preset
from plough.core.scene.document import Asset, Layer, SceneDocument
from plough.core.scene.evaluation import Evaluator
from plough.core.scene.picture import draw_scene
from plough.core.scene.registry import all_layer_kinds, get_layer_kind

_FOLDER = Path(__file__).parent.parent / "data" / "ways"
_REFERS = ("asset", "ids")  #: fields that name an asset, or layers


@dataclass(frozen=True, slots=True)
class Way:
    """Layers of one kind to begin with, and the assets that they place."""

    name: str
    title: str
    text: str  #: one line
    kind: str  #: of layer
    assets: dict[str, str] = field(default_factory=dict)  #: presets, by the keys that layers use
    meshes: dict[str, str] = field(default_factory=dict)  #: of the demo, by such keys
    layers: tuple[dict[str, Any], ...] = ()  #: `id`, `name` and `parameters` of each, in order
    ground: dict[str, Any] = field(
        default_factory=dict, repr=False
    )  #: what its picture shows it on
    across: float = math.inf  #: metres that its picture shows
    beside: tuple[dict[str, Any], ...] = ()  #: layers that its picture shows it with

    @property
    def parameters(self) -> dict[str, Any]:
        """Of its first layer."""
        return dict(self.layers[0]["parameters"])

    def made(self, ids: Mapping[str, str]) -> list[dict[str, Any]]:
        """Its layers as they are added: `ids` gives what assets and earlier layers are called, by their keys."""
        return [{**layer, "parameters": _named(layer["parameters"], ids)} for layer in self.layers]


def _named(value: Any, ids: Mapping[str, str]) -> Any:
    """`value` with the names of assets and layers that `ids` knows in the place of their keys."""
    if isinstance(value, list):
        return [_named(v, ids) for v in value]
    if not isinstance(value, dict):
        return value
    out = {}
    for name, v in value.items():
        if name in _REFERS:
            out[name] = [ids.get(i, i) for i in v] if isinstance(v, list) else ids.get(v, v)
        else:
            out[name] = _named(v, ids)
    return out


@cache
def ways_of(kind: str) -> tuple[Way, ...]:
    """The ways to begin a layer of `kind`. Raises `ParameterError` when there is no such kind."""
    path = _FOLDER / f"{get_layer_kind(kind).name}.toml"
    found = tomllib.loads(path.read_text()) if path.exists() else {}
    return tuple(_read(kind, name, values) for name, values in found.items())


def _read(kind: str, name: str, values: dict[str, Any]) -> Way:
    alone = {"id": kind, "name": values["title"], "parameters": values.get("parameters", {})}
    return Way(
        name,
        values["title"],
        values["text"],
        kind,
        values.get("assets", {}),
        values.get("meshes", {}),
        tuple(values.get("layers", [alone])),
        values.get("ground", {}),
        values.get("across", math.inf),
        tuple(values.get("beside", ())),
    )


def way(kind: str, name: str) -> Way:
    """One of them. Raises `ParameterError` naming the known ones."""
    found = next((w for w in ways_of(kind) if w.name == name), None)
    if found is None:
        known = ", ".join(w.name for w in ways_of(kind))
        raise ParameterError("way", f"there is no way {name!r}; known: {known}", limit=known)
    return found


def assets_of(chosen: Way, new_id: Callable[[], str]) -> dict[str, Asset]:
    """The assets that a way brings along, by their keys."""
    out = {}
    for key, name in chosen.assets.items():
        p = preset(name)
        seeds = (p.seed, p.seed + 1, p.seed + 2)
        out[key] = Asset(
            id=new_id(), name=p.title, kind=p.kind, parameters=p.parameters, seeds=seeds
        )
    for key, name in chosen.meshes.items():
        title = name.replace("-", " ").capitalize()
        out[key] = Asset(id=new_id(), name=title, kind="mesh", parameters=mesh_parameters(name))
    return out


def way_document(chosen: Way) -> SceneDocument:
    """A scene that holds what a way brings, with the layers that every scene has."""
    keys = iter((*chosen.assets, *chosen.meshes))
    assets = assets_of(chosen, lambda: next(keys))
    beside = [Layer.model_validate(layer) for layer in chosen.beside]
    own = [*beside, *(Layer(kind=chosen.kind, **layer) for layer in chosen.layers)]
    fixed = {k.name: k for k in all_layer_kinds().values() if k.fixed}
    first, last = (
        Layer(
            id=k.name,
            kind=k.name,
            name=k.title,
            parameters=chosen.ground if k.place == "first" else {},
        )
        for k in sorted(fixed.values(), key=lambda k: k.place)
    )
    layers = (first, *own, last) if chosen.kind not in fixed else (*own, last)
    return SceneDocument(name=chosen.title, layers=layers, assets=tuple(assets.values()))


def draw_way(chosen: Way, size: tuple[int, int]) -> UInt8:
    """(h, w, 3) sRGB picture of a scene that holds what this way brings."""
    evaluator = Evaluator(Library(load=demo_file))
    return draw_scene(
        evaluator.evaluate(way_document(chosen)), evaluator.library, size, chosen.across
    )
