"""How the conditions of a scene are measured: on its ground, from its lines, outlines and water."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from plough.core.arrays import Float32
from plough.core.cache import Cache
from plough.core.formats.heights import unpack_heights
from plough.core.ground.areas import Region
from plough.core.ground.classes import GroundClass, GroundCover, Named, Painted
from plough.core.ground.conditions import Condition, Weighting
from plough.core.ground.hydrology import Hydrology, hydrology_of
from plough.core.ground.measures import (
    Clumps,
    Facing,
    FromAreas,
    FromImage,
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
from plough.core.library.library import Library
from plough.core.scene.facets import Finding, Ground, Traced


class Senses:
    """Measures on the ground of a scene."""

    def __init__(
        self,
        ground: Ground,
        cache: Cache,
        traced: Traced | None = None,
        library: Library | None = None,
    ) -> None:
        self.ground = ground
        self.cache = cache
        self.library = library  #: where images lie
        self.traced = ground.traced if traced is None else traced  #: what may be measured from

    @property
    def hydrology(self) -> Hydrology:
        """Where water runs and stands on the ground."""
        surface, water = self.ground.surface, self.ground.water
        key = ("hydrology", key_of(surface.key, water))
        return self.cache.get(key, lambda: hydrology_of(surface, water), lambda h: h.nbytes)

    def _traced(self, ids: Sequence[str]) -> list[Curve | Region]:
        """The lines and outlines of the layers `ids`; of all, where none is named."""
        return [self.traced[i] for i in (ids or sorted(self.traced)) if i in self.traced]

    def image(self, name: str) -> Float32:
        """(h, w) an image that somebody brought along, as shares of white; one grey where it is not here."""
        if not name or self.library is None or self.library.lacks(name):
            return np.full((1, 1), 0.5, np.float32)
        read = self.library.file
        return self.cache.get(("image", name), lambda: _shares(read(name)), lambda a: a.nbytes)

    def measure(self, c: Condition) -> Measure:
        """What `c` is measured by."""
        of, ground = c.of, self.ground
        if of in ("wetness", "shore"):
            return Wetness(self.hydrology) if of == "wetness" else Shore(self.hydrology)
        if of == "path":
            lines = (t.line for t in self._traced(c.ids) if isinstance(t, Curve))
            return FromLines(tuple(lines), c.reach)
        if of == "area":
            regions = (t for t in self._traced(c.ids) if isinstance(t, Region))
            return FromAreas(tuple(regions), c.reach)
        if of == "noise":
            return Noise(c.seed, c.width)
        if of == "clump":
            return Clumps(c.seed, c.width)
        if of == "image":
            return FromImage(self.image(c.image), ground.surface.bounds)
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


def _shares(data: bytes) -> Float32:
    """(h, w) a height map as shares between its darkest and its lightest, where it does not hold shares."""
    values = unpack_heights(data).values
    low, high = float(values.min()), float(values.max())
    if low >= 0.0 and high <= 1.0:
        return values
    return np.asarray((values - low) / max(high - low, 1e-9), np.float32)


def lacking(classes: Sequence[GroundClass], traced: Traced, library: Library) -> list[Finding]:
    """What the conditions of ground classes measure from, and is not there."""
    out = []
    for k in classes:
        for c in k.conditions:
            gone = (name for name in c.ids if name not in traced)
            texts = [f"the {c.of} {name!r} is missing" for name in gone]
            if c.of == "image" and (why := image_lacks(c, library)):
                texts.append(why)
            out += [Finding(f"missing-{c.of}", f"{k.name}: {text}") for text in texts]
    return out


def image_lacks(c: Condition, library: Library) -> str:
    """Why the image of a condition cannot be read; empty where it can."""
    return library.lacks(c.image) if c.image else "no image is chosen yet"


def covered(
    ground: Ground, classes: Sequence[GroundClass], painted: Sequence[Painted], library: Library
) -> Ground:
    """`ground` with its cover: `classes` by their rules, what is painted over them, and the surfaces of paths, each of which is a class as well."""
    senses = Senses(ground, library.cache, library=library)
    named = [Named(c.key, c.name, c.look, c.tint) for c in classes]
    rules = [senses.weighted(c.conditions) if c.lies == "by-rule" else None for c in classes]
    for laid in ground.laid:
        if all(c.look != laid.look for c in named):
            named.append(Named(f"path-{laid.look}", laid.look.title(), laid.look, "#ffffff"))
            rules.append(None)
    cover = GroundCover(tuple(named), tuple(rules), tuple(painted), ground.laid)
    return replace(ground, cover=cover)
