"""What documents of earlier versions called by other names."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

VERSION = 4  #: of scene documents and recipes

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


_LIMITS = {"height": (-1000, 5000, -1000, 9000), "slope": (0, 90, 0, 180)}


def _within_limits(of: str, pair: Any) -> dict[str, Any] | None:
    """A border that a scatter had, as a condition; None where it was none."""
    if not isinstance(pair, list | tuple) or len(pair) != 2:
        return None
    old_low, old_high, low, high = _LIMITS[of]
    a = low if pair[0] <= old_low else pair[0]
    b = high if pair[1] >= old_high else pair[1]
    if (a, b) == (low, high):
        return None
    return {"id": of, "of": of, "between": [a, b], "fade": 0}


def _clear_of(paths: Any, metres: Any) -> dict[str, Any] | None:
    if not paths or not metres:
        return None
    return {"id": "clear", "of": "path", "ids": list(paths), "between": [metres, 1000], "fade": 0}


def conditions_of_scatter(values: Mapping[str, Any]) -> dict[str, Any]:
    """Parameters of a scatter whose borders, height, slope and paths it keeps clear of, are conditions."""
    out = {k: v for k, v in values.items() if k not in ("height", "slope", "paths", "clearance")}
    found = [_within_limits(of, values.get(of)) for of in _LIMITS]
    found.append(_clear_of(values.get("paths"), values.get("clearance", 3)))
    conditions = [c for c in found if c is not None]
    if conditions:
        out["conditions"] = [*values.get("conditions", ()), *conditions]
    return out


CHANGED = {"scatter": conditions_of_scatter}
"""What the parameters of layers of a kind have become, by its name."""


def conditions_of_edit(fields: Any, now: Mapping[str, Any]) -> Any:
    """Fields of an edit of a scatter, by dotted names, with conditions in the place of its borders.

    Args:
        now: what the layer holds: an edit tells only what it changed.
    """
    if not isinstance(fields, Mapping):
        return fields
    out = dict(fields)

    def put(name: str, condition: dict[str, Any] | None) -> None:
        out[f"parameters.conditions#{name}"] = condition and {"value": condition}

    for of in _LIMITS:
        if f"parameters.{of}" in out:
            put(of, _within_limits(of, out.pop(f"parameters.{of}")))
    named = [f"parameters.{k}" for k in ("paths", "clearance")]
    if any(k in out for k in named):
        paths = out.pop(named[0], now.get("paths"))
        metres = out.pop(named[1], now.get("clearance"))
        put("clear", _clear_of(paths, 3 if metres is None else metres))
    return out


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
            out["layers"] = [_within(layer, _layer_change(layer)) for layer in out["layers"]]
        if "parameters" in out:
            out["parameters"] = migrated_parameters(out["parameters"])
    out["version"] = VERSION
    return out


def _layer_change(layer: Any) -> Callable[[Any], Any]:
    change = CHANGED.get(layer.get("kind", "")) if isinstance(layer, Mapping) else None
    return (lambda values: change(migrated_layer(values))) if change else migrated_layer


def _within(item: Any, change: Callable[[Any], Any]) -> Any:
    """`item` with its parameters changed."""
    if not isinstance(item, Mapping) or "parameters" not in item:
        return item
    return {**item, "parameters": change(item["parameters"])}
