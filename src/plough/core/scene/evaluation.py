"""Evaluation: an incremental build of the layers, in order.

A layer whose kind, parameters and inputs have been met before gives the result it gave then. Else
it is evaluated, and finds what has not changed, tile by tile, in the cache: so changing a layer
recomputes what it touches and what can see that, nothing else.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import NamedTuple

import orjson

from plough.core.cache import Cache
from plough.core.ground.surface import Surface
from plough.core.hashing import digest, key_of
from plough.core.library.library import Library
from plough.core.parameters import Parameters, build
from plough.core.place.placements import first_share
from plough.core.place.touches import Touch, touched
from plough.core.scene.document import Layer, SceneDocument, Tier, hashes_in
from plough.core.scene.facets import Finding, Ground, Output, Traced
from plough.core.scene.foundations import foundations
from plough.core.scene.inputs import Inputs, Shelf
from plough.core.scene.registry import get_layer_kind
from plough.core.scene.senses import covered, lacking

_UNREAD = {"tags", "notes"}  #: of an asset, that no result hangs on
_UNSEEN = {"curve", "region"}  #: facets that a hidden layer still gives


class _Built(NamedTuple):
    """Parameters of a layer, made of its values."""

    parameters: Parameters
    key: str
    files: frozenset[str]  #: that they name


@dataclass(frozen=True, slots=True)
class LayerResult:
    """What a layer came to."""

    layer: Layer
    output: Output

    @property
    def key(self) -> str:
        """Changes when, and only when, the result does."""
        return self.output.key


@dataclass(frozen=True, slots=True)
class Evaluation:
    """All layers of a scene."""

    document: SceneDocument
    layers: tuple[LayerResult, ...]
    ground: Ground

    @property
    def surface(self) -> Surface:
        """What things stand on."""
        return self.ground.surface

    def layer(self, layer_id: str) -> LayerResult:
        """The result of one layer."""
        return next(r for r in self.layers if r.layer.id == layer_id)


def _touched(output: Output, touches: Sequence[Touch], inputs: Inputs) -> Output:
    """`output` with what was done to single placements by hand; it is told which of that waits."""
    placed = output.placements
    if not touches or placed is None:
        return output
    rows = {(v.asset, v.seed): k for k, v in enumerate(placed.variants) if v.mirror_of is None}
    tiles, waiting = touched(placed.tiles, touches, rows, inputs.surface())
    if waiting and placed.share == 1.0:
        many = len(waiting) > 1
        what = (
            f"{len(waiting)} touches wait: their placements are"
            if many
            else "1 touch waits: its placement is"
        )
        inputs.find("waiting-touch", f"{what} not there now")
    return replace(output, placements=replace(placed, tiles=tuple(tiles)))


class Evaluator:
    """Evaluates scenes over the cache of a library."""

    def __init__(self, library: Library | None = None, most_bytes: int = 400_000_000) -> None:
        self.library = library or Library()
        self.outputs = Cache(most_bytes)
        self.read = Cache(most_bytes // 8)  #: values of layers, built and traced

    @property
    def cache(self) -> Cache:
        """Where tiles, candidates and products are kept."""
        return self.library.cache

    def evaluate(
        self,
        document: SceneDocument,
        check: Callable[[], None] = lambda: None,
        until: str = "",
        light: str = "",
    ) -> Evaluation:
        """Evaluate all layers; hidden ones are left out, but for curves and regions that others read.

        Args:
            check: called between and within layers; may raise to stop.
            until: the layer whose result is wanted: those right of it are left out.
            light: a layer that is being tried out: where very much would stand, a part of it is enough.
        """
        assets = {a.id: a for a in document.assets}
        reasons = {a.id: self.library.lost(a.kind, a.parameters) for a in document.assets}
        lost = {name: why for name, why in reasons.items() if why}
        assets_key = key_of(
            [a.model_dump(mode="json", exclude=_UNREAD) for a in document.assets],
            sorted(lost),
            [(v.id, v.eye, v.target) for v in document.settings.viewpoints],
            [m.model_dump(mode="json", exclude={"name"}) for m in document.settings.mixes],
        )
        mixes = {m.id: m for m in document.settings.mixes}
        shelf = Shelf(assets, lost, document.settings.viewpoints, mixes)
        first = self._layer(document.layers[0], [], shelf, assets_key, None, (), check)
        done = [first]
        assert first.output.surface is not None, "the first layer of a scene gives a surface"
        bare = Ground(
            first.output.surface,
            water=first.output.water,
            traced=self._traced(document),
            walked=tuple(x.id for x in document.layers if self._walked(x)),
        )
        shaped, told_of = self._shaped(document, bare, shelf, check)
        ground = covered(shaped, first.output.classes, first.output.painted, self.library)
        if gone := lacking(first.output.classes, bare.traced, self.library):
            told = (*first.output.findings, *gone)
            done = [LayerResult(first.layer, replace(first.output, findings=told))]
        for layer in document.layers[1:]:
            check()
            findings = told_of.get(layer.id, ())
            own = layer.id == light
            done.append(self._layer(layer, done, shelf, assets_key, ground, findings, check, own))
            if layer.id == until:
                break
        tier = document.settings.tier
        return Evaluation(document, tuple(self._kept(r, tier) for r in done), ground)

    def _kept(self, result: LayerResult, tier: Tier) -> LayerResult:
        """What is kept of a result at a tier; others have given way to all of it, so the tiers nest."""
        share, output = result.layer.game.kept(tier), result.output
        if share >= 1.0 or output.placements is None:
            return result
        placed = output.placements

        def make() -> Output:
            tiles = [t for tile in placed.tiles if (t := first_share(tile, share)).placements.count]
            return replace(output, placements=replace(placed, tiles=tuple(tiles)))

        key = ("kept", output.key, share)
        return replace(result, output=self.outputs.get(key, make, lambda o: o.nbytes))

    def _traced(self, document: SceneDocument) -> Traced:
        """The lines and outlines of all layers, hidden ones as well."""
        out: Traced = {}
        for layer in document.layers:
            trace, built = get_layer_kind(layer.kind).trace, self._built(layer)
            if trace is not None:
                make = partial(trace, built.parameters)
                key = ("trace", layer.kind, built.key)
                out[layer.id] = self.read.get(key, make, lambda t: t.nbytes)
        return out

    def _walked(self, layer: Layer) -> bool:
        """Whether people walk along its line."""
        walked = get_layer_kind(layer.kind).walked
        return walked is not None and not layer.hidden and walked(self._built(layer).parameters)

    def _built(self, layer: Layer) -> _Built:
        """The parameters of a layer, made once of the same values."""

        def make() -> _Built:
            kind = get_layer_kind(layer.kind)
            parameters = build(kind.parameters, layer.parameters, f"{layer.id}.parameters")
            whole = parameters.model_dump_json().encode()
            return _Built(parameters, digest(whole), frozenset(hashes_in(whole)))

        given = key_of(layer.kind, layer.parameters)
        return self.read.get(
            ("parameters", given), make, lambda _: 16 * len(orjson.dumps(layer.parameters))
        )

    def _shaped(
        self, document: SceneDocument, ground: Ground, shelf: Shelf, check: Callable[[], None]
    ) -> tuple[Ground, dict[str, Sequence[Finding]]]:
        """`ground` as all layers that shape it leave it, one after the other, and what each found; wherever they stand, it is shaped before anything stands on it."""
        told: dict[str, Sequence[Finding]] = {}
        for layer in document.layers:
            kind = get_layer_kind(layer.kind)
            if kind.shape is None or layer.hidden:
                continue
            check()
            inputs = Inputs(layer.id, {}, shelf, self.cache, check, self.library, ground)
            made = kind.shape(self._built(layer).parameters, ground.surface, inputs)
            told[layer.id] = inputs.findings
            if made is not None:
                ground = replace(
                    ground,
                    surface=made.surface,
                    clear=(*ground.clear, *made.clear),
                    laid=(*ground.laid, *made.laid),
                )
        return ground, told

    def _layer(
        self,
        layer: Layer,
        done: list[LayerResult],
        shelf: Shelf,
        assets_key: str,
        ground: Ground | None,
        findings: Sequence[Finding],
        check: Callable[[], None],
        light: bool = False,
    ) -> LayerResult:
        kind = get_layer_kind(layer.kind)
        if layer.hidden and not _UNSEEN.intersection(kind.gives):
            return LayerResult(layer, Output())
        built = self._built(layer)
        read = [(r.layer.id, r.key) for r in done]
        lost = [name for name in sorted(built.files) if self.library.lacks(name)]
        on = ground.key if ground is not None else ""
        texts = [f.text for f in findings]
        key = key_of(
            kind.name, kind.version, layer.id, built.key, read, assets_key, lost, on, texts, light
        )

        def make() -> Output:
            earlier = {r.layer.id: r.output for r in done}
            inputs = Inputs(
                layer.id, earlier, shelf, self.cache, check, self.library, ground, light
            )
            output = kind.evaluate(built.parameters, inputs)
            output = _touched(output, getattr(built.parameters, "touches", ()), inputs)
            if output.placements is not None:
                output = replace(
                    output, solids=(*output.solids, *foundations(output.placements, inputs))
                )
            return replace(output, findings=(*output.findings, *findings, *inputs.findings))

        output = self.outputs.get(key, make, lambda o: o.nbytes)
        return LayerResult(layer, output.out_of_sight() if layer.hidden else output)
