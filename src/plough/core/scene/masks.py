"""Masks: where the rule of a layer lets things stand, as an image over the whole ground."""

from __future__ import annotations

import io
import math

import numpy as np

from plough.core.errors import ParameterError
from plough.core.scene.evaluation import Evaluation

SIDES = (256, 4096)  #: points a side, least and most


def mask_of(evaluation: Evaluation, layer_id: str, side: int = 1024) -> bytes:
    """A PNG of 8 bits of how likely a candidate is to be taken, white where it always is; north is up.

    Raises:
        ParameterError: the layer is not there, places nothing by rule, or `side` is out of reach.
    """
    from PIL import Image

    if not SIDES[0] <= side <= SIDES[1]:
        limit = f"{SIDES[0]} to {SIDES[1]:,}"
        raise ParameterError("side", f"{side} points a side; {limit} are possible", limit=limit)
    found = next((r for r in evaluation.layers if r.layer.id == layer_id), None)
    if found is None:
        raise ParameterError("layer", f"there is no layer {layer_id!r}")
    weigh = found.output.weigh
    if weigh is None:
        raise ParameterError(
            "layer", f"{found.layer.name} has no rule that says where, or is hidden"
        )
    x0, z0, x1, z1 = evaluation.surface.bounds
    middle = (np.arange(side) + 0.5) / side
    east = x0 + middle * (x1 - x0)
    rows = []
    for south in np.array_split(z0 + middle * (z1 - z0), math.ceil(side / 64)):
        x, z = (a.ravel() for a in np.meshgrid(east, south))
        found_there = weigh(evaluation.surface.sample(x, z))
        rows.append(np.round(255.0 * found_there).astype(np.uint8).reshape(-1, side))
    out = io.BytesIO()
    Image.fromarray(np.concatenate(rows)).save(out, "PNG")
    return out.getvalue()
