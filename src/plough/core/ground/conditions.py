"""Conditions: what a place must be like, as weights from 0 to 1 that are multiplied.

A condition measures something (`plough.core.ground.measures`) and weighs the value: 1 within a span, from there on
falling along a curve. So a condition can be a border, or thin what it acts on out from one.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import model_validator

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.curves import profile_table
from plough.core.ground.measures import Measure
from plough.core.ground.surface import Samples
from plough.core.kernels import kernel
from plough.core.matters import Matters, above, among
from plough.core.parameters import (
    Id,
    Knots,
    Parameters,
    Seed,
    Span,
    curve,
    flag,
    number,
    reference,
    seeded,
    span,
    text,
)
from plough.core.tiles import TileList, combine, hash_of

MeasureName = Literal[
    "slope",
    "height",
    "above-water",
    "shore",
    "wetness",
    "rise",
    "facing",
    "noise",
    "clump",
    "image",
    "path",
    "area",
    "class",
    "layer",
    "crown",
    "view",
]
MOST_CONDITIONS = 8


@dataclass(frozen=True, slots=True)
class MeasureFacts:
    """What is to be known of a measure by those who set conditions on it."""

    title: str
    unit: str
    limits: tuple[float, float]  #: an end of a span that lies at one is open
    soft: tuple[float, float]  #: what rulers show
    step: float
    between: tuple[float, float]  #: to begin with
    fade: float  #: to begin with
    to: str = ""  #: the facet of the layers that it measures from
    help: str = ""
    ground: bool = True  #: whether it can be measured before anything is covered or placed


MEASURES: dict[str, MeasureFacts] = {
    "slope": MeasureFacts("Slope", "°", (0, 180), (0, 90), 0.5, (0, 25), 5),
    "height": MeasureFacts("Height", "m", (-1000, 9000), (-20, 100), 0.1, (0, 20), 1),
    "above-water": MeasureFacts(
        "Height above the water",
        "m",
        (-1000, 1000),
        (-5, 10),
        0.05,
        (0, 1),
        0.2,
        help="Of the ground's standing water; without any, all lies high above it.",
    ),
    "shore": MeasureFacts(
        "Distance to the water",
        "m",
        (-1000, 1000),
        (-50, 100),
        0.5,
        (0, 10),
        5,
        help="On the map, to the edge of standing water; below 0 within it.",
    ),
    "wetness": MeasureFacts(
        "Wetness",
        "%",
        (0, 100),
        (0, 100),
        1,
        (60, 100),
        20,
        help="From the water that runs together there, the slope, hollows, and the height above standing water.",
    ),
    "rise": MeasureFacts(
        "Curvature",
        "m",
        (-50, 50),
        (-3, 3),
        0.05,
        (-50, 0),
        0.2,
        help="How far it rises over the ground around it: crests above 0, hollows below.",
    ),
    "facing": MeasureFacts(
        "Facing",
        "°",
        (0, 180),
        (0, 180),
        1,
        (0, 60),
        30,
        help="How far it faces away from the direction; level ground faces nowhere.",
    ),
    "noise": MeasureFacts("Patches", "%", (0, 100), (0, 100), 1, (50, 100), 10),
    "clump": MeasureFacts(
        "Clumps",
        "%",
        (0, 300),
        (0, 150),
        1,
        (0, 40),
        40,
        help="The distance to the middle of a clump as a share of its width.",
    ),
    "image": MeasureFacts(
        "An image",
        "%",
        (0, 100),
        (0, 100),
        1,
        (90, 100),
        90,
        help="How light it is there, laid over the whole ground, north up.",
    ),
    "path": MeasureFacts(
        "Distance to paths",
        "m",
        (0, 1000),
        (0, 60),
        0.1,
        (0, 5),
        5,
        to="curve",
        help="From their middle; with none chosen, to any path.",
    ),
    "area": MeasureFacts(
        "Distance to areas",
        "m",
        (-1000, 1000),
        (-60, 60),
        0.1,
        (-1000, 0),
        0,
        to="region",
        help="From their outline; below 0 within.",
    ),
    "class": MeasureFacts(
        "Ground class",
        "%",
        (0, 100),
        (0, 100),
        1,
        (50, 100),
        30,
        to="class",
        ground=False,
        help="The share of the ground there that is of these classes.",
    ),
    "layer": MeasureFacts(
        "Distance to what stands",
        "m",
        (0, 200),
        (0, 30),
        0.1,
        (0, 5),
        3,
        to="placements",
        ground=False,
        help="On the map, to the stems of layers further left; with none chosen, of all.",
    ),
    "crown": MeasureFacts(
        "Beneath crowns",
        "%",
        (0, 400),
        (0, 200),
        1,
        (0, 100),
        20,
        to="placements",
        ground=False,
        help="The distance to a stem as a share of the radius of its crown: 100 is at its edge.",
    ),
    "view": MeasureFacts(
        "In the frame of a viewpoint",
        "°",
        (0, 180),
        (0, 60),
        1,
        (0, 1),
        0,
        to="viewpoint",
        ground=False,
        help="By how far it lies beyond the frame; 0 within it.",
    ),
}
assert set(MEASURES) == set(get_args(MeasureName))
GROUND_ONLY = tuple(name for name, facts in MEASURES.items() if facts.ground)
SMOOTH = ((0.0, 1.0), (0.3, 0.8), (0.7, 0.2), (1.0, 0.0))


class Condition(Parameters):
    """What a place must be like."""

    matters: ClassVar[Matters] = {
        "ids": among("of", "path", "area", "class", "layer", "crown", "view"),
        "azimuth": among("of", "facing"),
        "width seed": among("of", "noise", "clump"),
        "image": among("of", "image"),
        "away": among("of", "rise"),
        "falloff": above("fade"),
    }

    id: Id
    of: MeasureName
    between: Span = span((0, 1), "Between", (-1000, 9000))
    fade: float = number(0, "Fading over", (0, 1000), help="Beyond either end.")
    falloff: Knots = curve(SMOOTH, "Falls off", help="From the end of the span outwards.")
    outside: bool = flag(False, "The other way about", help="Where it does not hold.")
    strength: float = number(
        100, "Strength", (0, 100), unit="%", step=1, help="100: nothing where it does not hold."
    )
    ids: tuple[Id, ...] = reference((), "Of", "layer")
    azimuth: float = number(180, "Towards", (0, 360), unit="°", step=1)
    image: str = text("", "Image", most=40, control="image", help="What was read, by its hash.")
    width: float = number(20, "Width", (0.5, 2000), soft=(1, 100), unit="m", step=0.5)
    seed: Seed = seeded()
    away: float = number(4, "Compared over", (0.5, 64), soft=(1, 20), unit="m", step=0.5)

    @model_validator(mode="before")
    @classmethod
    def _begun(cls, values: Any) -> Any:
        """Span and fade begin where the measure says."""
        facts = MEASURES.get(values.get("of", "")) if isinstance(values, dict) else None
        if facts is None:
            return values
        return {"between": facts.between, "fade": facts.fade, **values}

    @model_validator(mode="after")
    def _within(self) -> Condition:
        facts = MEASURES[self.of]
        low, high = facts.limits
        if self.between[0] < low or self.between[1] > high:
            raise ValueError(
                f"{facts.title.lower()}: from {low:g} to {high:g} {facts.unit} is possible"
            )
        return self

    @property
    def ends(self) -> tuple[float, float]:
        """The span; an end that lies at a limit is open."""
        (a, b), (low, high) = self.between, MEASURES[self.of].limits
        return -math.inf if a <= low else a, math.inf if b >= high else b

    @property
    def reach(self) -> float:
        """How far from 0 a value can lie and still matter: beyond, all weigh the same."""
        a, b = self.ends
        ends = (a - self.fade, a, b, b + self.fade)
        return max((abs(v) for v in ends if math.isfinite(v)), default=0.0)


@dataclass(frozen=True, eq=False)
class Weighting:
    """A condition, and the measure that it weighs."""

    condition: Condition
    measure: Measure

    def weigh(self, at: Samples, into: Float64) -> None:
        """Multiply `into` (n,) by the weight at each place."""
        c = self.condition
        values = self.measure.values(at)
        _weigh(values, *c.ends, c.fade, self._table, c.strength / 100, c.outside, into)

    @cached_property
    def _table(self) -> Float32:
        return profile_table(self.condition.falloff)

    def head(self) -> UInt64:
        """(2,) a hash of what is set."""
        return hash_of(self.condition.model_dump(mode="json", exclude={"id", "ids"}))


@kernel
def _weigh(
    value: Float64,
    low: float,
    high: float,
    fade: float,
    table: Float32,
    strength: float,
    outside: bool,
    into: Float64,
) -> None:
    last = table.shape[0] - 1
    for i in range(value.shape[0]):
        v = value[i]
        beyond = low - v if v < low else v - high if v > high else 0.0
        w = 1.0
        if beyond > 0.0:
            w = 0.0
            if beyond < fade:
                at = beyond / fade * last
                k = min(int(at), last - 1)
                w = table[k] + (at - k) * (table[k + 1] - table[k])
        if outside:
            w = 1.0 - w
        into[i] *= 1.0 - strength * (1.0 - w)


def weights(conditions: Sequence[Weighting], at: Samples) -> Float64:
    """(n,) the product of what all `conditions` weigh; 1 where there are none. It is 0 where there is no surface."""
    out = at.hit.astype(np.float64)
    for condition in conditions:
        condition.weigh(at, out)
    return out


def sifted(conditions: Sequence[Weighting], at: Samples, draw: Float64) -> Int64:
    """(k,) the rows, in order, of those places whose weight is above their `draw` (n,), in [0, 1).

    Later conditions are only looked at where the earlier ones leave enough.
    """
    rows = np.nonzero(at.hit)[0]
    kept = np.ones(len(rows))
    for condition in conditions:
        condition.weigh(at.taken(rows), kept)
        left = kept > draw[rows]
        rows, kept = rows[left], kept[left]
    return rows


def seen(conditions: Sequence[Weighting], tiles: TileList) -> UInt64:
    """(t, 2) a hash of all that decides what `conditions` weigh within each tile, but for the surface's own samples there."""
    out = np.zeros((len(tiles), 2), np.uint64)
    for condition in conditions:
        out = combine(out, condition.head(), condition.measure.seen(tiles))
    return out
