"""What documents of earlier versions called by other names."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

VERSION = 3  #: of scene documents and recipes

_RENAMED = {
    "complexity": "fullness",
    "cuts": "tears",
    "cut_count": "tear_count",
    "cut_where": "tear_where",
    "cut_seed": "tear_seed",
    "pull": "gravitropism",
    "straighten": "gravitropism",
    "crown_up": "crown_gravitropism",
    "upward": "gravitropism",
    "limbs": "branches",
    "card": "impostor",
}


_GONE = {"ground_step"}  #: parameters of layers that have no successor


def migrated_layer(values: Any) -> Any:
    """Parameters of a layer, nested or as dotted names, without those that have gone."""
    if not isinstance(values, Mapping):
        return values
    return {k: v for k, v in values.items() if k.rpartition(".")[2] not in _GONE}


def migrated_parameters(values: Any) -> Any:
    """Parameters of an asset, nested or as dotted names, under the names of today."""
    if not isinstance(values, Mapping):
        return values
    return {_renamed(name): migrated_parameters(value) for name, value in values.items()}


def _renamed(path: str) -> str:
    head, dot, last = path.rpartition(".")
    return head + dot + _RENAMED.get(last, last)


def migrated_document(values: Mapping[str, Any], version: int) -> dict[str, Any]:
    """A scene document, or a recipe, of `version` as one of the present version."""
    out = dict(values)
    if version < VERSION:
        if isinstance(out.get("assets"), list | tuple):
            out["assets"] = [_within(a, migrated_parameters) for a in out["assets"]]
        if isinstance(out.get("layers"), list | tuple):
            out["layers"] = [_within(layer, migrated_layer) for layer in out["layers"]]
        if "parameters" in out:
            out["parameters"] = migrated_parameters(out["parameters"])
    out["version"] = VERSION
    return out


def _within(item: Any, change: Callable[[Any], Any]) -> Any:
    """`item` with its parameters changed."""
    if not isinstance(item, Mapping) or "parameters" not in item:
        return item
    return {**item, "parameters": change(item["parameters"])}
