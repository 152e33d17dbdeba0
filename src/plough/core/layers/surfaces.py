"""On surfaces: assets on the faces of what other layers placed or made."""

from __future__ import annotations

import math

import numpy as np

from plough.core.ground.conditions import Condition
from plough.core.parameters import Id, Seed, number, reference, seeded, span, within
from plough.core.place.pose import Pose
from plough.core.place.touches import Touch
from plough.core.place.upon import UponRule, upon
from plough.core.scene.document import MixEntry, mirrored, mix_of, touches_of, where
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs, Mix
from plough.core.scene.registry import layer_kind
from plough.core.scene.spread import PaintedOver


class SurfacesParameters(PaintedOver):
    """Assets on the faces of things."""

    seed: Seed = seeded()
    mix: tuple[MixEntry, ...] = mix_of()
    touches: tuple[Touch, ...] = touches_of()
    on: tuple[Id, ...] = reference(
        (), "On", "placements", group="Where", help="On what these layers place."
    )
    spacing: float = number(
        0.4,
        "Spacing",
        (0.02, 50),
        soft=(0.05, 4),
        unit="m",
        step=0.01,
        group="How close",
        help="Least distance between any two that look the same way.",
    )
    fill: float = number(
        70,
        "Fill",
        (0, 100),
        unit="%",
        step=1,
        group="How close",
        help="Share of what fits at this spacing. A higher fill keeps all that stood.",
    )
    facing: within(0, 180) = span(  # type: ignore[valid-type]
        (0, 60),
        "Faces turned by",
        (0, 180),
        unit="°",
        step=1,
        group="Where",
        help="0 looks up, 90 is upright, 180 hangs over.",
    )
    conditions: tuple[Condition, ...] = where()
    lean: float = number(
        100,
        "Leans with the face",
        (0, 100),
        unit="%",
        step=1,
        group="How they stand",
        help="0 upright, 100 square to the face.",
    )
    tilt: float = number(
        0,
        "Tilted by up to",
        (0, 90),
        soft=(0, 30),
        unit="°",
        step=0.5,
        group="How they stand",
        help="Away from that, each its own way.",
    )
    turn: float = number(
        360,
        "Turned by up to",
        (0, 360),
        unit="°",
        step=1,
        group="How they stand",
        help="From side to side; 360: any way.",
    )
    mirrored: float = mirrored()
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (80, 120), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )
    sink: within(-200, 500) = span(  # type: ignore[valid-type]
        (0, 1),
        "Sunk",
        (-200, 500),
        soft=(-5, 20),
        unit="cm",
        step=0.5,
        group="How they stand",
        help="Into the face.",
    )


def _pose(p: SurfacesParameters) -> Pose:
    return Pose(
        lean=p.lean / 100.0,
        turn=p.turn / 360.0,
        size_low=p.size[0] / 100.0,
        size_high=p.size[1] / 100.0,
        sink_low=p.sink[0] / 100.0,
        sink_high=p.sink[1] / 100.0,
        tilt=math.radians(p.tilt),
    )


def _rule(p: SurfacesParameters, mix: Mix, inputs: Inputs) -> UponRule:
    brush = p.brushwork(mix, p.fill / 100.0)
    distances = [max(p.spacing, e.spacing) for e in mix.entries]
    if brush is not None:  # any of them may come to stand anywhere
        distances = [max(distances)] * len(distances)
    own = mix.choices.each(distances)
    return UponRule(
        seed=inputs.seed(p.seed),
        spacing=p.spacing,
        stems=(0.5 * own).astype(np.float32),
        fill=p.fill / 100.0,
        facing=p.facing,
        choices=mix.choices,
        conditions=inputs.weighted(p.conditions),
        shares=inputs.likings(mix),
        sizes=mix.sizes,
        pose=_pose(p),
        brush=brush,
    )


@layer_kind(
    "surfaces",
    "On surfaces",
    "Assets on the faces of what other layers placed: moss on stones, ferns on a wall.",
    SurfacesParameters,
    gives=("placements",),
    stands="on faces",
)
def evaluate(p: SurfacesParameters, inputs: Inputs) -> Output:
    """Placements on faces, by tile."""
    mix = inputs.mix(p.mix, p.mirrored)
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to stand on them")
    if not p.on:
        inputs.find("nothing-chosen", "no layer is chosen to stand on")
    bearers = inputs.bearers(p.on)
    if not mix.variants or not bearers:
        return Output(placements=TiledPlacements(mix.variants))
    tiles = upon(_rule(p, mix, inputs), bearers, inputs.surface(), inputs.cache, inputs.check)
    return Output(placements=TiledPlacements(mix.variants, tuple(tiles)))
