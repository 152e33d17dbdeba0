"""Piles: stones and the like, dropped at places and settled, or set about them with nothing in anything else."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from plough.core.arrays import Bool
from plough.core.errors import TooLargeError
from plough.core.hashing import digest, key_of
from plough.core.matters import Matters, among
from plough.core.parameters import (
    Parameters,
    Point,
    Seed,
    choice,
    count,
    number,
    points,
    seeded,
    span,
    within,
)
from plough.core.place.bodies import Shapes
from plough.core.place.pile import (
    MOST_IN_PILE,
    Pile,
    about_pile,
    begun,
    ids_of,
    set_about,
    settled_pile,
)
from plough.core.place.placements import Placements, cut, joined, no_placements
from plough.core.place.pose import Pose, set_up
from plough.core.place.rules import own_sizes
from plough.core.place.touches import Touch
from plough.core.place.variants import NONE
from plough.core.rng import stream, uniform_array
from plough.core.scene.document import MixEntry, mirrored, mix_of, touches_of
from plough.core.scene.facets import Output, TiledPlacements
from plough.core.scene.inputs import Inputs, Mix
from plough.core.scene.registry import layer_kind
from plough.core.tiles import SIZE, around_each, tile_of

MOST_PLACES = 20
MOST = 1000  #: of one layer
MOST_BODIES = 1500  #: of all of them
_ORDER = stream("pile.order")
VERSION = 2  #: raised when the same pile settles otherwise


class PileParameters(Parameters):
    """Things in piles."""

    matters: ClassVar[Matters] = {"friction": among("how", "dropped")}

    seed: Seed = seeded()
    mix: tuple[MixEntry, ...] = mix_of()
    touches: tuple[Touch, ...] = touches_of()
    points: Annotated[tuple[Point, ...], Field(min_length=1, max_length=MOST_PLACES)] = points(
        "Points", least=1, group="The pile"
    )
    how: Literal["dropped", "set"] = choice(
        "dropped",
        "How",
        {"dropped": "Dropped and settled", "set": "Set on the ground, clear of each other"},
        group="The pile",
    )
    count: int = count(
        40, "How many", (1, MOST_IN_PILE), soft=(3, 200), group="The pile", help="At each point."
    )
    radius: float = number(
        1.5,
        "Within",
        (0, 50),
        soft=(0, 8),
        unit="m",
        step=0.05,
        group="The pile",
        help="Where they are let go, or wider where so many have no room; they may roll on.",
    )
    friction: float = number(
        0.7, "Rough", (0, 2), soft=(0.1, 1.2), group="The pile", help="0 slides like ice."
    )
    mirrored: float = mirrored()
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (60, 130), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )

    @model_validator(mode="after")
    def _possible(self) -> PileParameters:
        total = self.count * len(self.points)
        if total > MOST:
            raise ValueError(
                f"count: {self.count:,} at each of {len(self.points)} points are {total:,}; the limit is {MOST:,}"
            )
        return self


@layer_kind(
    "pile",
    "Pile",
    "Stones and the like, dropped at places and settled on the ground and on each other.",
    PileParameters,
    gives=("placements",),
    stands="anywhere",
)
def evaluate(p: PileParameters, inputs: Inputs) -> Output:
    """Placements, pile by pile."""
    mix = inputs.mix(p.mix, p.mirrored)
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to pile up")
    if not mix.variants:
        return Output(placements=TiledPlacements(mix.variants))
    shapes = inputs.shapes(mix.variants)
    bare = np.diff(shapes.first) == 0
    names = sorted({v.asset for v, none in zip(mix.variants, bare, strict=True) if none})
    if names:
        text = f"{', '.join(names)} cannot be piled: there is no body of it to lie on others"
        inputs.find("no-body", text)
    most = int(np.diff(shapes.first).max())
    total = p.count * len(p.points) * most
    if total > MOST_BODIES:
        text = (
            f"{p.count * len(p.points):,} of up to {most:,} bodies each are {total:,} bodies that fall; the limit is"
            f" {MOST_BODIES:,}: lower it, or choose what is of fewer bodies"
        )
        raise TooLargeError("count", text, limit=f"{MOST_BODIES:,}", value=p.count)
    seed = inputs.seed(p.seed)
    piles = [Pile(seed, k, at, p.count, p.radius, p.friction) for k, at in enumerate(p.points)]
    placed = joined([_piled(p, pile, mix, shapes, bare, inputs) for pile in piles])
    place = uniform_array(seed, _ORDER, placed.ids).astype(np.float32)
    tiles = tuple(cut(placed, place)) if placed.count else ()
    return Output(placements=TiledPlacements(mix.variants, tiles))


def _piled(
    p: PileParameters, pile: Pile, mix: Mix, shapes: Shapes, bare: Bool, inputs: Inputs
) -> Placements:
    """What lies at one place."""
    surface = inputs.surface()
    ids = ids_of(pile)
    variant = mix.choices.choose(ids, None)
    some = variant != NONE
    some[some] &= ~bare[variant[some]]
    ids, variant = ids[some], variant[some]
    east, south = (np.array([c]) for c in pile.at)
    foot = surface.sample(east, south)
    if not foot.hit[0] or not len(ids):
        return no_placements()
    pose = Pose(size_low=p.size[0] / 100.0, size_high=p.size[1] / 100.0)
    ground = np.repeat(foot.position, len(ids), axis=0)
    upright = np.tile([0.0, 1.0, 0.0], (len(ids), 1))
    position, rotation, scale = set_up(
        np.uint64(pile.seed), ids, ground, upright, pose, np.zeros(1)
    )
    scale = scale * own_sizes(pile.seed, mix.choices, mix.sizes, ids, variant)
    begin = Placements(ids, variant, position, rotation, scale)
    if p.how == "dropped":
        reach = shapes.reach()[variant] * scale.max(axis=1)
        at, turn = begun(pile, ids, reach, float(foot.position[0, 1]))
        begin = replace(begin, position=at.astype(np.float32), rotation=turn.astype(np.float32))
    near = around_each(tile_of(east, south), math.ceil(about_pile(pile, begin) / SIZE))
    key = key_of(
        VERSION,
        p.how,
        [pile.seed, pile.number, *pile.at, pile.count, pile.radius, pile.friction],
        [v.key for v in mix.variants],
        digest(*begin.buffers()),
        surface.tile_hashes(near).tolist(),
    )

    def make() -> Placements:
        settle = set_about if p.how == "set" else settled_pile
        return settle(pile, begin, shapes, surface, inputs.check)

    return inputs.kept(f"pile {key}", make, lambda placed: 200 + 60 * placed.count)
