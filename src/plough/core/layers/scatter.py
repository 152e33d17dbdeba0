"""Scatter: assets spread by a rule."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import ClassVar, Literal

import numpy as np

from plough.core.ground.areas import Region
from plough.core.ground.conditions import Condition
from plough.core.matters import Matters, among
from plough.core.parameters import (
    Id,
    Parameters,
    Seed,
    choice,
    count,
    flag,
    number,
    reference,
    seeded,
    span,
    within,
)
from plough.core.place.placements import PlacedTile
from plough.core.place.pose import Pose
from plough.core.place.room import Room, first_of, with_room
from plough.core.place.rules import FINER, Pattern, ScatterRule, scatter, weight_of
from plough.core.place.sampling import DENSITY
from plough.core.scene.document import MixEntry, mirrored, mix_of, where
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs, Mix
from plough.core.scene.registry import layer_kind
from plough.core.tiles import Bounds


class ScatterParameters(Parameters):
    """Assets scattered by rule."""

    matters: ClassVar[Matters] = {
        "tall": among("linked", False),
        "fill": among("how_many", "fill"),
        "per_hectare": among("how_many", "per-hectare"),
        "in_all": among("how_many", "count"),
        "rows azimuth jitter": among("pattern", "rows", "staggered"),
        "contours": among("pattern", "contours"),
        "overlap": among("crowns", True),
    }

    seed: Seed = seeded()
    mix: tuple[MixEntry, ...] = mix_of()
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
        help="Least distance between any two stems; along a row, where there are rows.",
    )
    crowns: bool = flag(
        False, "Crown to crown", group="How close", help="Each keeps the room of its crown as well."
    )
    overlap: float = number(
        20,
        "Crowns overlap by",
        (0, 90),
        unit="%",
        step=1,
        group="How close",
        help="Of their radii, at most.",
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
    apart_from: Literal["stems", "feet", "crowns"] = choice(
        "stems",
        "Measured from",
        {"stems": "Their stems", "feet": "The rims of their feet", "crowns": "Their crowns"},
        group="How close",
    )
    conditions: tuple[Condition, ...] = where()
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
    mirrored: float = mirrored()
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
    grounded: bool = flag(
        False,
        "Down until no gap shows",
        group="How they stand",
        help="Besides that: until all of its foot is in the ground.",
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


def _room(p: ScatterParameters, mix: Mix, inputs: Inputs) -> Room | None:
    """How far from each other they stand besides the distance between stems; None where that is all."""
    on_lines = p.pattern == "contours"
    if not (p.crowns or on_lines or any(e.spacing for e in mix.entries)):
        return None
    own = mix.choices.each([0.5 * e.spacing for e in mix.entries])
    stems = np.maximum(own, 0.5 * p.spacing if on_lines else 0.0).astype(np.float32)
    crowns = np.zeros(len(stems), np.float32)
    if p.crowns:
        crowns = inputs.crowns(mix.variants) * np.float32(1.0 - p.overlap / 100.0)
    largest = p.size[1] / 100.0 * max(e.size[1] / 100.0 for e in mix.entries)
    widest = max(float(stems.max()), float(crowns.max()) * largest)
    return Room(stems, crowns, widest, seed=inputs.seed(p.seed))


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


def _placed(
    p: ScatterParameters, rule: ScatterRule, room: Room | None, inputs: Inputs
) -> list[PlacedTile]:
    """What stands by `rule`, each with room about it."""
    taken = {"stems": None, "feet": inputs.feet, "crowns": inputs.crowns}[p.apart_from]
    tiles = scatter(rule, inputs.surface(), inputs.standing(taken), inputs.cache, inputs.check)
    return tiles if room is None else with_room(tiles, room, inputs.cache, inputs.check)


def _counted(
    p: ScatterParameters, rule: ScatterRule, room: Room | None, count: int, inputs: Inputs
) -> list[PlacedTile]:
    """The first `count` of all that fit; no more are looked at than need be."""
    x0, z0, x1, z1 = inputs.surface().bounds
    share = 4.0 * count * _share_of_each(p) / max(1.0, (x1 - x0) * (z1 - z0))
    while True:
        share = min(1.0, share)
        tiles = _placed(p, replace(rule, fill=share), room, inputs)
        found = sum(t.placements.count for t in tiles)
        if found >= count or share == 1.0:
            break
        share *= 8.0
    if found < count:
        inputs.find("too-many", f"only {found:,} of {p.in_all:,} fit where they may stand")
    return first_of(tiles, count)


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
    mix = inputs.mix(p.mix, p.mirrored)
    regions = inputs.regions(p.areas)
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to scatter")
    if not mix.variants or (p.areas and not regions):
        return Output(placements=TiledPlacements(mix.variants))
    share = inputs.share_of(_expected(p, regions, inputs.surface().bounds))
    room, fill = _room(p, mix, inputs), share * _fill(p, inputs)
    if (
        room is not None and p.how_many == "fill"
    ):  # what finds room is thinned, and not what looks for it
        room, fill = replace(room, share=fill), 1.0
    rule = ScatterRule(
        seed=inputs.seed(p.seed),
        spacing=p.spacing,
        fill=fill,
        pattern=_pattern(p),
        choices=mix.choices,
        regions=tuple(regions),
        conditions=inputs.weighted(p.conditions),
        shares=inputs.likings(mix),
        sizes=mix.sizes,
        cleared=inputs.cleared(),
        apart=p.apart,
        pose=_pose(p),
        feet=inputs.feet(mix.variants) if p.grounded else np.empty(0),
    )
    if p.how_many == "count":
        tiles = _counted(p, rule, room, int(share * p.in_all), inputs)
    else:
        tiles = _placed(p, rule, room, inputs)
    placed = TiledPlacements(mix.variants, tuple(tiles), share=share)
    return Output(placements=placed, weigh=partial(weight_of, rule))
