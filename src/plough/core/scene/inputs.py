"""What a layer reads while it is evaluated: the surface, what other layers give, the assets of its mix."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any, TypeVar

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.cache import Cache
from plough.core.ground.areas import Region
from plough.core.ground.classes import ClassShare
from plough.core.ground.conditions import Condition, Weighting
from plough.core.ground.measures import InView, Measure
from plough.core.ground.paths import Curve, Strip
from plough.core.ground.surface import Surface
from plough.core.kinds import Base, get_kind
from plough.core.library.library import Library
from plough.core.library.references import resolve
from plough.core.library.variants import Variant, variant_of
from plough.core.mesh.grid import Skin
from plough.core.place.bodies import Shapes
from plough.core.place.faces import Faces, faces_of
from plough.core.place.placements import Placements, cut
from plough.core.place.standing import FromStanding, Stand
from plough.core.place.upon import Bearers
from plough.core.place.variants import Choices
from plough.core.rng import bits_array, stream
from plough.core.scene.document import Asset, MixEntry, NamedMix, Viewpoint
from plough.core.scene.facets import Finding, Ground, Output, Solid
from plough.core.scene.senses import Senses, image_lacks

T = TypeVar("T")
_LAYER = stream("layer.seed")
MOST_TRIED = 100_000  #: placements of a layer while it is being tried out


@dataclass(frozen=True, slots=True)
class Mix:
    """The variants that a layer may place, and how it chooses among them."""

    variants: tuple[Variant, ...]
    choices: Choices
    entries: tuple[MixEntry, ...] = ()  #: of the assets that are there, in the order of the choices
    names: tuple[str, ...] = ()  #: of each, what the layer's own mix names: it, or the mix it is of

    @property
    def sizes(self) -> tuple[tuple[float, float], ...]:
        """Of each asset, between which sizes it is, 1 being its own."""
        return tuple((e.size[0] / 100.0, e.size[1] / 100.0) for e in self.entries)


@dataclass(frozen=True, slots=True)
class Shelf:
    """What of a scene all its layers may read: the assets that they may place, and the viewpoints."""

    assets: Mapping[str, Asset]
    lost: Mapping[str, str]  #: why those that cannot be made cannot
    viewpoints: Sequence[Viewpoint] = ()
    mixes: Mapping[str, NamedMix] = field(default_factory=dict)

    @property
    def there(self) -> Mapping[str, Asset]:
        """Those that can be made."""
        return (
            {i: a for i, a in self.assets.items() if i not in self.lost}
            if self.lost
            else self.assets
        )


def _has(output: Output, wanted: str) -> bool:
    """Whether a layer gives what is wanted of it; one that places may have placed nothing."""
    if wanted == "layer":
        return output.placements is not None
    if wanted == "thing":
        return output.placements is not None or bool(output.solids)
    return bool(output.curves if wanted == "path" else output.regions)


def _within(entry: MixEntry, mix: NamedMix) -> list[MixEntry]:
    """What an entry that names a mix stands for: the mix's own, sharing its weight, with its size and conditions besides theirs."""
    total = sum(e.weight for e in mix.entries) or 1.0
    return [
        e.model_copy(
            update={
                "weight": entry.weight * e.weight / total,
                "size": (e.size[0] * entry.size[0] / 100, e.size[1] * entry.size[1] / 100),
                "spacing": max(e.spacing, entry.spacing),
                "conditions": (*entry.conditions, *e.conditions),
            }
        )
        for e in mix.entries
    ]


