"""Chosen placements of a layer, changed together: moved, turned, sized, lifted, dropped, pushed apart, made clear, doubled.

What is changed of a rule becomes touches; what was set down is set down anew. Both are edits of the layer.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from plough.core.arrays import Float64, Int64
from plough.core.errors import ParameterError
from plough.core.library.variants import Variant
from plough.core.parameters import Id, Parameters, Point, Seed
from plough.core.place.amiss import Crowd, dropped
from plough.core.place.apart import push_apart
from plough.core.place.bodies import Body, Shapes
from plough.core.place.by_hand import MOST_SET, beneath
from plough.core.place.clear import stand_clear
from plough.core.place.placements import Placements
from plough.core.scene.document import SceneDocument
from plough.core.scene.evaluation import Evaluator
from plough.core.scene.kept import held, levels_of, number, numbered, written
from plough.core.scene.loose import facing_of
from plough.core.scene.registry import LayerKind
from plough.core.scene.stage import Stage
from plough.core.vectors import rotations, tilt_of, tilted

MOST_CHOSEN = 5_000
MOST_FITTED = (
    500  #: that are dropped, pushed apart or made clear at once: each is looked at by itself
)
_FITTED = ("drop", "clear", "apart", "footprints")
_BIG, _SMALL, _HIGH, _FAR = 20.0, 0.05, 500.0, 4096.0  # what a placement may be
_NEAR = 30.0  # metres about the chosen, in which others are in their way

Do = Literal[
    "", "drop", "clear", "apart", "footprints", "loosen", "follow", "double", "remove", "rule"
]


Lean = Annotated[float, Field(ge=-180, le=180)]


class Change(Parameters):
    """What is done to all of the chosen; what is not given stays as it is."""

    relative: bool = Field(True, description="Numbers add to what each has; sizes multiply it.")
    axes: Literal["scene", "own"] = Field(
        "scene", description="`own`: to each one's right and to its front."
    )
    about: Literal["each", "middle"] = Field(
        "each", description="`middle`: they turn and grow as one, about the middle of all."
    )
    move: Point | None = Field(
        None,
        description="Metres east and south, or along each one's first and third axis: right, seen from its front, and front; not relative: where the middle of all comes to be.",
    )
    lift: float | None = Field(None, ge=-1000, le=1000, description="Metres above the ground.")
    turn: float | None = Field(None, ge=-360, le=360, description="Degrees clockwise.")
    size: float | None = Field(None, gt=0, le=400)
    tall: float | None = Field(None, gt=0, le=400)
    up: Literal["", "upright", "surface"] = Field(
        "", description="`surface`: square to what they stand on."
    )
    lean: tuple[Lean, Lean] | None = Field(
        None,
        description="Degrees that they lean to the east and to the south, or to each one's right and front, out of the upright.",
    )
    asset: Id | None = Field(None, description="Another of the layer's assets, with a seed.")
    seed: Seed | None = None
    do: Do = Field(
        "",
        description="`drop`: onto what is beneath; `clear`: tilted and lifted off the ground; `apart`: pushed until none stands into"
        " another, by their bodies, or by their `footprints`; `loosen`: they keep their height whatever becomes of the ground, until they `follow` it again; `double`: once more; `remove`; `rule`: as the layer's rule has them.",
    )


Chosen = Annotated[list[str], Field(min_length=1, max_length=MOST_CHOSEN)]


@dataclass(frozen=True, slots=True)
class Adjusted:
    """The edit of a layer that a change comes to."""

    parameters: dict[str, Any]  #: dotted names to values
    told: str = ""  #: what could not be done, in words


@dataclass(eq=False)
class _Poses:
    """How n placements stand."""

    at: Float64  #: (n, 2) metres
    lift: Float64  #: (n,) metres above the ground
    turn: Float64  #: (n,) degrees
    up: Float64  #: (n, 2)
    size: Float64  #: (n,)
    tall: Float64  #: (n,)
    variant: Int64  #: (n,) rows of the layer's variants

    @staticmethod
    def of(placed: Placements, ground: Float64) -> _Poses:
        """From placements and the height of the ground beneath each (n,)."""
        position, scale = placed.position.astype(np.float64), placed.scale.astype(np.float64)
        turn, up = facing_of(placed.rotation)
        return _Poses(
            position[:, [0, 2]],
            position[:, 1] - ground,
            turn,
            up,
            scale[:, 0].copy(),
            scale[:, 1] / scale[:, 0],
            placed.variant.astype(np.int64),
        )

    def placements(self, ids: Any, ground: Float64, shift: int = 0) -> Placements:
        """As placements; `shift` is added to the rows of variants."""
        position = np.stack([self.at[:, 0], ground + self.lift, self.at[:, 1]], axis=1)
        scale = np.stack([self.size, self.size * self.tall, self.size], axis=1)
        turned = rotations(np.radians(self.turn), self.up)
        variant = (self.variant + shift).astype(np.uint32)
        return Placements(
            ids, variant, position.astype(np.float32), turned, scale.astype(np.float32)
        )


def adjust(
    evaluator: Evaluator,
    document: SceneDocument,
    layer_id: str,
    things: Sequence[str],
    change: Change,
    check: Callable[[], None] = lambda: None,
) -> Adjusted:
    """The edit by which the placements `things` of a layer are changed.

    Raises:
        ParameterError: one of them is not there, the layer keeps no such edits, or something would be beyond its limits.
    """
    layer, kind = held(document, layer_id)
    if (change.asset is None) != (change.seed is None):
        raise ParameterError("asset", "together with a seed", value=change.asset)
    ids = list(dict.fromkeys(things))
    if change.do in _FITTED and len(ids) > MOST_FITTED:
        text = f"no more than {MOST_FITTED:,} can be fitted to what is about them at once; {len(ids):,} are chosen"
        raise ParameterError("things", text, limit=f"{MOST_FITTED:,}", value=len(ids))
    if change.do == "rule":  # also of those that have been taken out
        return Adjusted(written(kind, layer, ids, [None] * len(ids), {}))
    work = Work(evaluator, document, layer_id, things, check)
    told = work.change(change)
    return Adjusted(work.edit(kind, change), told)


class Work:
    """The chosen, as they stand and as they come to stand."""

    def __init__(
        self,
        evaluator: Evaluator,
        document: SceneDocument,
        layer_id: str,
        things: Sequence[str],
        check: Callable[[], None],
    ) -> None:
        layer, _ = held(document, layer_id)
        self.evaluator, self.layer, self.check = evaluator, layer, check
        self.evaluation = evaluator.evaluate(document, check)
        self.surface = self.evaluation.surface
        placed = self.evaluation.layer(layer.id).output.placements
        wanted = np.unique(np.array([number(t) for t in things], np.uint64))
        tiles = placed.tiles if placed is not None else ()
        whole = []
        for tile in tiles:
            own = tile.placements
            at = np.minimum(np.searchsorted(wanted, own.ids), len(wanted) - 1)
            rows = np.nonzero(wanted[at] == own.ids)[0]
            if len(rows):
                whole.append(own.taken(rows))
        found = np.concatenate([np.empty(0, np.uint64), *(p.ids for p in whole)])
        if placed is None or len(found) != len(wanted):
            lost = sorted(set(wanted.tolist()) - set(found.tolist()))
            raise ParameterError(
                "things",
                f"{len(lost)} of them are not there any more",
                value=str(lost[0]) if lost else "",
            )
        order = np.argsort(found)
        self.ids = found[order]
        parts = [
            np.concatenate([getattr(p, n) for p in whole])[order] for n in Placements.__slots__
        ]
        self.placed = Placements(*parts)
        self.variants: tuple[Variant, ...] = placed.variants
        self.before = _Poses.of(
            self.placed, beneath(self.surface, self.placed.position[:, [0, 2]].astype(np.float64))
        )
        self.now = replace(
            self.before, **{n: getattr(self.before, n).copy() for n in _Poses.__dataclass_fields__}
        )

    def ground(self) -> Float64:
        """(n,) metres of the ground beneath each."""
        return beneath(self.surface, self.now.at)

    def change(self, c: Change) -> str:
        """Do it; what could not be done, in words."""
        now = self.now
        middle = 0.5 * (now.at.min(axis=0) + now.at.max(axis=0))
        if c.turn is not None:
            if c.about == "middle" and c.relative:
                now.at[:] = middle + _turned(
                    now.at - middle, np.radians(np.full(len(now.at), c.turn))
                )
            now.turn[:] = (
                now.turn + c.turn if c.relative else np.full(len(now.turn), c.turn)
            ) % 360.0
        if c.size is not None:
            if c.about == "middle" and c.relative:
                now.at[:] = middle + c.size * (now.at - middle)
            now.size[:] = now.size * c.size if c.relative else c.size
        if c.tall is not None:
            now.tall[:] = now.tall * c.tall if c.relative else c.tall
        if c.move is not None:
            by = np.array(c.move, np.float64)
            if not c.relative:
                by = by - middle
            own = c.axes == "own" and c.relative
            # its first and third axis: of what faces south, east and south
            now.at += _turned(by[None], np.radians(now.turn + 180.0)) if own else by
        if c.lift is not None:
            now.lift[:] = now.lift + c.lift if c.relative else c.lift
        if c.up == "upright":
            now.up[:] = 0.0
        elif c.up == "surface":
            found = self.surface.sample(*(np.ascontiguousarray(now.at[:, k]) for k in (0, 1)))
            now.up[:] = np.where(found.hit[:, None], found.normal[:, [0, 2]], now.up)
        if c.lean is not None:
            lean = np.array([c.lean], np.float64)
            if c.axes == "own" and c.relative:
                lean = _turned(lean, np.radians(now.turn + 180.0))
            now.up[:] = _leaning(_lean_of(now.up) + lean if c.relative else lean)
        if c.asset is not None:
            rows = [
                k
                for k, v in enumerate(self.variants)
                if (v.asset, v.seed) == (c.asset, c.seed) and not v.mirror_of
            ]
            if not rows:
                raise ParameterError(
                    "asset",
                    f"{self.layer.name} places no {c.asset!r} with the seed {c.seed}",
                    value=c.asset,
                )
            now.variant[:] = rows[0]
        self._bounded()
        return self._do(c.do) if c.do else ""

    def _bounded(self) -> None:
        """Raises `ParameterError` where a placement would be beyond what one may be."""
        limits = (
            ("size", self.now.size, _SMALL, _BIG),
            ("tall", self.now.tall, _SMALL, _BIG),
            ("lift", self.now.lift, -_HIGH, _HIGH),
        )
        for name, values, low, high in limits:
            beyond = int(((values < low - 1e-9) | (values > high + 1e-9)).sum())
            if beyond:
                text = f"{beyond:,} of {len(values):,} would be beyond {low:g} to {high:g}"
                raise ParameterError(name, text, limit=f"{low:g} to {high:g}")
        if np.abs(self.now.at).max() > _FAR:
            text = f"some would be more than {_FAR:,.0f} m from the middle of the map"
            raise ParameterError("move", text, limit=f"{_FAR:,.0f} m")

    def _do(self, do: Do) -> str:
        if do == "drop":
            return self._drop()
        if do == "clear":
            return self._clear()
        if do in ("apart", "footprints"):
            return self._apart(do == "footprints")
        return ""

    def _clear(self) -> str:
        now, library = self.now, self.evaluator.library
        for k in range(len(self.ids)):
            self.check()
            mesh = library.level(self.variants[now.variant[k]], 0, self.check).mesh
            scale = now.size[k] * np.array([1.0, now.tall[k], 1.0])
            turn = math.radians(now.turn[k])
            now.up[k], now.lift[k] = stand_clear(
                mesh, now.at[k], turn, now.up[k], scale, self.surface, float(now.lift[k])
            )
        return ""

    def _stage(self) -> tuple[Stage, Crowd, Int64]:
        """All that stands near the chosen, they among it as they now stand, and their rows."""
        stage = Stage(self.evaluation, self.evaluator.library, self.check, self.layer.id)
        row = next(k for k, r in enumerate(stage.layers) if r.layer.id == self.layer.id)
        codes = np.array(list(stage.by_tile), np.int64)
        crowd, layer = stage.crowd(codes, codes)
        low, high = self.now.at.min(axis=0) - _NEAR, self.now.at.max(axis=0) + _NEAR
        at = crowd.placed.position[:, [0, 2]]
        mine = (layer == row) & np.isin(crowd.placed.ids, self.ids)
        near = ((at >= low) & (at <= high)).all(axis=1) & ~mine
        there = crowd.placed.taken(np.nonzero(near)[0])
        own = self.now.placements(self.ids, self.ground(), stage.first[row])
        both = Placements(
            *(np.concatenate([getattr(p, n) for p in (there, own)]) for n in Placements.__slots__)
        )
        flags = np.arange(both.count) >= there.count
        free = np.zeros(both.count, bool)
        return stage, Crowd(both, flags, free, crowd.outlines, crowd.shapes), np.nonzero(flags)[0]

    def _drop(self) -> str:
        stage, crowd, rows = self._stage()
        lost = 0
        # the lowest first: others may come to lie on them
        for k in np.argsort(self.now.lift, kind="stable").tolist():
            self.check()
            by = dropped(crowd, int(rows[k]), self.surface, stage.ground.water, stage.under)
            if not math.isfinite(by):
                lost += 1
            elif by:
                self.now.lift[k] -= by
                crowd = crowd.moved(int(rows[k]), np.array([0.0, -by, 0.0]))
        return f"{lost:,} of them have nothing beneath them" if lost else ""

    def _apart(self, footprints: bool) -> str:
        stage, crowd, rows = self._stage()
        count = crowd.placed.count
        free = np.zeros(count, bool)
        free[rows] = True
        placed, shapes = crowd.placed, crowd.shapes
        if footprints:
            flat = placed.position.copy()
            flat[:, 1] = 0.0
            quiet = np.tile(np.array([0, 0, 0, 1], np.float32), (count, 1))
            placed = replace(placed, position=flat, rotation=quiet)
            shapes = self._footprints(stage, crowd)
        before = self.ground()
        start = self.now.at.copy()

        def follow(by: Float64) -> Float64:
            rise = np.zeros(count)
            if not footprints:
                rise[rows] = beneath(self.surface, start + by[rows]) - before
            return rise

        made = push_apart(shapes.stood(placed), count, free, True, follow, self.check)
        self.now.at += made.by[rows][:, [0, 2]]
        pairs = len(made.left)
        return (
            f"{pairs:,} {'pair still stands' if pairs == 1 else 'pairs still stand'} into each other"
            if pairs
            else ""
        )

    def _footprints(self, stage: Stage, crowd: Crowd) -> Shapes:
        """A round body for the foot of every variant of the scene."""
        library = self.evaluator.library
        used = np.zeros(len(stage.variants), bool)
        used[crowd.placed.variant] = True
        out: list[list[Body]] = []
        for variant, there in zip(stage.variants, used.tolist(), strict=True):
            wide = library.foot(variant, self.check) if there else 0.0
            out.append([Body(np.zeros((1, 3)), wide)] if wide > 0 else [])
        return Shapes.of(out)

    def edit(self, kind: LayerKind, c: Change) -> dict[str, Any]:
        """The parameters that keep how they now stand."""
        was, now = self.before, self.now
        moved = np.asarray((np.abs(now.at - was.at) > 1e-6).any(axis=1))
        lifted = np.abs(now.lift - was.lift) > 1e-6
        turned = (np.abs(now.turn - was.turn) > 1e-3) | np.asarray(
            (np.abs(now.up - was.up) > 1e-6).any(axis=1)
        )
        sized, grown = np.abs(now.size - was.size) > 1e-6, np.abs(now.tall - was.tall) > 1e-6
        swapped = now.variant != was.variant
        levels = levels_of(kind, self.layer)
        level = np.array([levels.get(i, np.nan) for i in self.ids.tolist()])
        loose = ~np.isnan(level) & (c.do != "follow")
        ground = self.ground()
        base = ground if c.do else beneath(self.surface, was.at)
        # one that is loose stays on its level as it is moved about
        lift = np.where(loose, now.lift + base - level, now.lift)
        loosened = ~loose & (c.do == "loosen")
        follows = ~np.isnan(level) & (c.do == "follow")
        lifted = lifted | loosened | follows | (loose & moved)
        values: list[dict[str, Any]] = [{} for _ in self.ids]
        for name, rows, column, digits in (
            ("at", moved, now.at, 4),
            ("lift", lifted, lift, 4),
            ("ground", loosened, ground, 4),
            ("turn", turned, now.turn, 3),
            ("up", turned, now.up, 6),
            ("size", sized, now.size, 6),
            ("tall", grown, now.tall, 6),
        ):
            told = column[rows].round(digits).tolist()
            for k, value in zip(np.nonzero(rows)[0].tolist(), told, strict=True):
                values[k][name] = value
        for k in np.nonzero(follows)[0].tolist():
            values[k]["ground"] = None
        for k in np.nonzero(swapped)[0].tolist():
            variant = self.variants[int(now.variant[k])]
            values[k] |= {"asset": variant.asset, "seed": variant.seed}
        ids = [str(i) for i in self.ids.tolist()]
        if c.do == "double":
            return self._doubled(kind, ids, values)
        if c.do == "remove":
            values = [{"removed": True} for _ in ids]
        of = {i: self.variants[int(v)].asset for i, v in zip(ids, was.variant, strict=True)}
        return written(kind, self.layer, ids, list(values), of)

    def _doubled(
        self, kind: LayerKind, ids: list[str], values: list[dict[str, Any]]
    ) -> dict[str, Any]:
        """Those that were set down once more, as they now stand."""
        path = kind.holds("placed")
        if not path:
            raise ParameterError(
                "do",
                f"{self.layer.name} is a rule's; set it loose first, then double what stands",
                value="double",
            )
        kept = {t["id"]: t for t in self.layer.parameters.get(path, ())}
        if len(kept) + len(ids) > MOST_SET:
            raise ParameterError(
                "things",
                f"there would be more than {MOST_SET:,} in {self.layer.name}",
                limit=f"{MOST_SET:,}",
            )
        by_number = numbered(self.layer, path)
        out = {}
        for thing, value in zip(ids, values, strict=True):
            old = by_number[int(thing)]
            k = 2
            while (name := f"{old['id'][:30]}-{k}") in kept or f"{path}#{name}" in out:
                k += 1
            whole = {**old, **value}
            out[f"{path}#{name}"] = {n: v for n, v in whole.items() if n != "id"}
        return out


def _lean_of(up: Float64) -> Float64:
    """(n, 2) degrees that each leans to the east and to the south, by which way is up for it (n, 2)."""
    long = np.hypot(*up.T)
    return np.asarray(up * (np.degrees(tilt_of(up)) / np.maximum(long, 1e-12))[:, None])


def _leaning(lean: Float64) -> Float64:
    """(n, 2) which way is up for what leans so many degrees, upside down at most."""
    angle = np.hypot(*lean.T)
    way = lean / np.maximum(angle, 1e-12)[:, None]
    return tilted(way, np.radians(np.minimum(angle, 180.0)))


def _turned(points: Float64, angle: Float64) -> Float64:
    """(n, 2) points east and south, each turned clockwise, seen from above."""
    c, s = np.cos(angle), np.sin(angle)
    return np.stack(
        [points[:, 0] * c - points[:, 1] * s, points[:, 0] * s + points[:, 1] * c], axis=1
    )
