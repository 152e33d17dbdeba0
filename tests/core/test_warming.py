"""What every kernel is compiled by."""

from __future__ import annotations

from plough.core.scene.registry import get_layer_kind
from plough.warming import worked_ground


def test_the_scene_that_compiles_kernels_can_be_read_and_has_what_the_demo_lacks() -> None:
    document = worked_ground()
    kinds = [layer.kind for layer in document.layers]
    assert {"path", "area", "by_hand", "wall"} <= set(kinds)
    assert all(get_layer_kind(k).evaluate for k in kinds)
