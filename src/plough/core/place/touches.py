"""Touches: edits by hand of single placements of a rule. They hang on stable ids, and so survive whatever becomes of the rule."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from plough.core.arrays import Float32
from plough.core.ground.surface import Surface
from plough.core.parameters import WHICH_IS_UP, Id, Parameters, Point, Seed, Up
from plough.core.place.by_hand import beneath, from_ground
from plough.core.place.placements import PlacedTile, Placements, by_tile, cut, joined
from plough.core.vectors import rotations

MOST_TOUCHES = 5_000


class Touch(Parameters):
    """What was done to one placement; what is not given is as its rule has it."""

    id: Annotated[str, Field(pattern=r"^[0-9]{1,20}$", description="Of the placement.")]
    removed: bool = False
    at: Point | None = Field(None, description="East and south, in metres.")
    lift: float | None = Field(
        None, ge=-500, le=500, description="Metres of its foot above the ground beneath it."
    )
    turn: float | None = Field(None, ge=0, le=360, description="Degrees clockwise from north.")
    up: Up | None = Field(None, description=f"{WHICH_IS_UP} With a turn.")
    size: float | None = Field(None, ge=0.05, le=20, description="1 is its asset's own.")
    tall: float | None = Field(None, ge=0.05, le=20, description="Its height, besides its size.")
    asset: Id | None = Field(None, description="Another of the layer's assets, with a seed.")
    seed: Seed | None = None
    ground: float | None = from_ground()
    of: Id | None = Field(
        None,
        description="The asset that it was of when it was touched, for those who list touches.",
    )

    @model_validator(mode="after")
    def _whole(self) -> Touch:
        if int(self.id) >= 2**64:
            raise ValueError("id: no placement has a number of more than 64 bits")
        if self.up is not None and self.turn is None:
            raise ValueError("up: together with a turn")
        if (self.asset is None) != (self.seed is None):
            raise ValueError("asset: together with a seed")
        return self


def touched(
    tiles: Sequence[PlacedTile],
    touches: Sequence[Touch],
    variants: Mapping[tuple[str, int], int],
    surface: Surface,
) -> tuple[list[PlacedTile], list[Touch]]:
    """`tiles` with what was done to single placements, and the touches that wait: their placement, or its variant, is not there.

    Tiles without any are the same objects.

    Args:
        variants: the row of each asset's seed.
    """
    by_id = {np.uint64(int(t.id)): t for t in touches}
    wanted = np.sort(np.array(list(by_id), np.uint64))
    ids = np.concatenate([np.empty(0, np.uint64), *(t.placements.ids for t in tiles)])
    at = np.minimum(np.searchsorted(wanted, ids), len(wanted) - 1)
    hits = np.nonzero(wanted[at] == ids)[0]
    ends = np.cumsum([t.placements.count for t in tiles])
    found: dict[int, list[int]] = defaultdict(list)  # rows of each tile that are touched
    for hit, k in zip(hits.tolist(), np.searchsorted(ends, hits, "right").tolist(), strict=True):
        found[k].append(hit - int(ends[k] - tiles[k].placements.count))
    out: dict[tuple[int, int], list[PlacedTile]] = defaultdict(list)
    moved: list[Placements] = []
    places: list[Float32] = []
    done: set[np.uint64] = set()
    for k, tile in enumerate(tiles):
        if k not in found:
            out[tile.x, tile.z].append(tile)
            continue
        rows = np.array(found[k])
        own = tile.placements.taken(rows)
        of = [by_id[i] for i in own.ids]
        can = np.array([t.asset is None or (t.asset, t.seed) in variants for t in of])
        done.update(own.ids[can])
        stays = np.ones(tile.placements.count, bool)
        stays[rows[can]] = False
        if stays.any():
            out[tile.x, tile.z].append(tile.taken(stays))
        stand = np.array([c and not t.removed for c, t in zip(can, of, strict=True)])
        if stand.any():
            kept = [t for t, s in zip(of, stand, strict=True) if s]
            moved.append(_changed(own.taken(stand), kept, variants, surface))
            places.append(tile.place[rows[stand]])
    if moved:
        for tile in cut(joined(moved), np.concatenate(places)):
            out[tile.x, tile.z].append(tile)
    made = [parts[0] if len(parts) == 1 else _together(parts) for parts in out.values()]
    return made, [t for i, t in by_id.items() if i not in done]


def _together(parts: Sequence[PlacedTile]) -> PlacedTile:
    """Several parts of one tile as one."""
    whole = joined([p.placements for p in parts])
    place = np.concatenate([p.place for p in parts])
    square = np.array([[parts[0].x, parts[0].z]])
    return by_tile(whole, place, square, np.array([0, whole.count]))[0]


def _changed(
    own: Placements,
    touches: Sequence[Touch],
    variants: Mapping[tuple[str, int], int],
    surface: Surface,
) -> Placements:
    """`own` with what was done to each."""
    position = own.position.astype(np.float64)
    scale, rotation, variant = own.scale.copy(), own.rotation.copy(), own.variant.copy()
    under = beneath(surface, position[:, [0, 2]])
    lift = position[:, 1] - under
    placed = [k for k, t in enumerate(touches) if t.at is not None]
    for k in placed:
        position[k, [0, 2]] = touches[k].at
    under[placed] = beneath(surface, position[placed][:, [0, 2]])
    for k, t in enumerate(touches):
        lift[k] = lift[k] if t.lift is None else t.lift
        under[k] = under[k] if t.ground is None else t.ground
        if t.turn is not None:
            up = np.array([t.up or (0.0, 0.0)])
            rotation[k] = rotations(np.radians([t.turn]), up)[0]
        if t.asset is not None and t.seed is not None:
            variant[k] = variants[t.asset, t.seed]
        if t.size is not None:
            scale[k] *= np.float32(t.size) / scale[k, 0]
        if t.tall is not None:
            scale[k, 1] = scale[k, 0] * np.float32(t.tall)
    changed = [k for k, t in enumerate(touches) if (t.at, t.lift, t.ground) != (None, None, None)]
    out = own.position.copy()
    position[:, 1] = under + lift
    out[changed] = position[changed]
    return Placements(own.ids, variant, out, rotation, scale)
