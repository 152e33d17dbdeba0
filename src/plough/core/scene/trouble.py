"""Trouble: what is wrong in a scene, with a place, a measure and a reason in words.

Things are judged tile by tile, and a tile again only where it, what stands about it or the ground
there is not what it was: so the findings after an edit cost what the edit touched.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from plough.core.arrays import Float64, Int64
from plough.core.library.library import Library
from plough.core.place.amiss import Crowd, amiss
from plough.core.place.touches import Touch
from plough.core.scene.document import Layer
from plough.core.scene.evaluation import Evaluation
from plough.core.scene.facets import Finding
from plough.core.scene.stage import Stage
from plough.core.scene.weight import Weight, profile_of, weigh_layer
from plough.core.tiles import (
    around_each,
    code_of,
    grouped,
    tile_of,
)

MOST_LISTED = 100  #: findings of one kind in one layer that are told one by one
FLOATING, BURIED, INTERSECTING, OUTSIDE, FORBIDDEN, BLOCKING = CODES = (
    "floating",
    "buried",
    "intersecting",
    "outside",
    "forbidden-ground",
    "blocking-path",
)
RULE = "its rule"  #: what a placement is at odds with that was moved where its rule plants nothing
_NUMBER = {code: k for k, code in enumerate(CODES)}
_FAR = 0.15  # of its size: a collider may stand out of its mesh by so much
_FAR_LEAST = 0.1  # metres, and by so much at least
_ROW = np.dtype(
    [
        ("code", "u1"),
        ("layer", "u2"),
        ("variant", "u4"),
        ("id", "u8"),
        ("other_layer", "u2"),
        ("other_variant", "u4"),
        ("other", "u8"),
        ("measure", "f8"),
        ("whole", "f8"),
        ("place", "f8", (3,)),
    ]
)
Rows = NDArray[np.void]


@dataclass(frozen=True, slots=True)
class Amount:
    """How many findings of one kind a layer has, listed or not."""

    layer: str
    code: str
    count: int


@dataclass(frozen=True, slots=True)
class Trouble:
    """All that is wrong in a scene."""

    findings: tuple[
        Finding, ...
    ]  #: of one kind in one layer the worst first, at most `MOST_LISTED`
    amounts: tuple[Amount, ...]
    left: int = 0  #: findings that somebody has left as they are

    @property
    def count(self) -> int:
        """How many there are, listed or not."""
        return sum(a.count for a in self.amounts)


def judged(stage: Stage) -> Rows:
    """What is amiss with placements."""
    codes = np.array(list(stage.by_tile), np.int64)
    if not len(codes):
        return np.empty(0, _ROW)
    tiles = np.stack([(codes & 0xFFFFFFFF) - 2**30, (codes >> 32) - 2**30], axis=-1)
    cache = stage.library.cache
    names = [("trouble", a, b) for a, b in stage.keys(tiles).tolist()]
    found: list[Rows | None] = cache.look_up(names)
    missing = np.array([k for k, rows in enumerate(found) if rows is None], np.int64)
    for rows in grouped(tiles, missing):
        stage.check()
        parts = _amiss(stage, codes[rows], code_of(around_each(tiles[rows], 1)))
        cache.keep([(names[k], p, 300 + p.nbytes) for k, p in zip(rows, parts, strict=True)])
        for k, part in zip(rows.tolist(), parts, strict=True):
            found[k] = part
    return np.concatenate([f for f in found if f is not None])


def _amiss(stage: Stage, own: Int64, near: Int64) -> list[Rows]:
    """What is amiss in each of the tiles `own`, with those of `near` about them."""
    crowd, layer = stage.crowd(near, own)
    placed = crowd.placed
    parts: list[Rows] = []

    def tell(code: str, rows: Int64, measure: Float64, whole: Float64 | float = 0.0) -> Rows:
        out = np.zeros(len(rows), _ROW)
        out["code"], out["measure"], out["whole"] = _NUMBER[code], measure, whole
        out["layer"], out["id"] = layer[rows], placed.ids[rows]
        out["variant"], out["place"] = placed.variant[rows], placed.position[rows]
        parts.append(out)
        return out

    standing = amiss(crowd, stage.surface, stage.ground.water, stage.under)
    tell(FLOATING, standing.floating, standing.above)
    tell(BURIED, standing.buried, standing.under, standing.tall)
    met = crowd.meeting()
    stage.check()
    grown = stage.together[layer[met.first]] & (layer[met.first] == layer[met.second])
    first, second, depth = (a[~grown] for a in (met.first, met.second, met.depth))
    out = tell(INTERSECTING, second, depth)
    out["other_layer"], out["other"] = layer[first], placed.ids[first]
    out["other_variant"] = placed.variant[first]
    _misplaced(stage, crowd, layer, tell)
    whole = np.concatenate(parts)
    code = code_of(tile_of(*whole["place"][:, [0, 2]].T))
    order = np.argsort(code, kind="stable")
    cuts = np.searchsorted(code[order], own), np.searchsorted(code[order], own, "right")
    return [whole[order[a:b]] for a, b in zip(*cuts, strict=True)]


def _misplaced(stage: Stage, crowd: Crowd, layer: Int64, tell: Callable[..., Rows]) -> None:
    """What stands beyond the ground, or where nothing may."""
    rows = np.nonzero(crowd.own)[0]
    at = crowd.placed.position[rows].astype(np.float64)
    x, z = np.ascontiguousarray(at[:, 0]), np.ascontiguousarray(at[:, 2])
    x0, z0, x1, z1 = stage.surface.bounds
    beyond = np.hypot(
        np.maximum(0, np.maximum(x0 - x, x - x1)), np.maximum(0, np.maximum(z0 - z, z - z1))
    )
    out = np.nonzero(~stage.surface.sample(x, z).hit & ~crowd.free[rows])[0]
    tell(OUTSIDE, rows[out], beyond[out])
    stops = stage.stops()[crowd.placed.variant[rows]]
    follows = [set(names) for names in stage.follows()]
    for kept_row, kept in enumerate(stage.kept):
        along = np.array([kept.layer in names for names in follows], bool)
        asked = np.nonzero(~along[layer[rows]] & ~crowd.free[rows])[0]
        depth = kept.depth(x[asked], z[asked])
        blocks = stops[asked] & kept.walked
        for code, of in ((BLOCKING, blocks), (FORBIDDEN, ~blocks & kept.clear)):
            hit = np.nonzero((depth > 0) & of)[0]
            found = tell(code, rows[asked[hit]], depth[hit])
            found["other_layer"] = kept_row


def trouble(
    evaluation: Evaluation,
    library: Library,
    left: Sequence[str] = (),
    check: Callable[[], None] = lambda: None,
) -> Trouble:
    """All that is wrong in a scene.

    Args:
        left: ids of findings that somebody has left as they are; they are counted apart.
        check: called between steps; may raise to stop.
    """
    stage = Stage(evaluation, library, check)
    told = [
        f if f.layer else replace(f, layer=r.layer.id)
        for r in evaluation.layers
        for f in r.output.findings
    ]
    told += _moved(evaluation) + _heavy(evaluation, library, check) + _large(stage)
    leave = set(left)
    waved = sum(f.id in leave for f in told)
    told = [f for f in told if f.id not in leave]
    amounts = Counter((f.layer, f.code) for f in told)
    rows = judged(stage)
    order = np.lexsort((rows["id"], -rows["measure"], rows["code"], rows["layer"]))
    groups: Counter[tuple[int, int]] = Counter()
    for row in rows[order]:
        group = int(row["layer"]), int(row["code"])
        groups[group] += 1
        if groups[group] > MOST_LISTED + len(leave):
            continue
        finding = _finding(stage, row)
        if finding.id in leave:
            waved += 1
            groups[group] -= 1
        elif groups[group] <= MOST_LISTED:
            told.append(finding)
    for (layer, code), count in groups.items():
        amounts[stage.layers[layer].layer.id, CODES[code]] += count
    places = {r.layer.id: k for k, r in enumerate(evaluation.layers)}
    told.sort(key=lambda f: (f.code, places.get(f.layer, -1)))
    return Trouble(
        tuple(told),
        tuple(Amount(layer, code, n) for (layer, code), n in sorted(amounts.items()) if n),
        waved,
    )


def _finding(stage: Stage, row: np.void) -> Finding:
    """What a row says, in words."""
    code = CODES[int(row["code"])]
    layer: Layer = stage.layers[int(row["layer"])].layer
    name = f"{stage.variants[int(row['variant'])].name} {int(row['id']) & 0xFFFF:04x}"
    measure, other = float(row["measure"]), ""
    if code == FLOATING:
        text = f"{name} floats {_metres(measure)} above what is beneath it"
    elif code == BURIED:
        text = f"{name} lies buried: {_metres(measure)} of its {_metres(float(row['whole']))} are in the ground"
    elif code == INTERSECTING:
        other = f"{row['other']}"
        into = stage.variants[int(row["other_variant"])].name
        text = f"{name} stands {_metres(measure)} into {into} {int(row['other']) & 0xFFFF:04x}"
        of = stage.layers[int(row["other_layer"])].layer
        text += f" of {of.name}" if of.id != layer.id else ""
    elif code == OUTSIDE:
        text = f"{name} stands {_metres(measure)} beyond the ground"
    else:
        kept = stage.kept[int(row["other_layer"])]
        other = kept.layer
        text = (
            f"{name} stands {_metres(measure)} in {'the path ' if kept.walked else ''}{kept.name}"
        )
        text += "" if code == BLOCKING else ", where nothing is to grow"
    place = (float(row["place"][0]), float(row["place"][1]), float(row["place"][2]))
    severity = "error" if code == OUTSIDE else "warning"
    return Finding(code, text, severity, layer.id, place, f"{row['id']}", other, measure)  # type: ignore[arg-type]


def _metres(value: float) -> str:
    return f"{value:.2f} m" if value < 9.995 else f"{value:.1f} m"


def _moved(evaluation: Evaluation) -> list[Finding]:
    """Touches that put a placement where its rule plants nothing."""
    out = []
    names = {a.id: a.name for a in evaluation.document.assets}
    for result in evaluation.layers:
        weigh, values = result.output.weigh, result.layer.parameters.get("touches", ())
        moved = [t for t in values if t.get("at") is not None and not t.get("removed")]
        if weigh is None or not moved or result.output.placements is None:
            continue
        at = np.array([t["at"] for t in moved], np.float64)
        there = evaluation.surface.sample(
            np.ascontiguousarray(at[:, 0]), np.ascontiguousarray(at[:, 1])
        )
        for row in np.nonzero(there.hit & (weigh(there) <= 0.0))[0].tolist():
            touch = Touch.model_validate(moved[row])
            x, y, z = (float(v) for v in there.position[row])
            place = (x, y, z)
            name = f"{names.get(touch.of or '', result.layer.name)} {int(touch.id) & 0xFFFF:04x}"
            text = f"{name} was moved to where its rule plants nothing"
            out.append(Finding(FORBIDDEN, text, "note", result.layer.id, place, touch.id, RULE))
    return out


def _heavy(evaluation: Evaluation, library: Library, check: Callable[[], None]) -> list[Finding]:
    """Where the scene weighs more than its profile takes, from the viewpoint that sees most."""
    settings = evaluation.document.settings
    profile = profile_of(settings)
    eyes = [(v.name, v.eye) for v in settings.viewpoints] or [("the middle", (0.0, 2.0, 0.0))]
    worst: dict[str, tuple[int, str, tuple[float, float, float], str]] = {}
    for name, eye in eyes:
        weights = [(r.layer, weigh_layer(r.output, library, eye, check)) for r in evaluation.layers]
        for what in ("triangles", "instances", "draw_calls", "bytes"):
            total = sum(getattr(w, what) for _, w in weights)
            most = max(weights, key=lambda lw: int(getattr(lw[1], what)))
            if total > getattr(profile, what) and total > worst.get(what, (0,))[0]:
                worst[what] = (total, name, eye, f"{most[0].name}, {_amount(what, most[1])}")
    return [
        Finding(
            "too-heavy",
            f"{_amount(what, Weight(**{what: total}))} {_UNITS[what]} from {name}; {profile.title} takes"
            f" {_amount(what, Weight(**{what: getattr(profile, what)}))}. Most: {heaviest}",
            place=eye,
            other=what,
            measure=total / getattr(profile, what),
        )
        for what, (total, name, eye, heaviest) in worst.items()
    ]


_UNITS = {
    "triangles": "triangles",
    "instances": "placements",
    "draw_calls": "draw calls",
    "bytes": "of meshes and placements",
}


def _amount(what: str, weight: Weight) -> str:
    value = getattr(weight, what)
    if what == "bytes":
        return f"{value / 1e6:,.0f} MB"
    return f"{value / 1e6:.2f} M" if value >= 1e6 else f"{value:,}"


def _large(stage: Stage) -> list[Finding]:
    """Colliders that reach far out of their mesh, once for each asset."""
    out: dict[str, Finding] = {}
    for row, variant in enumerate(stage.variants):
        stage.check()
        bodies = stage.shapes.first[row : row + 2]
        if bodies[0] == bodies[1] or variant.asset in out:
            continue
        far, size = stage.library.overhang(variant, stage.check)
        if far > max(_FAR_LEAST, _FAR * size):
            layer = max(k for k, first in enumerate(stage.first) if first <= row)
            text = f"the collider of {variant.name} reaches {_metres(far)} out of its mesh, which is {_metres(size)} long"
            place = _place_of(stage, layer, row - stage.first[layer])
            out[variant.asset] = Finding(
                "large-collider",
                text,
                layer=stage.layers[layer].layer.id,
                place=place,
                other=variant.asset,
                measure=far,
            )
    return list(out.values())


def _place_of(stage: Stage, layer: int, variant: int) -> tuple[float, float, float] | None:
    """Where the first of a variant stands."""
    placed = stage.layers[layer].output.placements
    for tile in placed.tiles if placed is not None else ():
        rows = np.nonzero(tile.placements.variant == variant)[0]
        if len(rows):
            x, y, z = (float(v) for v in tile.placements.position[rows[0]])
            return x, y, z
    return None
