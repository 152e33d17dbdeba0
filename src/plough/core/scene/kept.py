"""What a layer keeps of single placements: touches of a rule, or what was set down."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from plough.core.errors import ParameterError
from plough.core.place.by_hand import id_of
from plough.core.place.touches import MOST_TOUCHES
from plough.core.scene.document import Layer, SceneDocument
from plough.core.scene.registry import LayerKind, get_layer_kind


def held(document: SceneDocument, layer_id: str) -> tuple[Layer, LayerKind]:
    """A layer that keeps edits of single placements, and its kind."""
    layer = next((x for x in document.layers if x.id == layer_id), None)
    if layer is None:
        raise ParameterError("layer", f"there is no layer {layer_id!r}", value=layer_id)
    kind = get_layer_kind(layer.kind)
    if not (kind.holds("placed") or kind.holds("touches")):
        raise ParameterError("layer", f"{layer.name} has no placements to change", value=layer_id)
    return layer, kind


def number(thing: str) -> int:
    """The id of a placement as a number. Raises `ParameterError` where it is none."""
    try:
        value = int(thing)
    except ValueError:
        value = -1
    if not 0 <= value < 2**64:
        raise ParameterError(
            "things", "the id of a placement is a whole number of 64 bits", value=thing
        )
    return value


def numbered(layer: Layer, path: str) -> dict[int, dict[str, Any]]:
    """What was set down, by the id of its placement."""
    return {id_of(layer.id, t["id"]): dict(t) for t in layer.parameters.get(path, ())}


def levels_of(kind: LayerKind, layer: Layer) -> dict[int, float]:
    """The level that each placement stands on that has been loosened from the ground, by its id."""
    path = kind.holds("placed")
    if path:
        loose = [t for t in layer.parameters.get(path, ()) if t.get("ground") is not None]
        kept = {id_of(layer.id, t["id"]): t for t in loose}
    else:
        kept = {int(t["id"]): t for t in layer.parameters.get(kind.holds("touches"), ())}
    return {i: float(t["ground"]) for i, t in kept.items() if t.get("ground") is not None}


def written(
    kind: LayerKind,
    layer: Layer,
    ids: list[str],
    values: Sequence[dict[str, Any] | None],
    of: dict[str, str],
) -> dict[str, Any]:
    """The parameters that keep `values` of placements besides what is kept of them; None: as the rule has it."""
    path = kind.holds("placed")
    out: dict[str, Any] = {}
    if path:
        by_number = numbered(layer, path)
        for thing, value in zip(ids, values, strict=True):
            old = by_number.get(number(thing))
            if old is None:
                raise ParameterError("things", "one of them is not there any more", value=thing)
            if value is None:
                raise ParameterError(
                    "do", f"{layer.name} has no rule to give them back to", value="rule"
                )
            gone = value.get("removed")
            if gone or value:
                whole = {n: v for n, v in {**old, **value}.items() if n != "id"}
                out[f"{path}#{old['id']}"] = None if gone else whole
        return out
    path = kind.holds("touches")
    kept = {t["id"]: t for t in layer.parameters.get(path, ())}
    fresh = 0
    for thing, value in zip(ids, values, strict=True):
        if value is None:
            if thing in kept:
                out[f"{path}#{thing}"] = None
        elif value:
            fresh += thing not in kept
            before = {n: v for n, v in kept.get(thing, {}).items() if n != "id"}
            out[f"{path}#{thing}"] = {
                **({"of": of[thing]} if thing in of else {}),
                **before,
                **value,
            }
    if len(kept) + fresh > MOST_TOUCHES:
        raise ParameterError(
            "things",
            f"{layer.name} would have more than {MOST_TOUCHES:,} touches; set it loose, or choose fewer",
            limit=f"{MOST_TOUCHES:,}",
        )
    return out
