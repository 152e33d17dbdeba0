"""More keeps the rest, bit for bit: every number that says so, in every kind and preset."""

from typing import Any

import numpy as np
import pytest

from plough.core.grow.crown import crown_points, fill_crown
from plough.core.grow.fullness import thinned
from plough.core.grow.habit import TreeParameters
from plough.core.grow.tree import _filling, crown_body, grow
from plough.core.kinds import get_kind, make
from plough.core.mesh.value import Mesh
from plough.core.parameters import Row, build, describe, with_values
from plough.core.presets import Preset, all_presets

Triangles = set[bytes]


def triangles(mesh: Mesh, slots: tuple[str, ...] = ()) -> Triangles:
    """Each triangle's corners, with normals and texture coordinates; only those of `slots` where any are named."""
    rows = np.concatenate([mesh.positions, mesh.normals, mesh.uv0], axis=1)
    out: Triangles = set()
    for part in mesh.parts:
        if slots and part.material not in slots:
            continue
        corners = rows[mesh.indices[part.first : part.first + part.count]]
        out |= {c.tobytes() for c in corners}
    return out


def read(values: dict[str, Any], path: str) -> Any:
    place: Any = values
    for name in path.split("."):
        place = place[name]
    return place


#: what more of each count must leave as it was: the triangles of these slots, none for all
COUNTS = {
    "tree": ("stems", "first.count", "second.count", "third.count", "roots"),
    "plant": ("stems", "heads", "low.leaves", "middle.leaves", "high.leaves"),
    "tuft": ("blades",),
    "shrub": ("branches",),
}


def cases() -> list[Any]:
    out = []
    for p in all_presets():
        whole = get_kind(p.kind).parameters.model_validate(p.parameters).model_dump()
        for path in COUNTS.get(p.kind, ()):
            now = read(whole, path)
            orders = whole.get("growth") == "orders"
            # a crown that is filled grows from all the wood there is
            if p.kind == "plant" and path == "heads" and whole["head"] == "none":
                continue
            if now and (orders or p.kind != "tree" or path == "roots") and p.kind != "shrub":
                out.append(pytest.param(p, path, now, id=f"{p.name}-{path}"))
    return out


@pytest.mark.parametrize(("preset", "path", "now"), cases())
def test_one_more_keeps_all_that_was(preset: Preset, path: str, now: int) -> None:
    values = dict(preset.parameters)
    if preset.kind == "tree":
        values |= {"fullness": 1.0, "leaf_form": "cards", "faceted": False}
    limit = next(r for r in _rows(preset.kind) if r.path == path).high
    if limit is not None and now >= limit:
        pytest.skip("as many as there may be")
    fewer = triangles(make(preset.kind, values, preset.seed).mesh)
    more = triangles(make(preset.kind, with_values(values, {path: now + 1}), preset.seed).mesh)
    assert fewer <= more, f"{len(fewer - more)} of {len(fewer)} triangles are changed"
    assert len(more) > len(fewer)


def _rows(kind: str) -> list[Row]:
    return describe(get_kind(kind).parameters)


FILLED = [
    p
    for p in all_presets()
    if p.parameters.get("growth") in ("crown", "mixed") and p.kind == "tree"
]


@pytest.mark.parametrize("preset", FILLED, ids=lambda p: p.name)
@pytest.mark.parametrize("more", [1, 37, 700])
def test_more_points_of_a_crown_keep_every_branch_where_it_was(preset: Preset, more: int) -> None:
    p = build(TreeParameters, preset.parameters)
    fewer, grown = (
        grow(p.model_copy(update={"crown_points": n}), preset.seed)
        for n in (p.crown_points - 300, p.crown_points - 300 + more)
    )
    assert sum(o.count for o in grown) >= sum(o.count for o in fewer)
    for before, after in zip(fewer, grown, strict=False):
        n = before.count
        for name in ("points", "ids", "parent", "first", "at", "birth", "length", "vigour"):
            assert getattr(before, name).tobytes() == getattr(after, name)[:n].tobytes(), name


@pytest.mark.parametrize("preset", FILLED, ids=lambda p: p.name)
def test_more_points_of_a_crown_keep_every_leaf(preset: Preset) -> None:
    values = {**preset.parameters, "fullness": 1.0}
    n = values["crown_points"]
    fewer, more = (
        triangles(make("tree", {**values, "crown_points": k}, preset.seed).mesh, ("leaf",))
        for k in (n - 1, n + 60)
    )
    assert fewer <= more


def test_mixed_growth_keeps_wood_that_leaves_the_stems() -> None:
    values = {
        "growth": "mixed",
        "first": {"count": 2, "start": 0.1, "end": 0.2, "length": 0.1},
        "crown_low": 0.55,
        "crown_points": 80,
    }
    p = build(TreeParameters, values)
    orders = grow(p, 3)
    assert orders[1].count > 2, "branches that the crown draws from the stem itself"
    goals = crown_points(3, 80, crown_body(p))
    tips = np.concatenate([o.points[:, -1] for o in orders[1:]])
    near = np.linalg.norm(goals[:, None] - tips[None], axis=2).min(axis=1)
    assert np.median(near) < 0.1 * p.height


def test_every_point_of_a_crown_is_reached_or_near_wood() -> None:
    p = build(TreeParameters, {"growth": "crown", "crown_points": 600, "crown_reach": 100})
    orders = grow(p, 5)
    goals = crown_points(5, 600, crown_body(p))
    stop = _filling(p).stop
    wood = np.concatenate([o.points.reshape(-1, 3) for o in orders])
    near = np.sqrt(((goals[:, None] - wood[None]) ** 2).sum(axis=2)).min(axis=1)
    assert np.quantile(near, 0.99) < 1.6 * stop


def test_branches_of_a_filled_crown_are_thinner_than_what_bears_them() -> None:
    orders = grow(build(TreeParameters, {"growth": "crown", "crown_points": 900}), 2)
    for before, after in zip(orders, orders[1:], strict=False):
        x = after.at * (before.radius.shape[1] - 1)
        k = np.minimum(x.astype(int), before.radius.shape[1] - 2)
        here = before.radius[after.parent, k]
        assert (after.radius[:, 0] <= 1.01 * here).all()
        assert np.isfinite(after.points).all()


def test_a_filled_crown_is_the_same_whatever_is_asked_for_at_once() -> None:
    p = build(TreeParameters, {"growth": "crown", "crown_points": 500})
    base = grow(
        p.model_copy(update={"growth": "orders", "first": p.first.model_copy(update={"count": 0})}),
        4,
    )[:1]
    goals = crown_points(4, 500, crown_body(p))
    a, b = (fill_crown(4, base, goals, _filling(p)) for _ in range(2))
    for x, y in zip(a, b, strict=True):
        assert x.points.tobytes() == y.points.tobytes()
        assert x.radius.tobytes() == y.radius.tobytes()


def test_thinning_says_all_that_it_changes() -> None:
    p = build(TreeParameters, {})
    q, changes = thinned(p, 0.4)
    told = {c.path for c in changes}
    before, after = p.model_dump(), q.model_dump()
    differ = {
        f"{name}.{inner}" if isinstance(value, dict) else name
        for name, value in before.items()
        for inner in (value if isinstance(value, dict) else [""])
        if (value[inner] if isinstance(value, dict) else value)
        != (after[name][inner] if isinstance(value, dict) else after[name])
    }
    assert differ == told
