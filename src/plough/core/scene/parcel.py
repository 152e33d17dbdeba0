"""Parcels: layers with all that they place, to be put into this scene again or into another."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from pydantic import Field, ValidationError

from plough.core.errors import ParameterError
from plough.core.ground.conditions import MEASURES
from plough.core.kinds import get_kind
from plough.core.library.references import parts_of, references, value_at
from plough.core.migrate import VERSION
from plough.core.parameters import Parameters, build, describe, fault, with_values
from plough.core.scene.document import (
    MOST_ASSETS,
    MOST_MIXES,
    Asset,
    Layer,
    NamedMix,
    SceneDocument,
    check_asset,
    check_layer,
)
from plough.core.scene.registry import get_layer_kind

MOST = 60  #: layers of a parcel
_OF_LAYERS = {"curve", "region", "placements"}  #: facets that a condition measures from
Change = Callable[[str], str]


class Parcel(Parameters):
    """Layers in their order, and the assets and mixes that they place."""

    plough: int = Field(VERSION, ge=VERSION, le=VERSION, description="Version of documents.")
    layers: tuple[Layer, ...] = Field(min_length=1, max_length=MOST)
    assets: tuple[Asset, ...] = Field((), max_length=MOST_ASSETS)
    mixes: tuple[NamedMix, ...] = Field((), max_length=MOST_MIXES)


class Unpacked(NamedTuple):
    """What a scene has to be given for a parcel to be in it."""

    assets: list[Asset]
    mixes: list[NamedMix]
    layers: list[Layer]


def pack_layers(document: SceneDocument, ids: Sequence[str]) -> Parcel:
    """The layers `ids`, with the assets and mixes that they place and what these are made with.

    Raises:
        ParameterError: a layer is not there, or every scene has exactly one of its kind.
    """
    there = {layer.id: layer for layer in document.layers}
    for name in ids:
        if name not in there:
            raise ParameterError("layer", f"there is no layer {name!r}", value=name)
        if get_layer_kind(there[name].kind).fixed:
            raise ParameterError("layer", f"a scene has one {there[name].kind}", value=name)
    layers = [layer for layer in document.layers if layer.id in set(ids)]
    mixes = {m.id: m for m in document.settings.mixes}
    assets = {a.id: a for a in document.assets}
    wanted: set[str] = set()
    for layer in layers:
        values = _whole(get_layer_kind(layer.kind).parameters, layer.parameters)
        for row in describe(get_layer_kind(layer.kind).parameters):
            if row.control in ("mix", "placed"):
                wanted.update(e["asset"] for e in values[row.path])
    kept = [m for name, m in mixes.items() if name in wanted]
    wanted.update(e.asset for m in kept for e in m.entries)
    ahead = sorted(wanted)
    while ahead:  # what assets are made with comes along
        asset = assets.get(ahead.pop())
        for name in _lent(asset) if asset else ():
            if name not in wanted:
                wanted.add(name)
                ahead.append(name)
    own = [a for a in document.assets if a.id in wanted]
    return Parcel(layers=tuple(layers), assets=tuple(own), mixes=tuple(kept))


def read_parcel(values: Mapping[str, Any]) -> Parcel:
    """A parcel from plain values. Raises `ParameterError` naming the field that is wrong."""
    try:
        parcel = Parcel.model_validate(values)
    except ValidationError as error:
        raise fault(error) from None
    for k, layer in enumerate(parcel.layers):
        if get_layer_kind(layer.kind).fixed:
            raise ParameterError(f"layers.{k}.kind", f"a scene has one {layer.kind}")
        check_layer(layer, f"layers.{k}.")
    for k, asset in enumerate(parcel.assets):
        check_asset(asset, f"assets.{k}.")
    return parcel


def unpack(document: SceneDocument, parcel: Parcel, fresh: Callable[[], str]) -> Unpacked:
    """What is to be added to `document`: an asset or mix that is there already, whatever its id, is used as it is.

    Layers get new ids, and refer to each other by these; what they refer to besides stays as it is named.

    Args:
        fresh: gives an id that nothing has.
    """
    names = _Names(document, fresh)
    added = []
    for asset in _first_lent(parcel.assets):
        moved = asset.model_copy(update={"parameters": _relent(asset, names.of)})
        if names.take(moved):
            added.append(moved.model_copy(update={"id": names.of(asset.id)}))
    kept = []
    for mix in parcel.mixes:
        entries = [e.model_copy(update={"asset": names.of(e.asset)}) for e in mix.entries]
        own = mix.model_copy(update={"entries": tuple(entries)})
        if names.take(own):
            kept.append(own.model_copy(update={"id": names.of(mix.id)}))
    layers = {layer.id: fresh() for layer in parcel.layers}
    placed = [
        layer.model_copy(
            update={
                "id": layers[layer.id],
                "locked": False,
                "parameters": _pointed(layer, names.of, lambda i: layers.get(i, i)),
            }
        )
        for layer in parcel.layers
    ]
    return Unpacked(added, kept, placed)


class _Names:
    """Which id each of a parcel's things has in the scene that it is put into; no asset has that of a mix."""

    def __init__(self, document: SceneDocument, fresh: Callable[[], str]) -> None:
        things: list[Asset | NamedMix] = [*document.assets, *document.settings.mixes]
        self._there = {t.id: _content(t) for t in things}
        self._fresh = fresh
        self._named: dict[str, str] = {}

    def take(self, thing: Asset | NamedMix) -> bool:
        """Give a thing its id: that of one that is the same and there already, or its own where it is free; whether it has to be added."""
        content = _content(thing)
        same = [name for name, other in self._there.items() if other == content]
        if same:
            self._named[thing.id] = thing.id if thing.id in same else same[0]
            return False
        own = self._fresh() if thing.id in self._there else thing.id
        self._named[thing.id] = own
        self._there[own] = content
        return True

    def of(self, name: str) -> str:
        """The id of a thing; one that the parcel does not hold keeps its own."""
        return self._named.get(name, name)


