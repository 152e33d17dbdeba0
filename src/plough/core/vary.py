"""A walk about a recipe: its numbers varied around where they stand."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any, cast

import numpy as np

from plough.core.errors import ParameterError, PloughError
from plough.core.hashing import key_of
from plough.core.kinds import Kind, make
from plough.core.matters import holds
from plough.core.parameters import build, describe, parse_color, with_values
from plough.core.rng import stream, symmetric, uniform

_KEPT = {"age", "fullness", "seed"}  #: controls that are no part of a walk
_OFTEN = 0.6  #: share of the numbers that one step moves


def _at(values: Mapping[str, Any], path: str) -> Any:
    place: Any = values
    for name in path.split("."):
        place = place[name]
    return place


def vary(
    kind: Kind, values: Mapping[str, Any], strength: float, locked: Collection[str], seed: int
) -> dict[str, Any]:
    """`values` of `kind` with its numbers, curves and colours moved at random.

    Args:
        strength: 0 leaves all as it is, 1 moves numbers by up to about a third of themselves and of their rulers.
        locked: paths that stay.
        seed: tells one cousin from another; a number's own step hangs on the seed and its path alone.
    """
    whole = build(kind.parameters, values).model_dump(mode="json")
    key = np.uint64(seed)
    settings: dict[str, Any] = {}
    for row in describe(kind.parameters):
        path, control = row.path, row.control
        if path in locked or control in _KEPT or path.startswith("game."):
            continue
        moves = stream(f"vary {path}")
        if uniform(key, moves, np.uint64(0)) > _OFTEN:
            continue
        if not holds(row.when, whole):
            continue
        now = _at(whole, path)
        if control in ("slider", "count"):
            lowest, highest = cast("tuple[float, float]", (row.low, row.high))
            low, high = row.soft or (lowest, highest)
            step = (
                strength
                * float(symmetric(key, moves, np.uint64(1)))
                * (0.30 * abs(now) + 0.06 * (high - low))
            )
            if now == 0 and (control == "count" or lowest == 0):
                continue  # what is not there stays away
            moved = min(highest, max(lowest, now + step))
            # a number that is not zero does not become so
            settings[path] = max(1, round(moved)) if control == "count" and now else moved
        elif control == "curve":
            settings[path] = [
                [
                    x,
                    min(
                        1.0,
                        max(
                            0.0,
                            y + strength * 0.25 * float(symmetric(key, moves, np.uint64(2 + k))),
                        ),
                    ),
                ]
                for k, (x, y) in enumerate(now)
            ]
        elif control == "color":
            rgb = [
                c + strength * 0.10 * float(symmetric(key, moves, np.uint64(2 + k)))
                for k, c in enumerate(parse_color(now))
            ]
            settings[path] = "#" + "".join(f"{round(255 * min(1.0, max(0.0, c))):02x}" for c in rgb)
    moved_values = with_values(whole, settings)
    build(kind.parameters, moved_values)
    return moved_values


def cousins(
    kind: Kind,
    values: Mapping[str, Any],
    strength: float,
    locked: Collection[str],
    seed: int,
    count: int = 8,
) -> list[dict[str, Any]]:
    """`count` recipes about `values` that can be made; those that would be refused are drawn again, closer by.

    Raises:
        ParameterError: the present recipe itself cannot be made.
    """
    out = []
    for k in range(count):
        reach = strength
        for attempt in range(6):
            found = vary(kind, values, reach, locked, int(key_of(seed, k, attempt)[:8], 16))
            try:
                make(kind.name, found, 1, 2)
            except PloughError:
                reach *= 0.5
                continue
            out.append(found)
            break
        else:
            raise ParameterError(
                "strength",
                "no cousin of this recipe can be made; lower the strength",
                value=strength,
            )
    return out
