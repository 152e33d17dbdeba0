"""By hand: placements set down one by one."""

from __future__ import annotations

from collections import Counter

from pydantic import Field

from plough.core.parameters import Parameters
from plough.core.place.by_hand import MOST_SET, SetDown, set_down
from plough.core.scene.document import MixEntry, mix_of
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind


class ByHandParameters(Parameters):
    """Assets set down by hand, each where it was put."""

    mix: tuple[MixEntry, ...] = mix_of()
    placed: tuple[SetDown, ...] = Field(
        (),
        max_length=MOST_SET,
        title="Set down",
        description="Each placement; its height is measured from the ground beneath it.",
        json_schema_extra={"control": "placed", "unit": "", "group": "What"},
    )


@layer_kind(
    "by_hand",
    "By hand",
    "Assets set down one by one, on whatever is there.",
    ByHandParameters,
    gives=("placements",),
)
def evaluate(p: ByHandParameters, inputs: Inputs) -> Output:
    """Placements by tile."""
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to set down")
    used = Counter(t.asset for t in p.placed)
    mirrored = 100.0 if any(t.mirrored for t in p.placed) else 0.0
    mix = inputs.mix([MixEntry(asset=name) for name in used], mirrored)
    rows = {(v.asset, v.seed, v.mirror_of is not None): row for row, v in enumerate(mix.variants)}
    known = {v.asset for v in mix.variants}
    gone = Counter((t.asset, t.seed) for t in p.placed if t.variant not in rows)
    for (name, seed), count in gone.items():
        if name in known:  # else the asset itself is missing, and that has been told
            text = f"{count} {'stands' if count == 1 else 'stand'} in the seed {seed} of {name}, which is gone"
            inputs.find("missing-seed", text)
    tiles = set_down(p.placed, rows, inputs.surface(), inputs.layer_id)
    return Output(placements=TiledPlacements(mix.variants, tuple(tiles)))
