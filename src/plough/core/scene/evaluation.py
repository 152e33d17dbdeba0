"""Evaluation: an incremental build of the layers, in order.

A layer whose kind, parameters and inputs have been met before gives the result it gave then. Else
it is evaluated, and finds what has not changed, tile by tile, in the cache: so changing a layer
recomputes what it touches and what can see that, nothing else.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from plough.core.cache import Cache
from plough.core.ground.surface import Surface
from plough.core.hashing import key_of
from plough.core.library.library import Library
from plough.core.parameters import build
from plough.core.scene.document import Layer, SceneDocument, files_of
from plough.core.scene.facets import Output, standing_on
from plough.core.scene.inputs import Inputs, Shelf
from plough.core.scene.registry import get_layer_kind

_UNREAD = {"tags", "notes"}  #: of an asset, that no result hangs on
_UNSEEN = {"curve", "region"}  #: facets that a hidden layer still gives


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

    @property
    def surface(self) -> Surface:
        """What things stand on, as all layers leave it."""
        return standing_on(r.output for r in self.layers)

    def layer(self, layer_id: str) -> LayerResult:
        """The result of one layer."""
        return next(r for r in self.layers if r.layer.id == layer_id)


class Evaluator:
    """Evaluates scenes over the cache of a library."""

    def __init__(self, library: Library | None = None, most_bytes: int = 400_000_000) -> None:
        self.library = library or Library()
        self.outputs = Cache(most_bytes)

    @property
    def cache(self) -> Cache:
        """Where tiles, candidates and products are kept."""
        return self.library.cache

    def evaluate(
        self, document: SceneDocument, check: Callable[[], None] = lambda: None
    ) -> Evaluation:
        """Evaluate all layers; hidden ones are left out, but for curves and regions that others read.

        Args:
            check: called between and within layers; may raise to stop.
        """
        done: list[LayerResult] = []
        assets = {a.id: a for a in document.assets}
        told = {a.id: self.library.lost(a.kind, a.parameters) for a in document.assets}
        lost = {name: why for name, why in told.items() if why}
        assets_key = key_of(
            [a.model_dump(mode="json", exclude=_UNREAD) for a in document.assets], sorted(lost)
        )
        for layer in document.layers:
            check()
            done.append(self._layer(layer, done, Shelf(assets, lost), assets_key, check))
        return Evaluation(document, tuple(done))

    def _layer(
        self,
        layer: Layer,
        done: list[LayerResult],
        shelf: Shelf,
        assets_key: str,
        check: Callable[[], None],
    ) -> LayerResult:
        kind = get_layer_kind(layer.kind)
        if layer.hidden and not _UNSEEN.intersection(kind.gives):
            return LayerResult(layer, Output())
        parameters = build(kind.parameters, layer.parameters, f"{layer.id}.parameters")
        whole = parameters.model_dump(mode="json")
        read = [(r.layer.id, r.key) for r in done]
        lost = [name for name in sorted(files_of(whole)) if self.library.lacks(name)]
        key = key_of(kind.name, kind.version, layer.id, whole, read, assets_key, lost)

        def make() -> Output:
            earlier = {r.layer.id: r.output for r in done}
            inputs = Inputs(layer.id, earlier, shelf, self.cache, check, self.library.file)
            output = kind.evaluate(parameters, inputs)
            return replace(output, findings=(*output.findings, *inputs.findings))

        output = self.outputs.get(key, make, lambda o: o.nbytes)
        return LayerResult(layer, output.out_of_sight() if layer.hidden else output)
