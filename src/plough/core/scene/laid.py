"""What a layer lays, as a list for those who build it, and as it is seen from the side."""

from __future__ import annotations

from plough.core.errors import ParameterError
from plough.core.lay.block_list import Blocks
from plough.core.lay.elevation import Elevation
from plough.core.scene.evaluation import Evaluation, LayerResult


def _found(evaluation: Evaluation, layer_id: str) -> LayerResult:
    found = next((r for r in evaluation.layers if r.layer.id == layer_id), None)
    if found is None:
        raise ParameterError("layer", f"there is no layer {layer_id!r}")
    return found


def elevation_of(evaluation: Evaluation, layer_id: str) -> Elevation:
    """How a layer that is laid along a line is seen from the side.

    Raises:
        ParameterError: the layer is not there, or has no elevation.
    """
    found = _found(evaluation, layer_id)
    if found.output.elevation is None:
        raise ParameterError("layer", f"{found.layer.name} has no elevation, or is hidden")
    return found.output.elevation()


def blocks_of(evaluation: Evaluation, layer_id: str) -> Blocks:
    """The blocks of a layer.

    Raises:
        ParameterError: the layer is not there, or is not laid of blocks.
    """
    found = _found(evaluation, layer_id)
    if found.output.blocks is None:
        raise ParameterError("layer", f"{found.layer.name} is not laid of blocks, or is hidden")
    return found.output.blocks
