"""Gates of timber in openings of walls, brick runs and fences."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np

from plough.core.arrays import Float64, UInt64
from plough.core.lay.beams import Beams, between, joined_beams, upright_beams
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span
from plough.core.rng import stream

GateName = Literal["none", "bars", "boards"]
LEAST = 0.5  #: metres of an opening in which a gate hangs
_CLEAR = 0.035  # metres on each side of a leaf
_FROM_GROUND = 0.1  # metres
_TALLEST = 1.25  # metres of a gate without anything over it
_WIDEST = 3.4  # metres of one leaf
_SUNK = 0.5  # metres of a post in the ground


class GateRule(NamedTuple):
    """How gates are made; metres, radians."""

    gate: GateName
    ajar: float  #: how far they stand open, to the left of the line where it is above 0
    post: float  #: of the posts that they hang on; 0: they hang on what is there


def height_in(o: Opening, standing: float) -> float:
    """How high a gate in an opening of something so high is."""
    clear = {"open": standing, "lintel": o.height - 0.05, "arch": 0.6 * o.height}[o.head]
    return max(0.3, min(_TALLEST, clear))


def gate_in(span: Span, o: Opening, high: float, rule: GateRule) -> Beams:
    """The gate in an opening of a span, with its posts.

    Raises:
        ValueError: none hangs in openings so narrow.
    """
    if o.end - o.start < LEAST:
        raise ValueError("no gate hangs in an opening so narrow")
    ends = np.array([span.place(o.start), span.place(o.end)])
    way = ends[1] - ends[0]
    wide = float(np.hypot(*way))
    way = way / wide
    ground = np.array([span.height(o.start), span.height(o.end)])
    parts: list[Beams] = []
    inside = rule.post + _CLEAR if rule.post else 0.02 + _CLEAR
    if rule.post:
        at = ends + np.array([[0.5], [-0.5]]) * rule.post * way
        low = np.column_stack([at[:, 0], ground - _SUNK, at[:, 1]])
        top = low + np.array([0.0, _SUNK + _FROM_GROUND + high + 0.12, 0.0])
        turn = math.atan2(way[1], way[0])
        ids = _ids(span, o, "post", 2)
        parts.append(upright_beams(low, top, np.full(2, turn), (rule.post, rule.post), ids))
    leaves = 1 if wide - 2 * inside <= _WIDEST else 2
    long = (wide - 2 * inside - (leaves - 1) * _CLEAR) / leaves
    base = float(ground.max()) + _FROM_GROUND
    for leaf in range(leaves):
        hinge = ends[0] + inside * way if leaf == 0 else ends[1] - inside * way
        turn = -rule.ajar if leaf == 0 else rule.ajar
        c, s = math.cos(turn), math.sin(turn)
        own = way if leaf == 0 else -way
        out = np.array([c * own[0] - s * own[1], s * own[0] + c * own[1]])
        parts.append(_leaf(hinge, out, base, long, high, rule.gate, _ids(span, o, f"{leaf}", 60)))
    return joined_beams(parts)


def _ids(span: Span, o: Opening, what: str, many: int) -> UInt64:
    first = stream(f"gate {span.number} {o.id} {what}")
    return np.asarray(first + np.arange(many, dtype=np.uint64))


def _leaf(
    hinge: Float64,
    way: Float64,
    base: float,
    long: float,
    high: float,
    gate: GateName,
    ids: UInt64,
) -> Beams:
    """One leaf, from its hinge along a direction on the map."""

    def at(along: Float64, up: Float64, out: float) -> Float64:
        x = hinge[0] + along * way[0] - out * way[1]
        z = hinge[1] + along * way[1] + out * way[0]
        return np.column_stack([x, base + up, z])

    stile, thick = min(0.09, 0.2 * long), 0.05
    turn = math.atan2(way[1], way[0])
    sides = np.array([0.5 * stile, long - 0.5 * stile])
    none = np.zeros(2)
    parts = [
        upright_beams(
            at(sides, none, 0.0),
            at(sides, none + high, 0.0),
            np.full(2, turn),
            (stile, 0.07),
            ids[:2],
        )
    ]
    inner = np.array([stile, long - stile])
    if gate == "bars":
        many = max(2, round(high / 0.22))
        # closer towards the ground, where lambs go through
        levels = 0.05 + (high - 0.13) * (np.arange(many) / (many - 1)) ** 1.2
    else:
        levels = np.array([0.18 * high, 0.82 * high])
        many = 2
    a, b = np.full(len(levels), inner[0]), np.full(len(levels), inner[1])
    parts.append(between(at(a, levels, 0.0), at(b, levels, 0.0), 0.075, 0.022, ids[2 : 2 + many]))
    brace = np.array([inner[0]]), np.array([inner[1]])
    low, top = np.array([levels[0]]), np.array([levels[-1]])
    parts.append(
        between(at(brace[0], low, 0.025), at(brace[1], top, 0.025), 0.07, 0.02, ids[20:21])
    )
    if gate == "boards":
        count = max(1, min(36, int((inner[1] - inner[0]) / 0.11)))
        each = (inner[1] - inner[0]) / count
        along = inner[0] + (np.arange(count) + 0.5) * each
        ends = np.zeros(count), np.full(count, high)
        parts.append(
            upright_beams(
                at(along, ends[0], -0.024),
                at(along, ends[1], -0.024),
                np.full(count, turn),
                (each - 0.006, thick * 0.44),
                ids[21 : 21 + count],
            )
        )
    return joined_beams(parts)
