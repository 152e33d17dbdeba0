"""Scatter: assets spread by a rule."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import ClassVar, Literal

from plough.core.ground.areas import Region
from plough.core.matters import Matters, among
from plough.core.parameters import (
    Id,
    choice,
    count,
    number,
    reference,
)
from plough.core.place.placements import PlacedTile
from plough.core.place.room import Room, first_of
from plough.core.place.rules import FINER, Pattern, ScatterRule, weight_of
from plough.core.place.sampling import DENSITY
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind
from plough.core.scene.spread import PaintedOver, Spread
from plough.core.tiles import Bounds


class ScatterParameters(PaintedOver, Spread):
    """Assets scattered by rule."""

    matters: ClassVar[Matters] = {
        "fill": among("how_many", "fill"),
        "per_hectare": among("how_many", "per-hectare"),
        "in_all": among("how_many", "count"),
        "rows azimuth jitter": among("pattern", "rows", "staggered"),
        "contours": among("pattern", "contours"),
    }

    areas: tuple[Id, ...] = reference(
        (), "Over", "region", group="Where", help="None: the whole ground."
    )
    pattern: Literal["anyhow", "rows", "staggered", "contours"] = choice(
        "anyhow",
        "Pattern",
        {
            "anyhow": "None: anyhow",
            "rows": "Rows",
            "staggered": "Staggered rows",
            "contours": "Along contour lines",
        },
        group="How close",
    )
    rows: float = number(
        5, "Between rows", (0.1, 200), soft=(0.3, 20), unit="m", step=0.05, group="How close"
    )
    azimuth: float = number(
        90,
        "Rows run",
        (0, 180),
        unit="°",
        step=1,
        group="How close",
        help="Clockwise from north.",
    )
    jitter: float = number(
        0,
        "Out of line by up to",
        (0, 100),
        soft=(0, 60),
        unit="%",
        step=1,
        group="How close",
        help="Of half the way to the next.",
    )
    contours: float = number(
        1,
        "A contour line every",
        (0.05, 100),
        soft=(0.1, 10),
        unit="m",
        step=0.05,
        group="How close",
        help="Metres of height.",
    )
    how_many: Literal["fill", "per-hectare", "count"] = choice(
        "fill",
        "How many",
        {
            "fill": "A share of what fits",
            "per-hectare": "So many a hectare",
            "count": "So many in all",
        },
        group="How close",
    )
    in_all: int = count(
        100,
        "In all",
        (0, 1_000_000),
        soft=(0, 1000),
        group="How close",
        help="As many as fit, at most. A higher number keeps all that stood.",
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

    @property
    def in_rows(self) -> bool:
        """Whether they stand in straight rows."""
        return self.pattern in ("rows", "staggered")


def _fill(p: ScatterParameters, inputs: Inputs) -> float:
    """The share of what fits at the spacing."""
    if p.how_many == "fill":
        return p.fill / 100.0
    if p.how_many == "count":
        return 1.0
    fits = (1.0 if p.in_rows else DENSITY) * 1e4 / _share_of_each(p)
    if p.per_hectare > fits:
        text = f"at {p.spacing:g} m no more than {fits:,.0f} a hectare fit; lower the spacing"
        inputs.find("too-many", text)
    return min(1.0, p.per_hectare / fits)


def _share_of_each(p: ScatterParameters) -> float:
    """Square metres that belong to each candidate, in the measure of its pattern."""
    if p.in_rows:
        return p.spacing * p.rows
    return (p.spacing * (FINER if p.pattern == "contours" else 1.0)) ** 2


def _pattern(p: ScatterParameters) -> Pattern:
    if p.pattern == "contours":
        return Pattern("contours", p.contours)
    if not p.in_rows:
        return Pattern()
    turn = math.radians(p.azimuth - 90.0)
    return Pattern("rows", p.rows, turn, p.pattern == "staggered", p.jitter / 100.0)


def _expected(p: ScatterParameters, regions: Sequence[Region], bounds: Bounds) -> float:
    """How many would stand where nothing thins them out."""
    if p.how_many == "count":
        return float(p.in_all)
    x0, z0, x1, z1 = bounds
    whole = (x1 - x0) * (z1 - z0)
    area = min(whole, sum(r.area for r in regions)) if regions else whole
    if p.how_many == "per-hectare":
        return p.per_hectare * area / 1e4
    return p.fill / 100.0 * (1.0 if p.in_rows else DENSITY) * area / _share_of_each(p)


def _counted(
    p: ScatterParameters, rule: ScatterRule, room: Room | None, count: int, inputs: Inputs
) -> list[PlacedTile]:
    """The first `count` of all that fit; no more are looked at than need be."""
    x0, z0, x1, z1 = inputs.surface().bounds
    share = 4.0 * count * _share_of_each(p) / max(1.0, (x1 - x0) * (z1 - z0))
    while True:
        share = min(1.0, share)
        tiles = p.placed(replace(rule, fill=share), room, inputs)
        found = sum(t.placements.count for t in tiles)
        if found >= count or share == 1.0:
            break
        share *= 8.0
    if found < count:
        inputs.find("too-many", f"only {found:,} of {p.in_all:,} fit where they may stand")
    return first_of(tiles, count)


@layer_kind(
    "scatter",
    "Scatter",
    "Assets spread by a rule: how close, where, how they stand.",
    ScatterParameters,
    gives=("placements",),
)
def evaluate(p: ScatterParameters, inputs: Inputs) -> Output:
    """Placements by tile."""
    mix = inputs.mix(p.mix, p.mirrored)
    regions = inputs.regions(p.areas)
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to scatter")
    if not mix.variants or (p.areas and not regions):
        return Output(placements=TiledPlacements(mix.variants))
    share = inputs.share_of(_expected(p, regions, inputs.surface().bounds))
    on_lines = 0.5 * p.spacing if p.pattern == "contours" else 0.0
    room, whole = p.room(mix, inputs, on_lines), _fill(p, inputs)
    fill = share * whole
    if room is not None and p.how_many == "fill":
        # what finds room is thinned, and not what looks for it
        room, fill, whole = replace(room, share=fill), 1.0, 1.0
    rule = p.rule(
        mix,
        inputs,
        fill=fill,
        pattern=_pattern(p),
        regions=tuple(regions),
        brush=p.brushwork(mix, whole),
    )
    if p.how_many == "count":
        tiles = _counted(p, rule, room, int(share * p.in_all), inputs)
    else:
        tiles = p.placed(rule, room, inputs)
    placed = TiledPlacements(mix.variants, tuple(tiles), share=share)
    return Output(placements=placed, weigh=partial(weight_of, rule))
