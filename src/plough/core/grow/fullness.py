"""One dial from the whole tree to its barest form, and the setting that meets a number of triangles."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from plough.core.errors import ParameterError
from plough.core.grow.habit import TreeParameters

_FINEST = 10_000  #: settings of the dial from 0 to 1


@dataclass(frozen=True, slots=True)
class Change:
    """What the dial did to one parameter."""

    path: str
    before: float
    after: float


def thinned(p: TreeParameters, fullness: float) -> tuple[TreeParameters, list[Change]]:
    """`p` thinned to `fullness` in (0, 1], and what was changed.

    Leaves go first and grow, so that the crown stays as full; then the finest branches; stems and first branches last.
    """
    if fullness >= 1.0:
        return p, []
    c = fullness
    leaves = max(0.04, c**0.9)
    wanted: dict[str, float] = {
        "leaf_count": p.leaf_count * leaves,
        "leaf_size": min(6.0, p.leaf_size / math.sqrt(leaves)),
        "sides": max(0.3, p.sides * (0.45 + 0.55 * c)),
        "crown_points": max(10, round(p.crown_points * (0.25 + 0.75 * c)))
        if p.growth != "orders"
        else p.crown_points,
    }
    if p.leaf_form == "lumps":
        wanted["lumps"] = max(1, round(p.lumps * (0.3 + 0.7 * c)))
    for name, least in (("fourth", 0.0), ("third", 0.0), ("second", 0.25), ("first", 0.6)):
        branch = getattr(p, name)
        share = min(1.0, max(least, least + (1.0 - least) * (c * (1.9 if least else 1.25))))
        if branch.count:
            wanted[f"{name}.count"] = round(branch.count * share)
        if branch.per_metre:
            wanted[f"{name}.per_metre"] = round(branch.per_metre * share, 2)
    changes: list[Change] = []
    flat: dict[str, float] = {}
    nested: dict[str, dict[str, float]] = {}
    for path, value in wanted.items():
        section, _, last = path.rpartition(".")
        before = getattr(getattr(p, section), last) if section else getattr(p, last)
        if value == before:
            continue
        changes.append(Change(path, float(before), float(value)))
        if section:
            nested.setdefault(section, {})[last] = value
        else:
            flat[last] = value
    update: dict[str, Any] = {
        **flat,
        **{s: getattr(p, s).model_copy(update=v) for s, v in nested.items()},
    }
    return p.model_copy(update=update), changes


def fit(triangles: Callable[[float], int], wanted: int) -> tuple[float, int]:
    """The greatest fullness whose result has at most `wanted` triangles, and how many it has.

    Args:
        triangles: counts those of a fullness.

    Raises:
        ParameterError: even the barest form has more.
    """
    # settings are tried as they will be kept, in ten-thousandths, so that the number told is that of the setting told
    low, high = 200, _FINEST
    most = triangles(1.0)
    if most <= wanted:
        return 1.0, most
    least = triangles(low / _FINEST)
    if least > wanted:
        raise ParameterError(
            "triangles",
            f"the barest form has {least:,} triangles; ask for at least as many",
            limit=f"at least {least}",
            value=wanted,
        )
    best = (low, least)
    while high - low > 1:
        middle = (low + high) // 2
        count = triangles(middle / _FINEST)
        if count <= wanted:
            low, best = middle, max(best, (middle, count))
        else:
            high = middle
    return best[0] / _FINEST, best[1]
