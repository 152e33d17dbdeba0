"""A heap: many things of a few assets, dropped on level ground and settled on each other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import ClassVar, Literal, NamedTuple

import numpy as np
from pydantic import Field

from plough.core.build.group import (
    LentPart,
    alike,
    by_slot,
    empty,
    part_made,
    parts_field,
    posed,
    with_own_names,
)
from plough.core.build.hulled import HulledParameters, hull_collider
from plough.core.cache import Cache
from plough.core.collider import Collider
from plough.core.errors import TooLargeError
from plough.core.formats.images import Load
from plough.core.ground.surface import Level
from plough.core.hashing import key_of
from plough.core.kinds import Product, get_kind, kind, no_files
from plough.core.matters import Matters, among
from plough.core.mesh.material import Material
from plough.core.mesh.value import join
from plough.core.parameters import Parameters, choice, count, number, section, span, within
from plough.core.place.bodies import Shapes
from plough.core.place.pile import MOST_IN_PILE, Pile, begun, ids_of, set_about, settled_pile
from plough.core.place.placements import Placements
from plough.core.place.pose import Pose, set_up
from plough.core.place.rules import own_sizes
from plough.core.place.solid_bodies import hull_body, solid_bodies
from plough.core.place.variants import NONE, Choices
from plough.core.progress import part_of, tell
from plough.core.rng import seed_for

MOST_ASSETS = 8
MOST_SEEDS = 8  #: of one of them
MOST_BODIES = 1500  #: that fall
MOST_TRIANGLES = 400_000
_SHARES = (1.0, 0.3, 0.08)  # of the triangles, level by level
_MAKING = 0.3  # share of the time until things are let go

_heaps = Cache(20_000_000)


class HeapPart(LentPart):
    """One asset that lies in a heap."""

    seeds: int = Field(4, ge=1, le=MOST_SEEDS, description="Of how many seeds, from its own on.")
    share: float = Field(1.0, ge=0, le=100, description="Of the whole, against the others'.")
    size: float = Field(1.0, ge=0.05, le=20)


class HeapGame(HulledParameters):
    """What a heap brings for a game."""

    collider: Literal["none", "each", "convex"] = choice(  # type: ignore[assignment]
        "each", "Collider", {"none": "None", "each": "The hull of each", "convex": "One hull"}
    )


class HeapParameters(Parameters):
    """Many things of a few assets, settled on each other."""

    stages: ClassVar[tuple[str, ...]] = ("Parts", "Heap", "Triangles", "Game")
    matters: ClassVar[Matters] = {"friction": among("how", "dropped")}

    parts: tuple[HeapPart, ...] = parts_field("What lies in it.", MOST_ASSETS, "shares")
    triangles: int = count(
        40_000,
        "At most about",
        (500, MOST_TRIANGLES),
        soft=(2_000, 120_000),
        group="Triangles",
        help="Things are shown at the finest level at which all of them together are fewer; at their last one if none is.",
    )
    how: Literal["dropped", "set"] = choice(
        "dropped",
        "How",
        {"dropped": "Dropped and settled", "set": "Set on the ground, clear of each other"},
        group="Heap",
    )
    count: int = count(40, "How many", (1, MOST_IN_PILE), soft=(3, 200), group="Heap")
    radius: float = number(
        0.6,
        "Within",
        (0, 50),
        soft=(0, 4),
        unit="m",
        step=0.05,
        group="Heap",
        help="Where they are let go, or wider where so many have no room; they may roll on.",
    )
    friction: float = number(
        0.7, "Rough", (0, 2), soft=(0.1, 1.2), group="Heap", help="0 slides like ice."
    )
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (60, 130), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="Heap"
    )
    game: HeapGame = section(HeapGame(), "Game", "Game")


class _Thing(NamedTuple):
    """What may lie in a heap: an asset with one of its seeds."""

    part: HeapPart
    levels: int

    def made(self, detail: int, load: Load) -> Product:
        return part_made(self.part, min(detail, self.levels - 1), load)


def _things(parts: Sequence[HeapPart]) -> tuple[list[_Thing], Choices, list[float]]:
    """All that may lie in it, how they are chosen, and the size of each asset."""
    there = sorted((q for q in parts if q.lent), key=lambda q: (q.asset, q.id))
    things: list[_Thing] = []
    entries = []
    for q in there:
        found = get_kind(q.lent["kind"])
        seeds = [q.seed + k for k in range(q.seeds if found.seeded else 1)]
        things += [_Thing(q.model_copy(update={"seed": s}), found.levels) for s in seeds]
        entries.append((f"{q.asset} {q.id}", q.share, seeds))
    return things, Choices.of(entries), [q.size for q in there]


def _shapes(things: Sequence[_Thing], load: Load) -> Shapes:
    """The bodies of each: its collider's, or its hull."""
    found = []
    for k, thing in enumerate(things):
        tell(_MAKING * k / len(things), "Making what lies in it")
        with part_of(_MAKING * k / len(things), _MAKING * (k + 1) / len(things)):
            product = thing.made(0, load)
        found.append(solid_bodies(product) or (hull_body(product)._replace(blocks=True),))
    return Shapes.of(found)


