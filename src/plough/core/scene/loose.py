"""A layer set loose: what its rule placed, as placements set down by hand; what it was ruled by may go."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.errors import ParameterError
from plough.core.place.by_hand import MOST_SET, beneath
from plough.core.scene.document import LayerGame, SceneDocument, with_layer
from plough.core.scene.evaluation import Evaluator
from plough.core.scene.registry import all_layer_kinds
from plough.core.vectors import tilted


@dataclass(frozen=True, slots=True)
class Loose:
    """What the layer becomes."""

    kind: str
    parameters: dict[str, Any]


def set_loose(evaluator: Evaluator, document: SceneDocument, layer_id: str) -> Loose:
    """What the layer `layer_id` comes to at the highest tier, each placement by itself; they stand where they stood.

    Raises:
        ParameterError: the layer is not there, places nothing, places too much, or what it places spins.
    """
    layer = next((x for x in document.layers if x.id == layer_id), None)
    if layer is None:
        raise ParameterError("layer", f"there is no layer {layer_id!r}", value=layer_id)
    whole_of_it = with_layer(document, layer.model_copy(update={"game": LayerGame()}))
    evaluation = evaluator.evaluate(whole_of_it, until=layer_id)
    found = evaluation.layer(layer_id)
    placed, name = found.output.placements, found.layer.name
    if placed is None or not placed.count:
        raise ParameterError("layer", f"nothing of {name} stands, or it is hidden", value=layer_id)
    if placed.count > MOST_SET:
        text = f"{placed.count:,} placements of {name}; no more than {MOST_SET:,} can be set loose"
        raise ParameterError("layer", text, value=placed.count, limit=f"{MOST_SET:,}")
    if any(placed.spin):
        raise ParameterError("layer", f"what spins stays with its rule: {name}", value=layer_id)
    whole = placed.whole()
    position = whole.position.astype(np.float64)
    lift = position[:, 1] - beneath(evaluation.surface, position[:, [0, 2]])
    turn, up = facing_of(whole.rotation)
    things = []
    for k, row in enumerate(whole.variant.tolist()):
        variant = placed.variants[row]
        own = variant.mirror_of or variant
        thing = {
            "id": f"{whole.ids[k]}",
            "asset": own.asset,
            "seed": own.seed,
            "at": [round(float(v), 4) for v in position[k, [0, 2]]],
            "lift": round(float(lift[k]), 4),
            "turn": round(float(turn[k]), 2),
            "size": round(float(whole.scale[k, 0]), 5),
        }
        if variant.mirror_of is not None:
            thing["mirrored"] = True
        if up[k].any():
            thing["up"] = [round(float(v), 6) for v in up[k]]
        if whole.scale[k, 1] != whole.scale[k, 0]:
            thing["tall"] = round(float(whole.scale[k, 1] / whole.scale[k, 0]), 5)
        things.append(thing)
    kind, mix = _kind()
    used = dict.fromkeys(t["asset"] for t in things)
    return Loose(kind, {mix: [{"asset": asset} for asset in used], "placed": things})


def _kind() -> tuple[str, str]:
    """The kind of layer whose placements are set down, and the parameter that holds its assets."""
    kind = next(k for k in all_layer_kinds().values() if k.holds("placed"))
    return kind.name, kind.holds("mix")


def facing_of(rotation: Float32) -> tuple[Float64, Float64]:
    """What `rotations` was given: degrees clockwise from north (n,), and which way is up (n, 2), as `tilted` writes it."""
    from scipy.spatial.transform import Rotation

    q = Rotation.from_quat(rotation.astype(np.float64))
    y, front = q.apply([0.0, 1.0, 0.0]), q.apply([0.0, 0.0, 1.0])
    level = np.hypot(y[:, 0], y[:, 2])
    way = np.where(level[:, None] > 1e-9, y[:, [0, 2]], [1.0, 0.0])
    way /= np.hypot(*way.T)[:, None]
    angle = np.arctan2(level, y[:, 1])
    axis = np.stack([way[:, 1], np.zeros(len(y)), -way[:, 0]], axis=1)
    tilt = Rotation.from_rotvec(axis * angle[:, None])
    front = tilt.inv().apply(front)
    turn = np.degrees(np.arctan2(front[:, 0], -front[:, 2])) % 360.0
    return turn, tilted(way, angle)
