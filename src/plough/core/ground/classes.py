"""Ground classes: what ground is covered with, by rules and by brush.

Classes stand in an order: each covers what the ones before it left, as far as its conditions hold. What is
painted covers that again, stroke by stroke. Last come the surfaces of paths.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, field_validator

from plough.core.arrays import Float32, Float64, UInt8, UInt64
from plough.core.ground.brushed import Brushed, Strokes
from plough.core.ground.conditions import (
    GROUND_ONLY,
    MEASURES,
    MOST_CONDITIONS,
    Condition,
    Weighting,
    seen,
    weights,
)
from plough.core.ground.cover import TITLES, TONES, CoverName
from plough.core.ground.paths import Strip, strip_distance
from plough.core.ground.surface import Samples
from plough.core.hashing import key_of
from plough.core.parameters import Color, Id, Parameters, choice, color, linear, text
from plough.core.tiles import TileList, combine, hash_of

MOST_CLASSES, MOST_PAINTED = 12, 500
_EDGE = 0.25  # of a path's half width, over which its surface gives way


ClassName = Annotated[str, Field(min_length=1)]


class GroundClass(Parameters):
    """What ground can be covered with, and where it lies."""

    key: Id = Field(description="By which rules and what is painted refer to it.")
    name: ClassName = text("Class", "Name", most=40)
    look: CoverName = choice("grass", "Looks like", TITLES)
    tint: Color = color("#ffffff", "Tinted", help="Its colour is multiplied by this.")
    lies: Literal["by-rule", "by-brush"] = choice(
        "by-rule",
        "Lies",
        {"by-rule": "By its conditions", "by-brush": "Only by brush"},
    )
    conditions: tuple[Condition, ...] = Field((), max_length=MOST_CONDITIONS, title="Where")

    @field_validator("conditions")
    @classmethod
    def _of_ground(cls, conditions: tuple[Condition, ...]) -> tuple[Condition, ...]:
        wrong = next((c for c in conditions if c.of not in GROUND_ONLY), None)
        if wrong is not None:
            title = MEASURES[wrong.of].title.lower()
            raise ValueError(f"a ground class cannot hang on {title!r}, which comes after it")
        return conditions


def _where(of: str, between: tuple[float, float], fade: float) -> Condition:
    return Condition.model_validate({"id": of, "of": of, "between": between, "fade": fade})


CLASSES = (
    GroundClass(key="grass", name="Grass", look="grass"),
    GroundClass(key="soil", name="Soil", look="soil", conditions=(_where("slope", (35, 180), 12),)),
    GroundClass(key="rock", name="Rock", look="rock", conditions=(_where("slope", (48, 180), 8),)),
    GroundClass(
        key="mud",
        name="Mud",
        look="mud",
        conditions=(_where("above-water", (-1000, 0.02), 0.32),),
    ),
    GroundClass(
        key="bed",
        name="Water",
        look="mud",
        tint="#a8a898",
        conditions=(_where("above-water", (-1000, -0.15), 0.15),),
    ),
    GroundClass(key="gravel", name="Gravel", look="gravel", lies="by-brush"),
    GroundClass(key="sand", name="Sand", look="sand", lies="by-brush"),
)
"""Those that ground has to begin with."""


class Painted(Brushed):
    """One stroke of a brush that paints a class, or takes painted ones away again."""

    paint: Id | Literal[""] = Field("", description="A class; none: what the rules say.")


@dataclass(frozen=True, slots=True)
class Laid:
    """The surface of a path."""

    strip: Strip
    look: CoverName


@dataclass(frozen=True, slots=True)
class Named:
    """A class as those who use the result know it."""

    key: str
    name: str
    look: CoverName
    tint: str


@dataclass(frozen=True, eq=False)
class GroundCover:
    """Which classes lie where on a surface."""

    classes: tuple[Named, ...]
    rules: tuple[
        tuple[Weighting, ...] | None, ...
    ]  #: of each class; None: only where it is painted
    painted: tuple[Painted, ...] = ()
    laid: tuple[Laid, ...] = ()

    @property
    def key(self) -> str:
        """Of what is said of the classes and painted, but not of what they are measured on."""
        return key_of(
            [[c.key, c.name, c.look, c.tint] for c in self.classes],
            [None if r is None else [w.head().tolist() for w in r] for r in self.rules],
            self._strokes.key,
        )

    @cached_property
    def _strokes(self) -> Strokes[Painted]:
        """What is painted, but for strokes of classes that are gone."""
        known = {c.key for c in self.classes}
        return Strokes([s for s in self.painted if not s.paint or s.paint in known])

    @property
    def looks(self) -> tuple[CoverName, ...]:
        """What the classes look like, each look once."""
        return tuple(dict.fromkeys(c.look for c in self.classes))

    @cached_property
    def tones(self) -> Float32:
        """(classes, 3) the light of each class as it is seen from far away."""
        of = [np.array(linear(TONES[c.look])) * np.array(linear(c.tint)) for c in self.classes]
        return np.array(of, np.float32).reshape(-1, 3)

    def row(self, key: str) -> int | None:
        """Where a class stands in the order, or None."""
        return next((k for k, c in enumerate(self.classes) if c.key == key), None)

    def weights(self, at: Samples, paths: bool = True) -> Float32:
        """(n, classes) shares that add up to 1.

        Args:
            paths: whether the surfaces of paths cover what lies under them.
        """
        n, k = len(at.position), len(self.classes)
        out = np.zeros((n, k), np.float64)
        out[:, 0] = 1.0
        for row, rules in enumerate(self.rules):
            if row and rules is not None:
                _cover(out, row, weights(rules, at))
        if self.painted:
            out = self._painted(out, at)
        for laid in self.laid if paths else ():
            away = strip_distance(at.position[:, 0], at.position[:, 2], laid.strip)
            share = ((1.0 - away) / _EDGE).clip(0.0, 1.0)
            _cover(out, self._of_look(laid.look), share)
        return out.astype(np.float32)

    def _of_look(self, look: CoverName) -> int:
        """The class that the surface of a path counts as."""
        return next(k for k, c in enumerate(self.classes) if c.look == look)

    def _painted(self, ruled: Float64, at: Samples) -> Float64:
        """`ruled` under what is painted."""
        free = np.ones(len(ruled))  # what the rules still decide
        over = np.zeros_like(ruled)
        x, z = at.position[:, 0], at.position[:, 2]
        places = np.stack([x, z], axis=1)
        known = {c.key: row for row, c in enumerate(self.classes)}
        for k in self._strokes.meeting(places):
            near = self._strokes.reached(k, places)
            share = self._strokes.worth(k, places[near])
            row = known.get(self._strokes.drawn[k].paint)
            over[near] *= (1.0 - share)[:, None]
            if row is None:
                free[near] += share * (1.0 - free[near])
            else:
                over[near, row] += share
                free[near] *= 1.0 - share
        return ruled * free[:, None] + over

    def seen(self, tiles: TileList, paths: bool = True) -> UInt64:
        """(t, 2) a hash of all that decides what lies in each tile, but for the surface's own samples there."""
        out = np.zeros((len(tiles), 2), np.uint64)
        for row, rules in enumerate(self.rules):
            if row and rules is not None:
                out = combine(out, hash_of(row), seen(rules, tiles))
        out = combine(out, self._strokes.seen(tiles))
        for laid in self.laid if paths else ():
            out += laid.strip.seen(tiles) * (hash_of(laid.look) | np.uint64(1))
        return out


