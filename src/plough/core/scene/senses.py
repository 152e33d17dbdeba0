"""How the conditions of a scene are measured: on its ground, from its lines, outlines and water."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from plough.core.cache import Cache
from plough.core.ground.areas import Region
from plough.core.ground.classes import GroundClass, GroundCover, Named, Painted
from plough.core.ground.conditions import Condition, Weighting
from plough.core.ground.hydrology import Hydrology, hydrology_of
from plough.core.ground.measures import (
    Facing,
    FromAreas,
    FromLines,
    Height,
    Measure,
    Noise,
    Rise,
    Shore,
    Slope,
    Wetness,
)
from plough.core.ground.paths import Curve
from plough.core.hashing import key_of
from plough.core.scene.facets import Ground


class Senses:
    """Measures on the ground of a scene."""

    def __init__(self, ground: Ground, cache: Cache) -> None:
        self.ground = ground
        self.cache = cache

    @property
    def hydrology(self) -> Hydrology:
        """Where water runs and stands on the ground."""
        surface, water = self.ground.surface, self.ground.water
        key = ("hydrology", key_of(surface.key, water))
        return self.cache.get(key, lambda: hydrology_of(surface, water), lambda h: h.nbytes)

    def curves(self, ids: Sequence[str]) -> list[Curve]:
        """The curves of the layers `ids`; of all, where none is named."""
        found = self._traced(ids)
        return [t for t in found if isinstance(t, Curve)]

    def regions(self, ids: Sequence[str]) -> list[Region]:
        """The regions of the layers `ids`; of all, where none is named."""
        found = self._traced(ids)
        return [t for t in found if isinstance(t, Region)]

    def _traced(self, ids: Sequence[str]) -> list[Curve | Region]:
        traced = self.ground.traced
        return [traced[i] for i in (ids or sorted(traced)) if i in traced]

    def measure(self, c: Condition) -> Measure:
        """What `c` is measured by."""
        of, ground = c.of, self.ground
        if of in ("wetness", "shore"):
            return Wetness(self.hydrology) if of == "wetness" else Shore(self.hydrology)
        if of == "path":
            return FromLines(tuple(x.line for x in self.curves(c.ids)), c.reach)
        if of == "area":
            return FromAreas(tuple(self.regions(c.ids)), c.reach)
        if of == "noise":
            return Noise(c.seed, c.width)
        if of == "rise":
            return Rise(ground.surface, c.away)
        if of == "facing":
            return Facing(c.azimuth)
        if of == "slope":
            return Slope()
        return Height(ground.water if of == "above-water" else 0.0)

    def weighted(self, conditions: Sequence[Condition]) -> tuple[Weighting, ...]:
        """`conditions` with what they measure."""
        return tuple(Weighting(c, self.measure(c)) for c in conditions)


def covered(
    ground: Ground, classes: Sequence[GroundClass], painted: Sequence[Painted], cache: Cache
) -> Ground:
    """`ground` with its cover: `classes` by their rules, what is painted over them, and the surfaces of paths, each of which is a class as well."""
    senses = Senses(ground, cache)
    named = [Named(c.key, c.name, c.look, c.tint) for c in classes]
    rules = [senses.weighted(c.conditions) if c.lies == "by-rule" else None for c in classes]
    for laid in ground.laid:
        if all(c.look != laid.look for c in named):
            named.append(Named(f"path-{laid.look}", laid.look.title(), laid.look, "#ffffff"))
            rules.append(None)
    cover = GroundCover(tuple(named), tuple(rules), tuple(painted), ground.laid)
    return replace(ground, cover=cover)
