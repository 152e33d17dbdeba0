"""Trials: several values of one number of a layer, to be seen side by side."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from plough.core.errors import ParameterError
from plough.core.ground.conditions import MEASURES, Condition
from plough.core.parameters import Parameters, Row, build, describe
from plough.core.scene.document import MixEntry
from plough.core.scene.registry import get_layer_kind

NUMBERS = ("slider", "count", "span", "seed")  #: controls of what can be tried
_ELEMENTS: dict[str, tuple[type[Parameters], str]] = {
    "conditions": (Condition, "id"),
    "mix": (MixEntry, "asset"),
}
_SPREAD = 2.0  # the outermost values are so many times, and one so-manyth of, the present one
_STEPS = 0.25  # of a ruler, that the outermost lie off where nothing can be multiplied


class Trial(Parameters):
    """One value, and the parameters that have it."""

    value: Any
    parameters: dict[str, Any]  #: of the layer, by name: those that change
    now: bool  #: whether it is so already


def trials_of(
    kind: str, parameters: Mapping[str, Any], path: str, count: int
) -> tuple[Row, list[Trial]]:
    """`count` values about the present one of a layer's number, least first; the present one is among them.

    Args:
        path: a parameter, or one of a list's elements: `list#element.field`.

    Returns:
        What the number is, and the trials; fewer where its limits hold no more.

    Raises:
        ParameterError: there is no such number.
    """
    whole = build(get_layer_kind(kind).parameters, dict(parameters)).model_dump(mode="json")
    name, mark, rest = path.partition("#")
    if not mark:
        row = _row(describe(get_layer_kind(kind).parameters), path)
        now = whole[path]
        values = values_about(row, now, count)
        return row, [Trial(value=v, parameters={path: v}, now=v == now) for v in values]
    element, _, field = rest.partition(".")
    model, key = _ELEMENTS.get(name, (Parameters, ""))
    there = next((e for e in whole.get(name, ()) if key and e[key] == element), None)
    if there is None:
        raise ParameterError("path", f"there is nothing at {path!r}", value=path)
    row = _row(describe(model), field)
    if model is Condition:
        row = _of_measure(row, there["of"])
    out = []
    for value in values_about(row, there[field], count):
        changed = [e | {field: value} if e is there else e for e in whole[name]]
        out.append(Trial(value=value, parameters={name: changed}, now=value == there[field]))
    return row, out


def _row(rows: list[Row], path: str) -> Row:
    found = next((r for r in rows if r.path == path and r.control in NUMBERS), None)
    if found is None:
        raise ParameterError("path", f"there is no number {path!r} to be tried", value=path)
    return found


def _of_measure(row: Row, of: str) -> Row:
    """The limits of a condition's span and fade are those of what it measures."""
    m = MEASURES[of]
    low, high = m.limits
    if row.path == "between":
        change = {"low": low, "high": high, "soft": m.soft, "step": m.step, "unit": m.unit}
        return row.model_copy(update=change)
    if row.path == "fade":
        soft = (0.0, m.soft[1] - m.soft[0])
        return row.model_copy(update={"soft": soft, "step": m.step, "unit": m.unit})
    return row


def values_about(row: Row, now: Any, count: int) -> list[Any]:
    """`count` values about `now`, within the limits of `row`, in whole steps, all different, least first."""
    if row.control == "seed":
        return [now, *((now + k) % 2**31 for k in range(1, count))]
    ends = list(now) if row.control == "span" else [now]
    found: dict[Any, Any] = {}
    for k in _order(count):
        moved = [_moved(row, e, ends, k / (count // 2)) for e in ends]
        value = tuple(moved) if row.control == "span" else moved[0]
        found.setdefault(value, value)
        if len(found) == count:
            break
    values = sorted(found)
    return [list(v) for v in values] if row.control == "span" else values


def _order(count: int) -> list[int]:
    """The present one, then those about it; behind these some more, where limits are in the way."""
    half = count // 2
    near = [s * k for k in range(1, half + 1) for s in (-1, 1)]
    beyond = [s * k for k in range(half + 1, 3 * half + 1) for s in (-1, 1)]
    return [0, *near, *beyond]


def _moved(row: Row, value: float, ends: list[float], by: float) -> float:
    """`value`, an end of `ends`, moved by a share of the way to the outermost trial."""
    assert row.low is not None and row.high is not None
    low, high = row.soft or (row.low, row.high)
    if by == 0.0 or (len(ends) > 1 and value in (row.low, row.high)):
        return value  # as it is; an open end stays open
    if low >= 0.0 and min(ends) > 0.0 and row.unit not in ("°",):
        moved = value * math.pow(_SPREAD, by)
    else:
        moved = value + by * _STEPS * (high - low)
    moved = min(row.high, max(row.low, moved))
    if row.control == "count":
        return round(moved)
    step = row.step or 0.01
    return round(round(moved / step) * step, max(0, math.ceil(-math.log10(step)) + 1))
