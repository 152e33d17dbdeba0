"""A hedge along a line, in rows, on a bank where it has one, and open where paths cross."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from plough.core.arrays import Float64, UInt64
from plough.core.ground.beds import Bed, with_bed
from plough.core.ground.heightfield import HeightField
from plough.core.ground.paths import Curve
from plough.core.ground.surface import Surface
from plough.core.hashing import digest, key_of
from plough.core.lay.line import Line
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span, run_curve, spans_of
from plough.core.matters import Matters, above, among
from plough.core.parameters import choice, count, number, span, within
from plough.core.place.placements import Placements, cut, no_placements
from plough.core.place.pose import Pose, set_up
from plough.core.place.rules import own_sizes
from plough.core.place.touches import Touch
from plough.core.place.variants import NONE
from plough.core.rng import stream, symmetric_array, uniform_array
from plough.core.scene.document import MixEntry, mirrored, mix_of, touches_of
from plough.core.scene.facets import Output, Shaped, TiledPlacements
from plough.core.scene.inputs import Inputs, Mix
from plough.core.scene.registry import layer_kind
from plough.core.scene.runs import (
    RunOpening,
    RunParameters,
    beside,
    named_apart,
    openings_of,
    own_curve,
    own_openings,
    own_spans,
)

MOST = 40_000  #: placements of one hedge
_STATION, _ORDER, _AWAY = (stream(f"hedge.{n}") for n in ("station", "order", "away"))
_FAINTEST = 0.05  # metres of a bank
_SHORTEST = 0.5  # metres of a bank between two openings


class HedgeParameters(RunParameters):
    """A hedge, and its bank."""

    matters: ClassVar[Matters] = {
        "between": above("rows", 1),
        "crown slope": above("bank"),
        "beside": among("crossed", "open"),
    }

    mix: tuple[MixEntry, ...] = mix_of()
    touches: tuple[Touch, ...] = touches_of()
    spacing: float = number(
        0.7, "Spacing", (0.1, 20), soft=(0.2, 4), unit="m", step=0.05, group="How close"
    )
    rows: int = count(1, "Rows", (1, 6), group="How close")
    between: float = number(
        0.5, "Between rows", (0.05, 5), soft=(0.2, 2), unit="m", step=0.05, group="How close"
    )
    jitter: float = number(
        25,
        "Jittered by up to",
        (0, 100),
        unit="%",
        step=1,
        group="How close",
        help="Of the spacing, along it and across.",
    )
    bank: float = number(
        0, "Bank high", (0, 8), soft=(0, 2.5), unit="m", step=0.05, group="Bank", help="None at 0."
    )
    crown: float = number(
        1.2, "Its top wide", (0.2, 20), soft=(0.4, 4), unit="m", step=0.1, group="Bank"
    )
    slope: float = number(
        40, "Slope of its sides", (5, 80), soft=(15, 65), unit="°", step=1, group="Bank"
    )
    crossed: Literal["none", "open"] = choice(
        "open",
        "Where a path crosses",
        {"none": "It goes on", "open": "It is open"},
        group="Openings",
        help="That people walk.",
    )
    beside: float = beside(1.0)
    openings: tuple[RunOpening, ...] = own_openings()
    turn: float = number(360, "Turned by up to", (0, 360), unit="°", step=1, group="How they stand")
    lean: float = number(
        0,
        "Leans with the slope",
        (0, 100),
        unit="%",
        step=1,
        group="How they stand",
        help="0 upright, 100 square to the slope.",
    )
    mirrored: float = mirrored()
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (85, 110), "Size", (5, 1000), soft=(30, 200), unit="%", step=1, group="How they stand"
    )
    sink: within(-200, 500) = span(  # type: ignore[valid-type]
        (0, 4), "Sunk", (-200, 500), soft=(-20, 50), unit="cm", step=1, group="How they stand"
    )

    @model_validator(mode="after")
    def _stands(self) -> HedgeParameters:
        named_apart(self.openings)
        if any(o.head != "open" for o in self.openings):
            raise ValueError("openings: a hedge has nothing over its openings; take them open")
        most = self.rows * self.length / self.spacing
        if most > MOST:
            raise ValueError(
                f"spacing: about {most:,.0f} would stand; the limit is {MOST:,}: set them farther apart"
            )
        return self


def _trace(p: HedgeParameters) -> Curve:
    wide = max(p.crown if p.bank > 0 else 0.0, 0.3 + (p.rows - 1) * p.between)
    return run_curve(p.points, p.bends, p.closed, wide)


def _shape(p: HedgeParameters, ground: Surface, inputs: Inputs) -> Shaped | None:
    """The ground with its bank; nothing else grows where it stands."""
    curve = own_curve(inputs)
    clear = (curve.strip,)
    if p.bank < _FAINTEST:
        return Shaped(ground, clear)
    if not isinstance(ground, HeightField):
        inputs.find("not-shaped", "a bank shapes heights; a ground made of a mesh stays as it is")
        return Shaped(ground, clear)
    if ground.spacing > p.crown:
        text = f"the ground's points are {ground.spacing:.2g} m apart, too far for a bank {p.crown:.2g} m wide at its top; make it wider, or the ground finer"
        inputs.find("coarse-ground", text)
    spans = spans_of(curve, p.bends, ground)
    openings = openings_of(p, spans, inputs, tells=False)
    bed = Bed(p.bank, math.tan(math.radians(p.slope)), "no")
    foot = bed.rise / bed.bank + 0.5 * curve.width
    for k, piece in enumerate(_banked(curve, spans, openings, foot, p.closed)):
        key = key_of("bank", ground.key, piece.key, bed.rise, bed.bank, k)
        on = ground
        ground = inputs.kept(key, lambda on=on, piece=piece: with_bed(on, piece, bed), _bytes)  # type: ignore[misc]
    return Shaped(ground, clear)


def _bytes(field: HeightField) -> int:
    return field.nbytes


def _banked(
    curve: Curve,
    spans: Sequence[Span],
    openings: Sequence[Sequence[Opening]],
    foot: float,
    closed: bool,
) -> list[Curve]:
    """What of a line has a bank: all between its openings, but for so many metres that its round ends take."""
    step = np.hypot(*np.diff(curve.line, axis=0).T)
    at = np.concatenate([[0.0], np.cumsum(step)])
    start = np.cumsum([0.0, *(s.length for s in spans)])
    ways = sorted(
        {
            (float(start[k] + o.start - foot), float(start[k] + o.end + foot))
            for k, own in enumerate(openings)
            for o in own
            if 0 <= 0.5 * (o.start + o.end) < spans[k].length
        }
    )
    if not ways:
        return [curve]
    long, edges = float(at[-1]), []
    low = max(end for _, end in ways) - long if closed else 0.0
    for a, b in ways:
        if a > low + _SHORTEST:
            edges.append((low, a))
        low = max(low, b)
    if not closed and long > low + _SHORTEST:
        edges.append((low, long))
    return [_part(curve, at, a, b) for a, b in edges]


def _part(curve: Curve, at: Float64, start: float, end: float) -> Curve:
    """A line from so many metres along it to others; `start` below 0 lies before the end of a closed one."""
    line = curve.line
    if start < 0:
        line, at = np.concatenate([line[:-1], line]), np.concatenate([at[:-1] - at[-1], at])
    s = np.concatenate([[start], at[(at > start + 0.01) & (at < end - 0.01)], [end]])
    own = np.stack([np.interp(s, at, line[:, c]) for c in (0, 1)], axis=1)
    none = np.zeros(len(own))
    half = none + 0.5 * curve.width
    key = key_of(digest(own.tobytes()), curve.width)
    return Curve(own, np.zeros(len(own), np.int64), curve.width, half, none, key)


@layer_kind(
    "hedge",
    "Hedge",
    "Shrubs in rows along a line, on a bank where it has one, open where paths cross.",
    HedgeParameters,
    gives=("curve", "placements"),
    shape=_shape,
    trace=_trace,
)
def evaluate(p: HedgeParameters, inputs: Inputs) -> Output:
    """Placements, span by span."""
    mix, curves = inputs.mix(p.mix, p.mirrored), (own_curve(inputs),)
    if not p.mix:
        inputs.find("nothing-chosen", "nothing is chosen to grow in it")
    if not mix.variants:
        return Output(curves=curves, placements=TiledPlacements(mix.variants))
    spans = own_spans(p.bends, inputs)
    openings = openings_of(p, spans, inputs)
    seed = inputs.seed(p.seed)
    at = [_stations(p, seed, s, o) for s, o in zip(spans, openings, strict=True)]
    ids, x, z, towards = (np.concatenate([a[c] for a in at]) for c in range(4))
    placed = _placed(p, mix, ids, np.stack([x, z], axis=1), towards, seed, inputs)
    order = uniform_array(seed, _ORDER, placed.ids).astype(np.float32)
    tiles = tuple(cut(placed, order)) if placed.count else ()
    placements = TiledPlacements(mix.variants, tiles, together=True)
    return Output(curves=curves, placements=placements, follows=(inputs.layer_id,))


def _stations(
    p: HedgeParameters, seed: int, own: Span, openings: Sequence[Opening]
) -> tuple[UInt64, Float64, Float64, Float64]:
    """Ids, metres east and south, and radians of the line, of what stands in the rows of a span."""
    count = max(1, round(own.length / p.spacing))
    k, row = (a.ravel() for a in np.meshgrid(np.arange(count), np.arange(p.rows)))
    ids = stream(f"hedge {own.number}") + (row * 2**24 + k).astype(np.uint64)
    off = 0.01 * p.jitter * p.spacing
    # rows stand by turns
    s = (k + 0.5 + 0.5 * (row % 2)) * own.length / count
    s = s + 0.5 * off * symmetric_array(seed, _STATION, ids)
    there = (s >= 0) & (s < own.length)
    for o in openings:
        margin = 0.25 * p.spacing
        there &= (s < o.start - margin) | (s > o.end + margin)
    ids, s, row = ids[there], s[there], row[there]
    place, turn = Line(own, p.bends == "sharp").pose(s)
    away = (row - 0.5 * (p.rows - 1)) * p.between
    away = away + 0.3 * off * symmetric_array(seed, _AWAY, ids)
    return ids, place[:, 0] - away * np.sin(turn), place[:, 1] + away * np.cos(turn), turn


def _placed(
    p: HedgeParameters,
    mix: Mix,
    ids: UInt64,
    at: Float64,
    towards: Float64,
    seed: int,
    inputs: Inputs,
) -> Placements:
    variant = mix.choices.choose(ids, None)
    ground = inputs.surface().sample(*(np.ascontiguousarray(at[:, c]) for c in (0, 1)))
    rows = np.nonzero((variant != NONE) & ground.hit)[0]
    if not len(rows):
        return no_placements()
    ids, variant, ground = ids[rows], variant[rows], ground.taken(rows)
    pose = Pose(
        lean=p.lean / 100.0,
        turn=p.turn / 360.0,
        size_low=p.size[0] / 100.0,
        size_high=p.size[1] / 100.0,
        sink_low=p.sink[0] / 100.0,
        sink_high=p.sink[1] / 100.0,
    )
    position, rotation, size = set_up(
        np.uint64(seed), ids, ground.position, ground.normal, pose, -towards[rows]
    )
    size = size * own_sizes(seed, mix.choices, mix.sizes, ids, variant)
    return Placements(ids, variant, position, rotation, size)
