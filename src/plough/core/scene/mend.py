"""Mending: the edit by which what is wrong with a scene is put right."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from plough.core.arrays import Float64
from plough.core.errors import ParameterError
from plough.core.ground.surface import Samples
from plough.core.kinds import get_kind
from plough.core.library.library import Library
from plough.core.parameters import describe
from plough.core.place.amiss import CLOSE, Crowd, dropped, raised
from plough.core.place.by_hand import beneath
from plough.core.scene.document import SceneDocument, share_field, with_layer
from plough.core.scene.evaluation import Evaluation, Evaluator
from plough.core.scene.facets import Finding
from plough.core.scene.kept import written
from plough.core.scene.registry import get_layer_kind
from plough.core.scene.stage import Stage
from plough.core.scene.trouble import (
    BLOCKING,
    BURIED,
    FLOATING,
    FORBIDDEN,
    INTERSECTING,
    OUTSIDE,
    RULE,
    trouble,
)
from plough.core.scene.weight import profile_of, weigh_layer
from plough.core.tiles import around_each, code_of, tile_of

FARTHEST = 24.0  #: metres that a thing is moved aside at most
_NEAREST, _WIDER, _WAYS = (
    0.1,
    1.12,
    32,
)  # the first ring of places, the next by so much, places on each
_CLEAR = 0.02  # metres that what was moved aside stays clear by
_ASIDE = (INTERSECTING, BLOCKING, FORBIDDEN)
_TITLES = {
    FLOATING: "Drop it",
    BURIED: "Raise it",
    OUTSIDE: "Take it out",
    INTERSECTING: "Move it aside",
    BLOCKING: "Move it aside",
    FORBIDDEN: "Move it aside",
}


@dataclass(frozen=True, slots=True)
class Mend:
    """An edit of a layer or of an asset."""

    layer: str = ""
    asset: str = ""
    parameters: dict[str, Any] = field(default_factory=dict)  #: dotted names to values
    game: dict[str, Any] = field(default_factory=dict)  #: of a layer, what changes


def remedy(document: SceneDocument, finding: Finding) -> str:
    """What can be done about a finding, in two or three words; empty where only the person can."""
    layer = next((x for x in document.layers if x.id == finding.layer), None)
    if finding.code == "waiting-touch":
        return "Let go of them"
    if finding.code == "too-heavy" and finding.other in ("triangles", "instances"):
        return "Keep fewer"
    if finding.code == "large-collider":
        return "Take its hull" if _hull(document, finding.other) else ""
    if layer is None or layer.locked or not finding.thing:
        return ""
    if finding.other == RULE:
        return "Give it back"
    kind = get_layer_kind(layer.kind)
    return _TITLES.get(finding.code, "") if kind.holds("placed") or kind.holds("touches") else ""


def mend(
    evaluator: Evaluator,
    document: SceneDocument,
    findings: Sequence[str],
    check: Callable[[], None] = lambda: None,
) -> list[Mend]:
    """The edits that put right what findings tell, given by their ids: one for each layer or asset.

    Raises:
        ParameterError: there is no such finding now, or it cannot be put right so.
    """
    evaluation = evaluator.evaluate(document, check)
    found = {f.id: f for f in trouble(evaluation, evaluator.library, check=check).findings}
    stage = Stage(evaluation, evaluator.library, check)
    made: dict[tuple[str, str], Mend] = {}
    for name in findings:
        check()
        finding = found.get(name)
        if finding is None:
            raise ParameterError("finding", "this is not amiss any more", value=name)
        if not remedy(document, finding):
            raise ParameterError("finding", f"no edit puts that right: {finding.text}", value=name)
        one = _mend(evaluator, stage, finding)
        before = made.get((one.layer, one.asset), one)
        parameters, game = before.parameters | one.parameters, before.game | one.game
        made[one.layer, one.asset] = replace(one, parameters=parameters, game=game)
    return list(made.values())


def _mend(evaluator: Evaluator, stage: Stage, finding: Finding) -> Mend:
    """The edit that puts one finding right."""
    document = stage.evaluation.document
    if finding.code == "waiting-touch":
        return _let_go(evaluator, document, finding)
    if finding.code == "too-heavy":
        return _fewer(stage.evaluation, evaluator.library, finding)
    if finding.code == "large-collider":
        path = _hull(document, finding.other)
        return Mend(asset=finding.other, parameters={path: "hull"})
    if finding.other == RULE:
        return _set(stage.evaluation, finding, None)
    return _stood(stage, finding)


def _stood(stage: Stage, finding: Finding) -> Mend:
    """For one placement: raised, dropped, moved aside, or taken out where there is no place for it."""
    assert finding.place is not None
    if finding.code == OUTSIDE:
        return _set(stage.evaluation, finding, {"removed": True})
    at = np.array([finding.place])
    own = code_of(tile_of(at[:, 0], at[:, 2]))
    near = code_of(around_each(tile_of(at[:, 0], at[:, 2]), 1))
    crowd, layer = stage.crowd(near, own)
    ids = [r.layer.id for r in stage.layers]
    is_it = (crowd.placed.ids == np.uint64(int(finding.thing))) & (
        layer == ids.index(finding.layer)
    )
    row = int(np.nonzero(is_it)[0][0])
    position = crowd.placed.position[row].astype(np.float64)
    if finding.code in _ASIDE:
        weigh = stage.evaluation.layer(finding.layer).output.weigh
        place = free_place(stage, crowd, row, weigh)
        if place is None:
            return _set(stage.evaluation, finding, {"removed": True})
        return _set(stage.evaluation, finding, {"at": [round(float(v), 3) for v in place]})
    if finding.code == BURIED:
        by = raised(crowd, row, stage.surface)
    else:
        by = -dropped(crowd, row, stage.surface, stage.ground.water, stage.under)
    ground = beneath(stage.surface, position[None, [0, 2]])[0]
    lift = round(float(position[1] + by - ground), 4)
    return _set(stage.evaluation, finding, {"lift": lift, "ground": None})


def free_place(
    stage: Stage, crowd: Crowd, row: int, weigh: Callable[[Samples], Float64] | None
) -> Float64 | None:
    """(2,) the nearest place for one thing, of many about it, where it is in nobody's way and nothing forbids it; None where there is none within `FARTHEST`.

    Args:
        weigh: how likely its rule places something; where it never does is no place for it.
    """
    here = crowd.placed.position[row].astype(np.float64)
    rings = int(math.log(FARTHEST / _NEAREST, _WIDER)) + 1
    away = np.repeat(_NEAREST * _WIDER ** np.arange(rings), _WAYS)
    turn = np.tile(np.arange(_WAYS) * 2 * math.pi / _WAYS, rings)
    # places of neighbouring rings do not lie in rows
    turn = turn + np.repeat(np.arange(rings) % 2, _WAYS) * math.pi / _WAYS
    places = here[[0, 2]] + np.stack([away * np.cos(turn), away * np.sin(turn)], axis=1)
    x, z = (np.ascontiguousarray(places[:, k]) for k in (0, 1))
    ground = stage.surface.sample(x, z)
    fit = ground.hit.copy()
    for kept in stage.kept:
        fit &= kept.depth(x, z) <= 0
    if weigh is not None:
        fit &= weigh(ground) > 0
    lift = here[1] - beneath(stage.surface, here[None, [0, 2]])[0]
    for k in np.nonzero(fit)[0].tolist():
        moved = np.array([x[k], ground.position[k, 1] + lift, z[k]])
        if not crowd.meets(row, moved - here, CLOSE - _CLEAR):
            return np.asarray(places[k])
    return None


def _set(evaluation: Evaluation, finding: Finding, change: dict[str, Any] | None) -> Mend:
    """What is kept of a placement, changed; None: as its rule has it."""
    layer = evaluation.layer(finding.layer).layer
    of = {finding.thing: _asset_of(evaluation, finding)} if change else {}
    kept = written(get_layer_kind(layer.kind), layer, [finding.thing], [change], of)
    return Mend(layer.id, parameters=kept)


def _asset_of(evaluation: Evaluation, finding: Finding) -> str:
    placed = evaluation.layer(finding.layer).output.placements
    for tile in placed.tiles if placed is not None else ():
        rows = np.nonzero(tile.placements.ids == np.uint64(int(finding.thing)))[0]
        if len(rows) and placed is not None:
            return placed.variants[int(tile.placements.variant[rows[0]])].asset
    raise ParameterError("finding", "what it is about is not there any more", value=finding.thing)


def _let_go(evaluator: Evaluator, document: SceneDocument, finding: Finding) -> Mend:
    """Without the touches whose placements are not there."""
    layer = next(x for x in document.layers if x.id == finding.layer)
    path = get_layer_kind(layer.kind).holds("touches")
    touches = layer.parameters.get(path, ())
    bare = layer.model_copy(update={"parameters": {**layer.parameters, path: []}})
    output = evaluator.evaluate(with_layer(document, bare), until=layer.id).layer(layer.id).output
    placed = output.placements
    there = {str(i) for i in placed.whole().ids.tolist()} if placed is not None else set()
    known = {(v.asset, v.seed) for v in placed.variants} if placed is not None else set()
    gone = [t["id"] for t in touches if t["id"] not in there or _lacks(t, known)]
    return Mend(layer.id, parameters={f"{path}#{i}": None for i in gone})


def _lacks(touch: dict[str, Any], known: set[tuple[str, int]]) -> bool:
    asset = touch.get("asset")
    return asset is not None and (asset, touch.get("seed")) not in known


def _fewer(evaluation: Evaluation, library: Library, finding: Finding) -> Mend:
    """The heaviest layer thinned at the scene's tier, until the whole is light enough or nothing of it is left."""
    assert finding.place is not None
    what, settings = finding.other, evaluation.document.settings
    weights = {
        r.layer.id: int(getattr(weigh_layer(r.output, library, finding.place), what))
        for r in evaluation.layers
        if r.output.placements is not None
    }
    heaviest = max(weights, key=lambda k: weights[k])
    total = finding.measure * getattr(profile_of(settings), what)
    over = total - getattr(profile_of(settings), what)
    layer = evaluation.layer(heaviest).layer
    now = 100.0 * layer.game.kept(settings.tier)
    share = math.floor(now * max(0.0, 1.0 - over / weights[heaviest])) if weights[heaviest] else 0
    return Mend(heaviest, game={share_field(settings.tier): float(max(0, share - 1))})


def _hull(document: SceneDocument, asset_id: str) -> str:
    """The parameter by which an asset's collider is the hull of its mesh; empty where it has none, or it is that already."""
    asset = next((a for a in document.assets if a.id == asset_id), None)
    if asset is None:
        return ""
    rows = [r for r in describe(get_kind(asset.kind).parameters) if "hull" in (r.options or ())]
    now: Any = asset.parameters
    for part in rows[0].path.split(".") if rows else ():
        now = now.get(part, {}) if isinstance(now, dict) else {}
    return rows[0].path if rows and now not in ("hull", {}) else ""