def _lying(
    p: HeapParameters, seed: int, load: Load, shown: Callable[[Placements], Product]
) -> Placements:
    """Where everything lies; a variant is a row of `_things`.

    Args:
        shown: makes a picture on the way.

    Raises:
        TooLargeError: too many bodies would fall, or they have too many triangles even at their last levels.
    """
    things, choices, sizes = _things(p.parts)
    own = int(seed_for(seed, "heap"))
    pile = Pile(own, 0, (0.0, 0.0), p.count, p.radius, p.friction)
    ids = ids_of(pile)
    variant = choices.choose(ids)
    ids, variant = ids[variant != NONE], variant[variant != NONE]
    shapes = _shapes(things, load)
    falling = int(np.diff(shapes.first)[variant].sum())
    if falling > MOST_BODIES:
        raise TooLargeError(
            "count",
            f"{p.count:,} would be {falling:,} bodies that fall; the limit is {MOST_BODIES:,}: lower it, or choose what is of fewer bodies",
            limit=f"{MOST_BODIES:,} bodies",
            value=p.count,
        )
    times = np.bincount(variant, minlength=len(things)).tolist()
    last = max(thing.levels for thing in things) - 1
    with part_of(_MAKING, _MAKING):
        least = sum(
            n * thing.made(last, load).mesh.triangles
            for n, thing in zip(times, things, strict=True)
            if n
        )
    if least > MOST_TRIANGLES:
        raise TooLargeError(
            "count",
            f"{p.count:,} would be {least:,} triangles at their last levels; the limit is {MOST_TRIANGLES:,}: lower it, or choose what has fewer",
            limit=f"{MOST_TRIANGLES:,} triangles",
            value=p.count,
        )
    pose = Pose(size_low=p.size[0] / 100.0, size_high=p.size[1] / 100.0)
    ground, upright = np.zeros((len(ids), 3)), np.tile([0.0, 1.0, 0.0], (len(ids), 1))
    position, rotation, scale = set_up(np.uint64(own), ids, ground, upright, pose, np.zeros(1))
    scale = scale * own_sizes(own, choices, [(s, s) for s in sizes], ids, variant)
    begin = Placements(ids, variant, position, rotation, scale)
    if p.how == "set":
        tell(_MAKING, "Pushing apart")
        return set_about(pile, begin, shapes, Level(), lambda: tell(_MAKING, "Pushing apart"))
    reach = shapes.reach()[variant] * scale.max(axis=1)
    at, turn = begun(pile, ids, reach, 0.0)
    begin = replace(begin, position=at.astype(np.float32), rotation=turn.astype(np.float32))

    def told(share: float, so_far: Callable[[], Placements]) -> None:
        at = _MAKING + 0.6 * share

        def seen() -> Product:
            with part_of(at, at):
                return shown(so_far())

        tell(at, "Falling", seen)

    return settled_pile(pile, begin, shapes, Level(), told=told)


def _heap(p: HeapParameters, placed: Placements, detail: int, load: Load) -> Product:
    """All that lies there, at a level of detail."""
    things = _things(p.parts)[0]
    used = np.unique(placed.variant).tolist()
    times = np.bincount(placed.variant, minlength=len(things))
    most = _SHARES[detail] * p.triangles
    last = max(things[k].levels for k in used) - 1
    first = min(detail, last)
    ways = (last + 1 - first) * len(used)
    for level in range(first, last + 1):
        made: dict[int, Product] = {}
        for k in used:
            done = (level - first) * len(used) + len(made)
            with part_of(done / ways, (done + 1) / ways):
                made[k] = things[k].made(level, load)
        if sum(times[k] * m.mesh.triangles for k, m in made.items()) <= most:
            break
    materials: dict[str, Material] = {}
    own = {
        k: with_own_names(m, things[k].part.asset, things[k].part.seed, materials)
        for k, m in made.items()
    }
    lying = [
        posed(own[int(v)], at, q, size)
        for v, at, q, size in zip(
            placed.variant, placed.position, placed.rotation, placed.scale, strict=True
        )
    ]
    mesh = by_slot(join(alike([x.mesh for x in lying])))
    across = float(np.hypot(mesh.positions[:, 0], mesh.positions[:, 2]).max())
    high = max(0.01, float(mesh.positions[:, 1].max()))
    collider = Collider(
        tuple(c for x in lying for c in x.collider.capsules),
        tuple(piece for x in lying for piece in x.collider.pieces),
        p.game.movement,
        p.game.camera,
        p.game.shots,
    )
    return Product(
        mesh,
        materials,
        across,
        across,
        high,
        collider if p.game.collider == "each" else hull_collider(p.game, mesh.positions),
        p.game,
        tuple(lamp for x in lying for lamp in x.lamps),
        {"things": placed.count},
    )


@kind(
    "heap",
    "Heap",
    "Many things of a few assets in one heap, dropped and settled.",
    HeapParameters,
    hard=True,
    fetches=True,
    parts="heap",
    slow=True,
    version=2,
)
def make(p: HeapParameters, seed: int, detail: int, load: Load = no_files) -> Product:
    """The heap; what stands for an asset that is not there is left out."""
    if not any(q.lent and q.share > 0 for q in p.parts):
        return empty(p.game)
    told = p.model_dump(mode="json", exclude={"game", "triangles"})
    coarsest = len(_SHARES) - 1
    placed = _heaps.get(
        key_of("heap", told, seed),
        lambda: _lying(p, seed, load, lambda now: _heap(p, now, coarsest, load)),
        lambda found: 200 + found.nbytes,
    )
    tell(0.95, "Putting it together")
    with part_of(0.95, 1.0):
        return _heap(p, placed, detail, load) if placed.count else empty(p.game)
