"""Gathering: chosen placements made into one asset, a group, that stands where they stood."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from plough.core.errors import ParameterError
from plough.core.kinds import all_kinds
from plough.core.library.references import parts_of
from plough.core.place.by_hand import beneath
from plough.core.scene.adjust import Work
from plough.core.scene.document import SceneDocument
from plough.core.scene.evaluation import Evaluator
from plough.core.scene.kept import written
from plough.core.scene.registry import get_layer_kind

FACES = 180.0  #: degrees clockwise from north that a group faces whose axes are those of the map


@dataclass(frozen=True, slots=True)
class Gathered:
    """What makes a group of placements."""

    kind: str  #: of the asset
    parameters: dict[str, Any]  #: of the asset
    placed: dict[str, Any]  #: how it is set down, but for the asset's id
    layer: dict[
        str, Any
    ]  #: parameters of the layer that they are taken out by: dotted names to values


def gather(
    evaluator: Evaluator,
    document: SceneDocument,
    layer_id: str,
    things: Sequence[str],
    check: Callable[[], None] = lambda: None,
) -> Gathered:
    """A group of the placements `things` of a layer, and what takes them out of it.

    Raises:
        ParameterError: one of them is not there, they are too many, or mirrored.
    """
    kind = next(k for k in all_kinds().values() if k.parts == "stand")
    path = parts_of(kind.parameters)
    most = next(
        m.max_length
        for m in kind.parameters.model_fields[path].metadata
        if hasattr(m, "max_length")
    )
    if len(set(things)) > most:
        text = f"a group has {most} parts at most; {len(set(things))} are chosen"
        raise ParameterError("things", text, limit=f"{most}", value=len(set(things)))
    work = Work(evaluator, document, layer_id, things, check)
    stand, variants = work.before, work.variants
    if any(variants[int(v)].mirror_of for v in stand.variant):
        raise ParameterError("things", "what is mirrored cannot be part of a group")
    middle = 0.5 * (stand.at.min(axis=0) + stand.at.max(axis=0))
    ground = beneath(evaluator.evaluate(document, check).surface, np.array([middle, *stand.at]))
    parts = []
    for k in range(len(work.ids)):
        variant = variants[int(stand.variant[k])]
        up = float(ground[k + 1] + stand.lift[k] - ground[0])
        at = [stand.at[k, 0] - middle[0], up, stand.at[k, 1] - middle[1]]
        if np.abs(at).max() > 100:
            raise ParameterError(
                "things", "a group reaches 100 m about its middle at most", limit="100 m"
            )
        parts.append(
            {
                "id": f"p{k + 1}",
                "asset": variant.asset,
                "seed": variant.seed,
                "at": [round(float(v), 4) for v in at],
                "turn": round(float((stand.turn[k] - FACES) % 360.0), 3),
                "up": [round(float(v), 6) for v in stand.up[k]],
                "size": round(float(stand.size[k]), 6),
                "tall": round(float(stand.tall[k]), 6),
            }
        )
    layer = next(x for x in document.layers if x.id == layer_id)
    ids = [str(i) for i in work.ids.tolist()]
    of = {i: variants[int(v)].asset for i, v in zip(ids, stand.variant, strict=True)}
    out = written(get_layer_kind(layer.kind), layer, ids, [{"removed": True}] * len(ids), of)
    placed = {"seed": 1, "at": [round(float(v), 4) for v in middle], "turn": FACES}
    return Gathered(kind.name, {path: parts}, placed, out)
