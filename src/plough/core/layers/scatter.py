"""Scatter: assets spread by a rule."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from pydantic import Field

from plough.core.ground.conditions import MOST_CONDITIONS, Condition
from plough.core.matters import Matters, among
from plough.core.parameters import (
    Id,
    Parameters,
    Seed,
    choice,
    flag,
    number,
    reference,
    span,
    within,
)
from plough.core.place.pose import Pose
from plough.core.place.rules import ScatterRule, scatter
from plough.core.place.sampling import DENSITY
from plough.core.scene.document import MixEntry
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind


class ScatterParameters(Parameters):
    """Assets scattered by rule."""

    matters: ClassVar[Matters] = {
        "tall": among("linked", False),
        "fill": among("how_many", "fill"),
        "per_hectare": among("how_many", "per-hectare"),
    }

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
    how_many: Literal["fill", "per-hectare"] = choice(
        "fill",
        "How many",
        {"fill": "A share of what fits", "per-hectare": "So many a hectare"},
        group="How close",
    )
    per_hectare: float = number(
        200,
        "A hectare",
        (0, 1_000_000),
        soft=(0, 2000),
        step=1,
        group="How close",
        help="Where nothing thins them out; as many as fit at this spacing, at most.",
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
        help="From side to side about where they face; 360: any way.",
    )
    facing: float = number(
        180,
        "Facing",
        (0, 360),
        unit="°",
        step=1,
        group="How they stand",
        help="Clockwise from north.",
    )
    turn_step: float = number(
        0,
        "In steps of",
        (0, 180),
        soft=(0, 90),
        unit="°",
        step=1,
        group="How they stand",
        help="0: none.",
    )
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (85, 120), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )
    linked: bool = flag(
        True, "Height goes with it", group="How they stand", help="Else it is drawn by itself."
    )
    tall: within(5, 1000) = span(  # type: ignore[valid-type]
        (85, 120), "Height", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )
    sink: within(-200, 500) = span(  # type: ignore[valid-type]
        (0, 5), "Sunk", (-200, 500), soft=(-20, 50), unit="cm", step=1, group="How they stand"
    )


def _fill(p: ScatterParameters, inputs: Inputs) -> float:
    """The share of what fits at the spacing."""
    if p.how_many == "fill":
        return p.fill / 100.0
    fits = DENSITY * 1e4 / p.spacing**2
    if p.per_hectare > fits:
        text = f"at {p.spacing:g} m no more than {fits:,.0f} a hectare fit; lower the spacing"
        inputs.find("too-many", text)
    return min(1.0, p.per_hectare / fits)


def _pose(p: ScatterParameters) -> Pose:
    low, high = (s / 100.0 for s in p.size)
    tall = (0.0, 0.0) if p.linked else tuple(s / 100.0 for s in p.tall)
    return Pose(
        lean=p.lean / 100.0,
        turn=p.turn / 360.0,
        size_low=low,
        size_high=high,
        sink_low=p.sink[0] / 100.0,
        sink_high=p.sink[1] / 100.0,
        facing=math.pi - math.radians(p.facing),
        step=math.radians(p.turn_step),
        tilt=math.radians(p.tilt),
        tall_low=tall[0],
        tall_high=tall[1],
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
        fill=_fill(p, inputs),
        choices=mix.choices,
        regions=tuple(regions),
        conditions=inputs.weighted(p.conditions),
        shares=tuple(inputs.weighted(e.conditions) for e in mix.entries),
        sizes=tuple((e.size[0] / 100.0, e.size[1] / 100.0) for e in mix.entries),
        cleared=inputs.cleared(),
        apart=p.apart,
        pose=_pose(p),
    )
    tiles = scatter(rule, inputs.surface(), inputs.standing(), inputs.cache, inputs.check)
    return Output(placements=TiledPlacements(mix.variants, tuple(tiles)))
