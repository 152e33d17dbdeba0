"""Placements that somebody set down one by one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from pydantic import Field

from plough.core.arrays import Float64
from plough.core.ground.surface import Surface
from plough.core.parameters import WHICH_IS_UP, Id, Parameters, Point, Seed, Up
from plough.core.place.placements import PlacedTile, Placements, cut
from plough.core.rng import stream, uniform_array
from plough.core.vectors import rotations

MOST_SET = 10_000
_ORDER = stream("by hand.order")


def from_ground() -> Any:
    """What the height of a placement is measured from, where it has been loosened from the ground; the field's type is `float | None`."""
    return Field(
        None,
        ge=-10_000,
        le=10_000,
        description="Metres of the level that its lift is measured from, whatever becomes of the ground; none: the ground beneath it.",
    )


class SetDown(Parameters):
    """One placement, as it was set down."""

    id: Id
    asset: Id
    seed: Seed = Field(description="Which of the asset's variants it is.")
    mirrored: bool = Field(False, description="Left and right exchanged.")
    at: Point = Field(description="East and south, in metres.")
    lift: float = Field(
        0.0, ge=-500, le=500, description="Metres of its foot above the ground beneath it."
    )
    turn: float = Field(
        0.0, ge=0, le=360, description="Degrees clockwise from north that it faces."
    )
    up: Up = Field((0.0, 0.0), description=WHICH_IS_UP)
    size: float = Field(1.0, ge=0.05, le=20, description="1 is its own.")
    tall: float = Field(1.0, ge=0.05, le=20, description="Its height, besides its size.")

    ground: float | None = from_ground()

    @property
    def variant(self) -> tuple[str, int, bool]:
        """Asset, seed, and whether it is mirrored."""
        return self.asset, self.seed, self.mirrored


def beneath(surface: Surface, at: Float64) -> Float64:
    """(n,) metres of the ground under each place (n, 2); 0 where there is none."""
    found = surface.sample(at[:, 0], at[:, 1])
    return np.where(found.hit, found.position[:, 1], 0.0)


@lru_cache(100_000)
def id_of(layer: str, thing: str) -> int:
    """The id of the placement that the thing of an id is on a layer, 64 bits."""
    return int(stream(f"set down {layer} {thing}"))


def set_down(
    things: Sequence[SetDown],
    variants: Mapping[tuple[str, int, bool], int],
    surface: Surface,
    layer: str,
) -> list[PlacedTile]:
    """What stands of `things`, by tile; those whose variant is not among `variants` do not.

    Args:
        variants: the row of each asset's seed, as it is or mirrored.
        layer: the id of their layer, from which with their own come the ids of placements.
    """
    there = [t for t in things if t.variant in variants]
    if not there:
        return []
    at = np.array([t.at for t in there], np.float64)
    turn = np.radians([t.turn for t in there])
    loose = np.array([np.nan if t.ground is None else t.ground for t in there])
    level = np.where(np.isnan(loose), beneath(surface, at), loose)
    height = level + [t.lift for t in there]
    position = np.stack([at[:, 0], height, at[:, 1]], axis=1)
    across = np.array([t.size for t in there], np.float32)
    tall = across * np.array([t.tall for t in there], np.float32)
    placed = Placements(
        np.array([id_of(layer, t.id) for t in there], np.uint64),
        np.array([variants[t.variant] for t in there], np.uint32),
        position.astype(np.float32),
        rotations(turn, np.array([t.up for t in there], np.float64)),
        np.stack([across, tall, across], axis=1),
    )
    return cut(placed, uniform_array(0, _ORDER, placed.ids).astype(np.float32))