def _content(item: Asset | NamedMix) -> str:
    return f"{type(item).__name__} {item.model_dump_json(exclude={'id'})}"


def _whole(model: type[Parameters], values: Mapping[str, Any]) -> dict[str, Any]:
    return build(model, dict(values)).model_dump(mode="json")


def _lent(asset: Asset) -> Iterator[str]:
    """The assets that one names to be made with."""
    for found in references(get_kind(asset.kind).parameters):
        name = value_at(asset.parameters, found.path)
        if isinstance(name, str) and name:
            yield name
    path = parts_of(get_kind(asset.kind).parameters)
    yield from (part["asset"] for part in asset.parameters.get(path, ()))


def _first_lent(assets: Sequence[Asset]) -> list[Asset]:
    """`assets`, those that others are made with first."""
    own, out, met = {a.id: a for a in assets}, list[Asset](), set[str]()

    def add(asset: Asset) -> None:
        if asset.id in met:
            return
        met.add(asset.id)
        for name in _lent(asset):
            if name in own:
                add(own[name])
        out.append(asset)

    for asset in assets:
        add(asset)
    return out


def _relent(asset: Asset, of: Change) -> dict[str, Any]:
    """The parameters of an asset, which names those that it is made with as `of` does."""
    found = (f.path for f in references(get_kind(asset.kind).parameters))
    names = {path: value_at(asset.parameters, path) for path in found}
    values: dict[str, Any] = {".".join(path): of(name) for path, name in names.items() if name}
    path = parts_of(get_kind(asset.kind).parameters)
    if path in asset.parameters:
        values[path] = [{**part, "asset": of(part["asset"])} for part in asset.parameters[path]]
    return with_values(asset.parameters, values)


def _pointed(layer: Layer, asset: Change, other: Change) -> dict[str, Any]:
    """The parameters of a layer, which names assets and layers as `asset` and `other` do."""
    model = get_layer_kind(layer.kind).parameters
    out = layer.model_copy(deep=True).parameters
    for row in describe(model):
        value = out.get(row.path)
        if value is None:
            continue
        if row.control == "reference":
            out[row.path] = (
                [other(i) for i in value] if isinstance(value, list | tuple) else other(value)
            )
        elif row.control == "conditions":
            out[row.path] = [_measured(c, other) for c in value]
        elif row.control == "strokes":
            out[row.path] = [
                {**s, "assets": [asset(name) for name in s.get("assets", ())]} for s in value
            ]
        elif row.control == "touches":
            out[row.path] = [
                {k: asset(v) if v and k in ("asset", "of") else v for k, v in t.items()}
                for t in value
            ]
        elif row.control == "placed":
            out[row.path] = [{**one, "asset": asset(one["asset"])} for one in value]
        elif row.control == "mix":
            out[row.path] = [
                {
                    **e,
                    "asset": asset(e["asset"]),
                    "conditions": [_measured(c, other) for c in e.get("conditions", ())],
                }
                for e in value
            ]
    return out


def _measured(condition: Mapping[str, Any], other: Change) -> dict[str, Any]:
    if MEASURES[condition["of"]].to not in _OF_LAYERS:
        return dict(condition)
    return {**condition, "ids": [other(i) for i in condition.get("ids", ())]}
