"""What assets borrow from each other.

A parameter declared by `reference(..., to=KIND, lends=FIELD)` may hold the id of an asset of that
kind; the asset's parameters then stand in for the field beside it. A list declared with `parts`
names an asset of any kind in each element, and all of it is put into `lent` there. What is lent
may borrow in turn.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Protocol

from pydantic import BaseModel

from plough.core.kinds import get_kind


class Recipe(Protocol):
    """What an asset is made from."""

    @property
    def kind(self) -> str: ...
    @property
    def parameters(self) -> Mapping[str, Any]: ...


@dataclass(frozen=True, slots=True)
class Resolved:
    """Parameters in which everything borrowed stands."""

    parameters: dict[str, Any]
    missing: tuple[str, ...] = ()  #: a sentence on each thing that could not be lent
    lent: tuple[str, ...] = ()  #: ids of the assets that lent something


@dataclass(frozen=True, slots=True)
class Reference:
    """A place in a model that may name an asset."""

    path: tuple[str, ...]  #: of the field that holds the id
    to: str  #: the kind
    field: tuple[str, ...]  #: that the asset's parameters stand in for


def references(model: type[BaseModel], prefix: tuple[str, ...] = ()) -> Iterator[Reference]:
    """Every place of `model` that may name an asset."""
    for name, field in model.model_fields.items():
        extra = field.json_schema_extra
        if isinstance(extra, dict) and extra.get("lends"):
            to, lends = str(extra["to"]), str(extra["lends"])
            yield Reference((*prefix, name), to, (*prefix, lends))
        if isinstance(field.default, BaseModel):
            yield from references(type(field.default), (*prefix, name))


MOST_LENT = 256  #: things that one asset borrows as parts, those of parts among them


def parts_of(model: type[BaseModel]) -> str:
    """The list of `model` whose elements name assets of any kind; empty where it has none."""
    for name, field in model.model_fields.items():
        if isinstance(field.json_schema_extra, dict) and field.json_schema_extra.get("parts"):
            return name
    return ""


def resolve(recipe: Recipe, assets: Mapping[str, Recipe], own_id: str = "") -> Resolved:
    """The parameters of `recipe`, the asset `own_id`, with what it borrows from `assets` put in, to any depth."""
    missing: list[str] = []
    lent: list[str] = []
    parts: list[str] = []

    def follow(kind: str, parameters: Mapping[str, Any], trail: tuple[str, ...]) -> dict[str, Any]:
        out = _copy(parameters)
        filled: list[tuple[str, ...]] = []
        outermost_first = sorted(
            references(get_kind(kind).parameters), key=lambda found: len(found.path)
        )
        for found in outermost_first:
            if any(found.path[: len(field)] == field for field in filled):
                continue  # this came with what was lent, and has been followed there
            name = value_at(out, found.path)
            if not isinstance(name, str) or not name:
                continue
            asset = assets.get(name)
            if asset is None or asset.kind != found.to:
                missing.append(f"the {found.to} {name!r} is missing")
            elif name in trail:
                missing.append(f"the {found.to} {name!r} borrows from itself")
            else:
                lent.append(name)
                filled.append(found.field)
                _put(out, found.field, follow(asset.kind, asset.parameters, (*trail, name)))
        if path := parts_of(get_kind(kind).parameters):
            out[path] = [part(dict(p), trail) for p in out.get(path, ())]
        return out

    def part(values: dict[str, Any], trail: tuple[str, ...]) -> dict[str, Any]:
        """A part with what its asset is made from."""
        name = values.get("asset", "")
        asset = assets.get(name)
        values["lent"] = {}
        parts.append(name)
        if asset is None:
            missing.append(f"the part {name!r} is missing")
        elif name in trail:
            missing.append(f"the group {name!r} is a part of itself")
        elif len(parts) > MOST_LENT:
            missing.append(f"a group is of {MOST_LENT} things at most; the others are left out")
        else:
            lent.append(name)
            found = get_kind(asset.kind)
            values["lent"] = {
                "kind": asset.kind,
                "version": found.version,
                "parameters": follow(asset.kind, asset.parameters, (*trail, name)),
                "images": dict(getattr(asset, "images", {})),
            }
        return values

    return Resolved(
        follow(recipe.kind, recipe.parameters, (own_id,)),
        tuple(dict.fromkeys(missing)),
        tuple(lent),
    )


def _copy(values: Mapping[str, Any]) -> dict[str, Any]:
    return {k: _copy(v) if isinstance(v, Mapping) else v for k, v in values.items()}


def value_at(values: Mapping[str, Any], path: tuple[str, ...]) -> Any:
    """What stands at a place of nested values; None where there is nothing."""
    place: Any = values
    for name in path:
        if not isinstance(place, Mapping):
            return None
        place = place.get(name)
    return place


def _put(values: dict[str, Any], path: tuple[str, ...], value: Any) -> None:
    place = values
    for name in path[:-1]:
        place = place.setdefault(name, {})
    place[path[-1]] = value
