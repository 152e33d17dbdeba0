"""Brush: assets painted over the ground."""

from __future__ import annotations

from plough.core.place.brush import BrushStroke, Brushwork
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind
from plough.core.scene.spread import Spread, painting


class BrushParameters(Spread):
    """Assets painted by brush: strokes say which of them may stand where."""

    strokes: tuple[BrushStroke, ...] = painting()


@layer_kind(
    "brush",
    "Brush",
    "Assets painted over the ground, as many at once as you like.",
    BrushParameters,
    gives=("placements",),
)
def evaluate(p: BrushParameters, inputs: Inputs) -> Output:
    """Placements by tile."""
    mix = inputs.mix(p.mix, p.mirrored)
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to paint with")
    if not mix.variants or not p.strokes:
        return Output(placements=TiledPlacements(mix.variants))
    brush = Brushwork.of(p.strokes, mix.names, alone=True)
    rule = p.rule(mix, inputs, fill=1.0, brush=brush)
    tiles = p.placed(rule, p.room(mix, inputs), inputs)
    if not tiles:
        inputs.find(
            "nothing-stands",
            "nothing that is painted may stand there: it is kept clear, taken, or not as the conditions ask",
        )
    return Output(placements=TiledPlacements(mix.variants, tuple(tiles)))