class Inputs:
    """What one layer may read; what it asks for and does not find becomes a finding."""

    def __init__(
        self,
        layer_id: str,
        earlier: Mapping[str, Output],
        shelf: Shelf,
        cache: Cache,
        check: Callable[[], None],
        files: Library,
        ground: Ground | None = None,
        light: bool = False,
    ) -> None:
        self.layer_id = layer_id
        self._light = light
        self.cache = cache
        self.check = check  #: to be called between steps; may raise to stop
        self.findings: list[Finding] = []
        self._earlier = earlier
        self._shelf = shelf
        self._files = files
        self._ground = ground

    def share_of(self, expected: float) -> float:
        """How much of what is expected to stand is placed: all of it, but for a layer that is being tried out."""
        return min(1.0, MOST_TRIED / max(1.0, expected)) if self._light else 1.0

    def find(self, code: str, text: str) -> None:
        """Tell the person that something is not as it should be."""
        self.findings.append(Finding(code, text, layer=self.layer_id))

    def seed(self, own: int) -> int:
        """64 bits from the layer's id and its own seed: two layers with equal seeds still differ."""
        index = np.array([own], np.uint64)
        return int(bits_array(int(stream(f"layer {self.layer_id}")), _LAYER, index)[0])

    def has(self, name: str) -> bool:
        """Whether a file that somebody brought along is here; a finding tells where it is not."""
        lacking = self._files.lacks(name) if name else "it has no file yet; choose one"
        if lacking:
            self.find("missing-file", lacking)
        return not lacking

    def file(self, name: str) -> bytes:
        """The bytes of a file that is here."""
        return self._files.file(name)

    def surface(self) -> Surface:
        """What things stand on."""
        return self._on().surface

    def trace(self) -> Curve | Region:
        """The line or outline that this layer gives."""
        return self._on().traced[self.layer_id]

    def cleared(self) -> tuple[Strip | Region, ...]:
        """Where nothing is planted, whatever a rule says."""
        return self._on().clear

    def _on(self) -> Ground:
        assert self._ground is not None, "the first layer of a scene gives a surface"
        return self._ground

    def regions(self, ids: Sequence[str]) -> list[Region]:
        """The regions that the layers `ids` give."""
        return [r for o in self._given(ids, "area") for r in o.regions]

    def paths(self, ids: Sequence[str]) -> list[tuple[str, Curve]]:
        """The layers among `ids` that give paths, each with its own."""
        there = [i for i in ids if self._given([i], "path")]
        return [(i, c) for i in there for c in self._earlier[i].curves]

    def walked(self) -> list[tuple[str, Curve]]:
        """The paths that people walk, wherever their layers stand: they lie on the ground before anything does."""
        on = self._on()
        return [(i, c) for i in on.walked if isinstance(c := on.traced[i], Curve)]

    def _given(self, ids: Sequence[str], wanted: str) -> list[Output]:
        out = []
        for name in dict.fromkeys(ids):
            found = self._earlier.get(name)
            if found is None or not _has(found, wanted):
                text = f"the {wanted} {name!r} is missing, or stands further right than this layer"
                self.find(f"missing-{wanted}", text)
                continue
            out.append(found)
        return out

    def weighted(self, conditions: Sequence[Condition]) -> tuple[Weighting, ...]:
        """`conditions` with what they measure; those that measure from something that is missing are left out and told."""
        return tuple(
            Weighting(c, measure) for c in conditions if (measure := self._measure(c)) is not None
        )

    def likings(self, mix: Mix) -> tuple[tuple[Weighting, ...], ...]:
        """Of each asset of a mix, what its weight is multiplied by."""
        return tuple(self.weighted(e.conditions) for e in mix.entries)

    def _measure(self, c: Condition) -> Measure | None:
        if c.of == "class":
            return self._class_share(c)
        if c.of in ("layer", "crown"):
            return self._from_standing(c)
        if c.of == "view":
            return self._in_view(c)
        if c.of in ("path", "area") and c.ids and not self._given(c.ids, c.of):
            return None
        if c.of == "image" and (why := image_lacks(c, self._files)):
            self.find("missing-image", why)
            return None
        traced = {k: t for k, t in self._on().traced.items() if k in self._earlier}
        return Senses(self._on(), self.cache, traced, self._files).measure(c)

    def _class_share(self, c: Condition) -> Measure | None:
        cover = self._on().cover
        for key in c.ids:
            if cover.row(key) is None:
                self.find("missing-class", f"there is no ground class {key!r}")
        known = tuple(key for key in c.ids if cover.row(key) is not None)
        return ClassShare(cover, known) if known else None

    def _from_standing(self, c: Condition) -> Measure | None:
        found = self._given(c.ids, "layer") if c.ids else list(self._earlier.values())
        if c.ids and not found:
            return None
        placed = [o.placements for o in found if o.placements is not None and o.placements.count]
        if c.of == "layer":
            return FromStanding(tuple(Stand(p.tiles) for p in placed), c.reach)
        return FromStanding(
            tuple(Stand(p.tiles, self.crowns(p.variants)) for p in placed), c.reach / 100
        )

    def crowns(self, variants: Sequence[Variant]) -> Float32:
        """(variants,) metres of the radius of each crown."""
        sizes = [self._files.size(v, self.check)[1] for v in variants]
        return np.maximum(np.array(sizes, np.float32), np.float32(0.01))

    def feet(self, variants: Sequence[Variant]) -> Float64:
        """(variants,) metres about the middle of each that it rests on."""
        return np.array([self._files.foot(v, self.check) for v in variants], np.float64)

    def skins(self, variants: Sequence[Variant]) -> list[Skin]:
        """The faces of each, in its own axes."""
        return [self._files.skin(v, self.check) for v in variants]

    def base(self, variant: Variant) -> Base | None:
        """What the footing of a variant goes on as."""
        return self._files.level(variant, 0, self.check).base

    def plans(self, variants: Sequence[Variant]) -> list[Float64]:
        """Of each its convex outline from above, (k, 2) metres to its side and to its front."""
        return [self._files.plan(v, self.check) for v in variants]

    def built(self) -> tuple[list[Float64], Float64, Float64]:
        """What earlier layers placed that stands on a base, upright: outlines as `plans` gives them, in its size; (n, 2) places, metres east and south; (n,) radians that it is turned."""
        rings: list[Float64] = []
        place, turn = [np.empty((0, 2))], [np.empty(0)]
        for output in self._earlier.values():
            placed = output.placements
            if placed is None or not placed.count:
                continue
            based = [get_kind(v.kind).based for v in placed.variants]
            if not any(based):
                continue
            plans = [
                self._files.plan(v, self.check) if own else np.empty((0, 2))
                for v, own in zip(placed.variants, based, strict=True)
            ]
            whole = placed.whole()
            rows = np.nonzero(np.array(based)[whole.variant])[0]
            for k in rows.tolist():
                rings.append(plans[int(whole.variant[k])] * whole.scale[k, [0, 2]])
            place.append(whole.position[rows][:, [0, 2]].astype(np.float64))
            q = whole.rotation[rows].astype(np.float64)
            turn.append(2.0 * np.arctan2(q[:, 1], q[:, 3]))
        return rings, np.concatenate(place), np.concatenate(turn)

    @property
    def water(self) -> float | None:
        """Metres of the level of standing water; None where there is none."""
        return self._on().water

    def shapes(self, variants: Sequence[Variant]) -> Shapes:
        """The convex bodies of each."""
        return Shapes.of([self._files.bodies(v, self.check) for v in variants])

    def _in_view(self, c: Condition) -> Measure | None:
        view = next((v for v in self._shelf.viewpoints if v.id in c.ids), None)
        if view is None:
            self.find("missing-viewpoint", "no viewpoint is chosen, or it is missing")
            return None
        return InView(view.eye, view.target)

    def standing(
        self, room: Callable[[Sequence[Variant]], Float32 | Float64] | None = None
    ) -> list[Stand]:
        """What earlier layers placed, layer by layer; `room` gives what variants take up besides their stems."""
        placed = [o.placements for o in self._earlier.values() if o.placements is not None]
        return [Stand(p.tiles, room and room(p.variants)) for p in placed if p.count]

    def bearers(self, ids: Sequence[str]) -> list[Bearers]:
        """What the layers `ids` placed or made, each with its faces."""
        out = []
        for found in self._given(ids, "thing"):
            placed = found.placements
            if placed is not None and placed.count:
                out.append(Bearers(tuple(self._faces(v) for v in placed.variants), placed.tiles))
            if found.solids:
                out.append(self._of_solids(found.solids))
        return out

    def _faces(self, variant: Variant) -> Faces:
        def make() -> Faces:
            product = self._files.level(variant, 0, self.check)
            return faces_of(product.mesh, product.materials)

        return self.cache.get(("faces", variant.key), make, lambda f: f.nbytes)

    def _of_solids(self, solids: Sequence[Solid]) -> Bearers:
        """Solids as things that stand in the middle of each."""
        faces, middles = [], []
        for one in solids:
            low, high = one.mesh.positions.min(axis=0), one.mesh.positions.max(axis=0)
            middle = (0.5 * (low + high)).astype(np.float32)
            moved = replace(one.mesh, positions=one.mesh.positions - middle)
            key = ("faces of solid", one.key)
            make = partial(faces_of, moved, one.materials)
            faces.append(self.cache.get(key, make, lambda f: f.nbytes))
            middles.append(middle)
        count = len(solids)
        placed = Placements(
            np.array([stream(f"solid {one.name}") for one in solids], np.uint64),
            np.arange(count, dtype=np.uint32),
            np.array(middles, np.float32),
            np.tile(np.array([0, 0, 0, 1], np.float32), (count, 1)),
            np.ones((count, 3), np.float32),
        )
        return Bearers(tuple(faces), tuple(cut(placed)))

    def mix(self, entries: Sequence[MixEntry], mirrored: float = 0.0) -> Mix:
        """The assets of a mix, those of kept mixes among them; one that is missing is left out and told.

        Args:
            mirrored: share that is mirrored, 0 to 100.
        """
        variants: list[Variant] = []
        chosen: list[tuple[str, float, Sequence[int]]] = []
        there: list[MixEntry] = []
        names: list[str] = []
        for name, draws, entry in self._opened(entries):
            asset = self._shelf.assets.get(entry.asset)
            if asset is None:
                self.find("missing-asset", f"the asset {entry.asset!r} is missing")
                continue
            if asset.id in self._shelf.lost:
                self.find("missing-file", f"{asset.name}: {self._shelf.lost[asset.id]}")
                continue
            found = resolve(asset, self._shelf.there, asset.id)
            for text in found.missing:
                self.find("missing-asset", text)
            seeds = [s for s in asset.seeds if not entry.seeds or s in entry.seeds]
            gone = [s for s in entry.seeds if s not in asset.seeds]
            if gone:
                self.find(
                    "missing-seed", f"{asset.name} has no seed {', '.join(map(str, gone))} any more"
                )
            if not seeds:
                continue
            variants += [
                variant_of(asset.id, asset.name, asset.kind, found.parameters, s, asset.images)
                for s in seeds
            ]
            chosen.append((draws, entry.weight, seeds))
            there.append(entry)
            names.append(name)
        if mirrored:
            variants += [v.mirrored() for v in variants]
        return Mix(
            tuple(variants), Choices.of(chosen, mirrored / 100.0), tuple(there), tuple(names)
        )

    def _opened(self, entries: Sequence[MixEntry]) -> Iterator[tuple[str, str, MixEntry]]:
        """`entries` with the assets of kept mixes in the place of these, each with what names it in `entries` and the name that it draws by.

        The latter is the asset's, so that keeping a mix changes nothing; one that is there already draws by the mix's as well.
        """
        met: set[str] = set()
        for entry in entries:
            kept = self._shelf.mixes.get(entry.asset)
            for own in [entry] if kept is None else _within(entry, kept):
                twice = own.asset in met
                met.add(own.asset)
                draws = f"{own.asset} of {entry.asset}" if twice else own.asset
                yield entry.asset, draws, own

    def kept(self, key: str, make: Callable[[], T], size: Callable[[T], int]) -> T:
        """The value under `key`, made by `make` when it is not held."""
        return self.cache.get(("layer", key), make, size)

    def look_up(self, key: str) -> Any:
        """The value under `key`, or None where it is not held."""
        return self.cache.look_up([("layer", key)])[0]
