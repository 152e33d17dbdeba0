"""Fences: posts along a run, and rails, pales or boards between them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from plough.core.arrays import Float32, Float64, UInt64
from plough.core.lay.beams import Beams, between, joined_beams, upright_beams
from plough.core.lay.gates import LEAST, GateRule, gate_in
from plough.core.lay.line import Line
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span
from plough.core.rng import stream, symmetric_array

Style = Literal["rails", "pales", "boards"]
MOST_BAYS = 4000  #: of a fence
_SUNK = 0.5  # metres of a post in the ground
_OVER = 0.06  # metres that posts stand above the topmost rail
_SHORTEST = 0.3  # metres of a stretch that is fenced
_OFF = stream("fence.off")


@dataclass(frozen=True, slots=True)
class FenceRule:
    """How a fence is built; lengths in metres."""

    seed: int
    style: Style
    height: float
    bay: float  #: from post to post, at most
    post: float
    rails: int
    rail: tuple[float, float]  #: high, thick
    pale: tuple[float, float]  #: wide, thick
    gap: float  #: between pales
    lift: float  #: of the lowest above the ground
    off: float  #: how far out of true, 0 to 1
    gates: GateRule


@dataclass(frozen=True, eq=False)
class Fenced:
    """The fence over a span."""

    beams: Beams
    at: Float64  #: (n,) metres along the span of each
    bodies: list[Float32]  #: (8, 3) metres each, to collide with


def fence_of(span: Span, sharp: bool, openings: Sequence[Opening], rule: FenceRule) -> Fenced:
    """The fence over a span: its first post, and its last where nothing goes on behind it."""
    line = Line(span, sharp)
    parts: list[Beams] = []
    places: list[Float64] = []
    bodies: list[Float32] = []

    def put(beams: Beams, at: Float64) -> None:
        parts.append(beams)
        places.append(at)

    for a, b in _stretches(span, openings):
        count = max(1, math.ceil((b - a) / rule.bay - 0.05))
        s = np.linspace(a, b, count + 1)
        # gates bring their posts, and the next span its first
        gated = tuple(_gated(openings, at, rule) for at in (a, b))
        shared = b == span.length and not span.ends
        there = s[int(gated[0]) : len(s) - int(gated[1] or shared)]
        if len(there):
            put(*_posts(span, line, there, rule))
        put(*_rails(span, line, s, gated, rule))
        if rule.style != "rails":
            put(*_pales(span, line, s, rule))
        bodies += _bodies(span, line, s, rule)
    for o in openings:
        middle = 0.5 * (o.start + o.end)
        if 0 <= middle < span.length and _hangs(o, rule):
            made = gate_in(span, o, rule.height, rule.gates)
            put(made, np.full(len(made), middle))
    if not parts:
        none = np.empty(0)
        empty = Beams(
            np.empty((0, 3)), np.empty((0, 3, 3)), np.empty((0, 3)), none.astype(np.uint64)
        )
        return Fenced(empty, none, [])
    return Fenced(joined_beams(parts), np.concatenate(places), bodies)


def _hangs(o: Opening, rule: FenceRule) -> bool:
    """Whether a gate hangs in an opening."""
    return rule.gates.gate != "none" and o.end - o.start >= LEAST


def _gated(openings: Sequence[Opening], at: float, rule: FenceRule) -> bool:
    """Whether a stretch that ends so far along a span ends at a gate."""
    return any(at in (o.start, o.end) and _hangs(o, rule) for o in openings)


def _stretches(span: Span, openings: Sequence[Opening]) -> list[tuple[float, float]]:
    """Metres from and to of what is fenced."""
    out, start = [], 0.0
    for o in sorted(openings, key=lambda o: o.start):
        if o.start - start > _SHORTEST:
            out.append((start, o.start))
        start = max(start, o.end)
    if span.length - start > min(_SHORTEST, 0.5 * span.length):
        out.append((start, span.length))
    return out


def _ids(span: Span, what: str, s: Float64) -> UInt64:
    place = np.rint(1000.0 * s).astype(np.int64).astype(np.uint64)
    return np.asarray(stream(f"fence {span.number} {what}") + place)


def _height(span: Span, s: Float64) -> Float64:
    return np.interp(s, span.at, span.ground)


def _posts(span: Span, line: Line, s: Float64, rule: FenceRule) -> tuple[Beams, Float64]:
    place, turn = line.pose(s)
    ground, ids = _height(span, s), _ids(span, "post", s)
    foot = np.column_stack([place[:, 0], ground - _SUNK, place[:, 1]])
    high = rule.height + (_OVER if rule.style == "rails" else -0.02)
    off = rule.off * np.stack(
        [symmetric_array(rule.seed, _OFF, ids + np.uint64(k)) for k in range(3)], axis=1
    )
    lean = 0.07 * off * [1.0, 0.5, 1.0]
    top = foot + [0.0, _SUNK + high, 0.0] + lean * rule.height
    return upright_beams(foot, top, turn, (rule.post, rule.post), ids), s


def _rails(
    span: Span, line: Line, s: Float64, gated: tuple[bool, ...], rule: FenceRule
) -> tuple[Beams, Float64]:
    """Rails of bays from post to post, at their ends up to a gate's; before the posts where pales are nailed to them."""
    high, thick = rule.rail
    nailed = rule.style != "rails"
    first = rule.lift + 0.5 * high
    last = rule.height - (0.5 * high if not nailed else 0.15 * rule.height)
    if nailed:
        first = max(first, 0.18 * rule.height)
    levels = np.linspace(first, last, rule.rails) if rule.rails > 1 else np.array([last])
    out = 0.5 * (rule.post + thick) if nailed else 0.0
    place, turn = line.pose(s)
    ground = _height(span, s)
    right = np.column_stack([-np.sin(turn), np.cos(turn)])
    there = place + out * right
    a, b = there[:-1], there[1:]
    way = b - a
    long = np.hypot(*way.T)
    back = np.zeros(len(long)) if nailed else np.minimum(0.5 * rule.post, 0.4 * long)
    share = np.tile(back / np.maximum(long, 1e-9), (2, 1))
    share[[0, 1], [0, -1]] *= 1.0 - np.array(gated)
    rise = ground[1:] - ground[:-1]
    a, b = a + share[0][:, None] * way, b - share[1][:, None] * way
    low, top = ground[:-1] + share[0] * rise, ground[1:] - share[1] * rise
    starts, ends, ids = [], [], []
    for k, y in enumerate(levels):
        own = _ids(span, f"rail {k}", s[:-1])
        sag = 0.05 * rule.off * symmetric_array(rule.seed, _OFF, own)
        tilt = 0.05 * rule.off * symmetric_array(rule.seed, _OFF, own + np.uint64(1))
        starts.append(np.column_stack([a[:, 0], low + y + sag, a[:, 1]]))
        ends.append(np.column_stack([b[:, 0], top + y + tilt, b[:, 1]]))
        ids.append(own)
    at = np.tile(0.5 * (s[1:] + s[:-1]), len(levels))
    made = between(np.concatenate(starts), np.concatenate(ends), high, thick, np.concatenate(ids))
    return made, at


