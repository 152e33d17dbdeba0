"""In the air: assets in boxes, balls and tubes of air, left there or dropped."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar

import numpy as np
from pydantic import Field, model_validator

from plough.core.arrays import Float64, Int64
from plough.core.errors import ParameterError
from plough.core.ground.conditions import Condition, sifted
from plough.core.ground.paths import path_curve
from plough.core.ground.surface import Samples, Surface
from plough.core.matters import Matters, among
from plough.core.parameters import (
    Parameters,
    Point,
    Seed,
    choice,
    count,
    flag,
    number,
    points,
    seeded,
    span,
    within,
)
from plough.core.place.air import MOST, Afloat, Air, Form, about_points, along_line
from plough.core.place.placements import Placements, cut
from plough.core.place.pose import Pose, set_up
from plough.core.place.room import settled
from plough.core.place.rules import own_sizes, shares_at
from plough.core.place.touches import Touch
from plough.core.place.variants import NONE
from plough.core.rng import stream, uniform_array
from plough.core.scene.document import MixEntry, mirrored, mix_of, touches_of, where
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs
from plough.core.scene.registry import layer_kind

_CONDITION = stream("air.condition")


class AirParameters(Parameters):
    """Assets in bodies of air."""

    matters: ClassVar[Matters] = {
        "deep": among("form", "box", "ball"),
        "lean": among("dropped", True),
    }

    seed: Seed = seeded()
    mix: tuple[MixEntry, ...] = mix_of()
    touches: tuple[Touch, ...] = touches_of()
    points: Annotated[tuple[Point, ...], Field(min_length=1, max_length=60)] = points(
        "Points", least=1, group="The body"
    )
    form: Form = choice(
        "box",
        "Body",
        {"box": "A box at each point", "ball": "A ball at each point", "tube": "A tube along them"},
        group="The body",
    )
    wide: float = number(
        8,
        "Wide",
        (0, 1000),
        soft=(0, 60),
        unit="m",
        step=0.1,
        group="The body",
        help="East to west.",
    )
    tall: float = number(3, "High", (0, 200), soft=(0, 40), unit="m", step=0.1, group="The body")
    deep: float = number(
        8,
        "Deep",
        (0, 1000),
        soft=(0, 60),
        unit="m",
        step=0.1,
        group="The body",
        help="North to south.",
    )
    above: float = number(
        3,
        "Above the ground",
        (-100, 300),
        soft=(0, 60),
        unit="m",
        step=0.1,
        group="The body",
        help="Its middle.",
    )
    count: int = count(
        60,
        "How many",
        (0, MOST),
        soft=(0, 500),
        group="How close",
        help="In each body. A higher number keeps all that hung.",
    )
    bias: float = number(
        0,
        "Towards the rim",
        (-100, 100),
        unit="%",
        step=1,
        group="How close",
        help="Below 0 towards the middle.",
    )
    apart: float = number(
        0,
        "At least apart",
        (0, 50),
        soft=(0, 5),
        unit="m",
        step=0.05,
        group="How close",
        help="One that is too near an earlier one is left out.",
    )
    conditions: tuple[Condition, ...] = where()
    dropped: bool = flag(
        False,
        "Dropped to the ground",
        group="How they stand",
        help="Straight down; what has no ground beneath it is left out.",
    )
    lean: float = number(
        60, "Leans with the slope", (0, 100), unit="%", step=1, group="How they stand"
    )
    tilt: float = number(
        0,
        "Tilted by up to",
        (0, 180),
        unit="°",
        step=1,
        group="How they stand",
        help="Each its own way; 180: any way up.",
    )
    turn: float = number(360, "Turned by up to", (0, 360), unit="°", step=1, group="How they stand")
    facing: float = number(
        180,
        "Facing",
        (0, 360),
        unit="°",
        step=1,
        group="How they stand",
        help="Clockwise from north.",
    )
    mirrored: float = mirrored()
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (85, 120), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )

    @model_validator(mode="after")
    def _possible(self) -> AirParameters:
        bodies = 1 if self.line else len(self.points)
        if self.count * bodies > MOST:
            raise ValueError(
                f"count: {self.count:,} in each of {bodies} bodies are {self.count * bodies:,};"
                f" the limit is {MOST:,}"
            )
        if self.line:
            try:
                path_curve(self.points)
            except ParameterError as error:
                raise ValueError(str(error)) from None
        return self

    @property
    def line(self) -> bool:
        """Whether it is one body along its points."""
        return self.form == "tube" and len(self.points) > 1


def _afloat(p: AirParameters, seed: int, surface: Surface) -> Afloat:
    air = Air(seed, p.count, p.form, (p.wide, p.tall, p.deep), p.above, p.bias / 100.0)
    if p.line:
        return along_line(air, path_curve(p.points), surface)
    return about_points(air, np.array(p.points, np.float64), surface)


def _landed(p: AirParameters, at: Afloat, surface: Surface) -> tuple[Afloat, Samples]:
    """Those that have a place in the end, and where that is."""
    up = np.tile([0.0, 1.0, 0.0], (len(at.ids), 1))
    if not p.dropped:
        return at, Samples(at.position, up, np.ones(len(at.ids), bool))
    hits = surface.cast(at.position, -up)
    rows = np.nonzero(np.isfinite(hits.distance))[0]
    there = Samples(hits.position[rows], hits.normal[rows], np.ones(len(rows), bool))
    return at.taken(rows), there


def _apart(p: AirParameters, position: Float64, at: Afloat) -> Int64:
    """The rows of those that keep their distance from all earlier ones."""
    if p.apart <= 0:
        return np.arange(len(at.ids))
    order = np.lexsort((at.ids, at.rank))
    half = np.full(len(at.ids), 0.5 * p.apart)
    return np.nonzero(settled(position, np.zeros_like(position), half, order, p.apart))[0]


def _pose(p: AirParameters) -> Pose:
    return Pose(
        lean=p.lean / 100.0,
        turn=p.turn / 360.0,
        size_low=p.size[0] / 100.0,
        size_high=p.size[1] / 100.0,
        facing=math.pi - math.radians(p.facing),
        tilt=math.radians(p.tilt),
    )


@layer_kind(
    "air",
    "In the air",
    "Assets in a body of air, left there or dropped: leaves that fall, birds, lanterns.",
    AirParameters,
    gives=("placements",),
    stands="anywhere",
)
def evaluate(p: AirParameters, inputs: Inputs) -> Output:
    """Placements in the air, or under it."""
    mix, surface, seed = inputs.mix(p.mix, p.mirrored), inputs.surface(), inputs.seed(p.seed)
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to hang there")
    if not mix.variants:
        return Output(placements=TiledPlacements(mix.variants))
    at, there = _landed(p, _afloat(p, seed, surface), surface)
    draw = uniform_array(seed, _CONDITION, at.ids)
    rows = sifted(inputs.weighted(p.conditions), there, draw)
    at, there = at.taken(rows), there.taken(rows)
    variant = mix.choices.choose(at.ids, shares_at(inputs.likings(mix), there))
    rows = np.nonzero(variant != NONE)[0]
    at, there, variant = at.taken(rows), there.taken(rows), variant[rows]
    rows = _apart(p, there.position, at)
    at, there, variant = at.taken(rows), there.taken(rows), variant[rows]
    position, rotation, scale = set_up(
        np.uint64(seed), at.ids, there.position, there.normal, _pose(p), np.zeros(1)
    )
    scale = scale * own_sizes(seed, mix.choices, mix.sizes, at.ids, variant)
    placed = Placements(at.ids, variant, position, rotation, scale)
    place = (at.rank / max(1, p.count)).astype(np.float32)
    tiles = tuple(cut(placed, place)) if placed.count else ()
    return Output(placements=TiledPlacements(mix.variants, tiles))