def _cover(out: Float64, row: int, share: Float64) -> None:
    """Cover `share` (n,) of what lies there (n, classes) with one class."""
    out *= (1.0 - share)[:, None]
    out[:, row] += share


def as_shares(found: Float32) -> UInt8:
    """Shares (n, k) as bytes that add up to 255: what rounding leaves over goes to the largest."""
    out = np.floor(255.0 * found + 0.5).astype(np.int16)
    most = found.argmax(axis=1)
    out[np.arange(len(out)), most] += 255 - out.sum(axis=1, dtype=np.int16)
    shares: UInt8 = out.astype(np.uint8)
    return shares


@dataclass(frozen=True, eq=False)
class ClassShare:
    """A measure: the share of some classes, in per cent."""

    cover: GroundCover
    keys: tuple[str, ...]

    def values(self, at: Samples) -> Float64:
        """0 to 100."""
        rows = [k for k, c in enumerate(self.cover.classes) if c.key in self.keys]
        return np.asarray(100.0 * self.cover.weights(at)[:, rows].sum(axis=1), np.float64)

    def seen(self, tiles: TileList) -> UInt64:
        """The classes in each tile."""
        return combine(
            self.cover.seen(tiles), hash_of([[c.key for c in self.cover.classes], self.keys])
        )
