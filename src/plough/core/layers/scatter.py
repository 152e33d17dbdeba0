"""Scatter: assets spread by a rule."""

from __future__ import annotations

from pydantic import Field

from plough.core.ground.conditions import MOST_CONDITIONS, Condition
from plough.core.parameters import Id, Parameters, Seed, number, reference, span, within
from plough.core.place.pose import Pose
from plough.core.place.rules import ScatterRule, scatter
from plough.core.scene.document import MixEntry
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind


class ScatterParameters(Parameters):
    """Assets scattered by rule."""

    seed: Seed = Field(
        1, title="Seed", json_schema_extra={"control": "seed", "unit": "", "group": ""}
    )
    mix: tuple[MixEntry, ...] = Field(
        (),
        max_length=32,
        title="What",
        json_schema_extra={"control": "mix", "unit": "", "group": "What", "to": "asset"},
    )
    areas: tuple[Id, ...] = reference(
        (), "Over", "region", group="Where", help="None: the whole ground."
    )
    spacing: float = number(
        4,
        "Spacing",
        (0.1, 200),
        soft=(0.2, 20),
        unit="m",
        step=0.05,
        group="How close",
        help="Least distance between any two.",
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
    apart: float = number(
        1,
        "From earlier layers",
        (0, 100),
        soft=(0, 10),
        unit="m",
        step=0.1,
        group="How close",
        help="Gives way to what stands in layers further left.",
    )
    conditions: tuple[Condition, ...] = Field(
        (),
        max_length=MOST_CONDITIONS,
        title="Where",
        description="What a place must be like; each thins out what stands.",
        json_schema_extra={"control": "conditions", "unit": "", "group": "Where"},
    )
    lean: float = number(
        0,
        "Leans with the slope",
        (0, 100),
        unit="%",
        step=1,
        group="How they stand",
        help="0 upright, 100 square to the slope.",
    )
    turn: float = number(360, "Turned by up to", (0, 360), unit="°", step=1, group="How they stand")
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (85, 120), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )
    sink: within(-200, 500) = span(  # type: ignore[valid-type]
        (0, 5), "Sunk", (-200, 500), soft=(-20, 50), unit="cm", step=1, group="How they stand"
    )


@layer_kind(
    "scatter",
    "Scatter",
    "Assets spread by a rule: how close, where, how they stand.",
    ScatterParameters,
    gives=("placements",),
)
def evaluate(p: ScatterParameters, inputs: Inputs) -> Output:
    """Placements by tile."""
    mix = inputs.mix(p.mix)
    regions = inputs.regions(p.areas)
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to scatter")
    if not mix.variants or (p.areas and not regions):
        return Output(placements=TiledPlacements(mix.variants))
    rule = ScatterRule(
        seed=inputs.seed(p.seed),
        spacing=p.spacing,
        fill=p.fill / 100.0,
        choices=mix.choices,
        regions=tuple(regions),
        conditions=inputs.weighted(p.conditions),
        cleared=inputs.cleared(),
        apart=p.apart,
        pose=Pose(
            p.lean / 100.0,
            p.turn / 360.0,
            *(s / 100.0 for s in p.size),
            *(s / 100.0 for s in p.sink),
        ),
    )
    tiles = scatter(rule, inputs.surface(), inputs.standing(), inputs.cache, inputs.check)
    return Output(placements=TiledPlacements(mix.variants, tuple(tiles)))
