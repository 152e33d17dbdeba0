"""What could give way where a scene is too heavy for its profile, and how much each would save."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from plough.core.library.library import Library
from plough.core.scene.document import LayerGame, SceneDocument, share_field, with_layer
from plough.core.scene.evaluation import Evaluation, Evaluator
from plough.core.scene.weight import Eye, Profile, Weight, profile_of, weigh_layer

THINNED = ("triangles", "instances")  #: what fewer placements make less of
MOST = 6  #: that are offered
LEAST = 0.4  #: of what is kept now, that is offered at least
WORTH = 0.01  #: of what is over; what saves less is not offered
_STEP = 5  # per cent


@dataclass(frozen=True, slots=True)
class Gain:
    """A layer of which less is kept at the scene's profile."""

    layer: str
    name: str
    share: float  #: per cent of its placements that would be kept
    saves: Weight  #: measured


def over_of(total: Weight, limits: Profile) -> dict[str, int]:
    """By how much a weight is over what a profile bears; only what is."""
    names = ("triangles", "instances", "draw_calls", "bytes")
    over = {n: getattr(total, n) - getattr(limits, n) for n in names}
    return {n: by for n, by in over.items() if by > 0}


def gains_of(
    evaluator: Evaluator,
    document: SceneDocument,
    eye: Eye,
    check: Callable[[], None] = lambda: None,
) -> tuple[dict[str, int], list[Gain]]:
    """By how much the scene is over, and what could give way: as much as is needed, or as may be; what saves most first.

    Each is tried: the layer is evaluated with fewer kept, and weighed.
    """
    evaluation = evaluator.evaluate(document, check)
    library = evaluator.library
    weights = {r.layer.id: weigh_layer(r.output, library, eye, check) for r in evaluation.layers}
    total = Weight()
    for w in weights.values():
        total += w
    limits, tier = profile_of(document.settings), document.settings.tier
    over = over_of(total, limits)
    thinned = [n for n in THINNED if n in over]
    if not thinned or not share_field(tier):
        return over, []
    worst = max(thinned, key=lambda n: over[n] / getattr(limits, n))
    found = []
    for result in evaluation.layers:
        check()
        layer, own = result.layer, getattr(weights[result.layer.id], worst)
        if result.output.placements is None or own < WORTH * over[worst]:
            continue
        now = 100.0 * layer.game.kept(tier)
        needed = 1.0 - over[worst] / own
        share = float(max(_STEP, _STEP * math.floor(now * max(needed, LEAST) / _STEP)))
        if share >= now:
            continue
        game = LayerGame(**{**layer.game.model_dump(), share_field(tier): share})
        less = with_layer(document, layer.model_copy(update={"game": game}))
        lighter = _weight_of(evaluator.evaluate(less, check), layer.id, library, eye, check)
        names = Weight.__slots__
        before = weights[layer.id]
        saves = Weight(*(getattr(before, n) - getattr(lighter, n) for n in names))
        if getattr(saves, worst) >= WORTH * over[worst]:
            found.append(Gain(layer.id, layer.name, share, saves))
    found.sort(key=lambda g: (-getattr(g.saves, worst), g.layer))
    return over, found[:MOST]


def _weight_of(
    evaluation: Evaluation, layer: str, library: Library, eye: Eye, check: Callable[[], None]
) -> Weight:
    return weigh_layer(evaluation.layer(layer).output, library, eye, check)
