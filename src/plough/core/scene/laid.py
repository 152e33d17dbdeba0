"""What a layer lays, as a list for those who build it."""

from __future__ import annotations

from plough.core.errors import ParameterError
from plough.core.lay.block_list import Blocks
from plough.core.scene.evaluation import Evaluation


def blocks_of(evaluation: Evaluation, layer_id: str) -> Blocks:
    """The blocks of a layer.

    Raises:
        ParameterError: the layer is not there, or is not laid of blocks.
    """
    found = next((r for r in evaluation.layers if r.layer.id == layer_id), None)
    if found is None:
        raise ParameterError("layer", f"there is no layer {layer_id!r}")
    if found.output.blocks is None:
        raise ParameterError("layer", f"{found.layer.name} is not laid of blocks, or is hidden")
    return found.output.blocks