def _pales(span: Span, line: Line, s: Float64, rule: FenceRule) -> tuple[Beams, Float64]:
    wide, thick = rule.pale
    gap = rule.gap if rule.style == "pales" else 0.003
    long = float(s[-1] - s[0])
    count = max(1, int((long + gap) / (wide + gap)))
    at = s[0] + (np.arange(count) + 0.5) * long / count
    place, turn = line.pose(at)
    right = np.column_stack([-np.sin(turn), np.cos(turn)])
    there = place + (0.5 * rule.post + rule.rail[1] + 0.5 * thick + 0.001) * right
    ground, ids = _height(span, at), _ids(span, "pale", at)
    short = 0.03 * rule.off * symmetric_array(rule.seed, _OFF, ids)
    lean = 0.03 * rule.off * symmetric_array(rule.seed, _OFF, ids + np.uint64(1))
    foot = np.column_stack([there[:, 0], ground + rule.lift, there[:, 1]])
    along = np.column_stack([np.cos(turn), np.zeros(count), np.sin(turn)])
    top = foot + [0.0, rule.height - rule.lift, 0.0] + lean[:, None] * along
    top[:, 1] += short
    return upright_beams(foot, top, turn, (wide, thick), ids), at


def _bodies(span: Span, line: Line, s: Float64, rule: FenceRule) -> list[Float32]:
    """Boxes over bays, as thick as a post."""
    place, turn = line.pose(s)
    ground = _height(span, s)
    right = 0.5 * rule.post * np.column_stack([-np.sin(turn), np.cos(turn)])
    corners = []
    for side in (1.0, -1.0):
        at = place + side * right
        for y in (-0.2, rule.height):
            corners.append(np.column_stack([at[:, 0], ground + y, at[:, 1]]))
    rows = np.stack(corners, axis=1).astype(np.float32)  # (stations, 4, 3)
    return [np.concatenate([rows[k], rows[k + 1]]) for k in range(len(s) - 1)]
