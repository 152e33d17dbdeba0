"""What the models say of their parameters is so: for every kind, by construction over its own declarations."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from pydantic import BaseModel

from plough.core.kinds import Product, all_kinds
from plough.core.matters import among, declared, either, filled, holds, named
from plough.core.mesh.material import Maps
from plough.core.mesh.sheet import SLOT, SheetRule, cut_for, make_sheet
from plough.core.mesh.value import Mesh, mesh_key
from plough.core.parameters import Row, build, describe, with_values
from plough.core.presets import all_presets
from plough.core.scene.registry import all_layer_kinds
from tests.models import make

KINDS = sorted(all_kinds())


def rows_of(kind: str) -> list[Row]:
    return describe(all_kinds()[kind].parameters)


def whole(kind: str, values: dict[str, Any]) -> dict[str, Any]:
    return build(all_kinds()[kind].parameters, values).model_dump(mode="json")


def read(values: dict[str, Any], path: str) -> Any:
    place: Any = values
    for name in path.split("."):
        place = place[name]
    return place


def another(row: Row, now: Any) -> Any:
    """A value of a parameter that is allowed and not `now`; None where it has no such thing."""
    match row.control:
        case "slider" | "count" | "age" | "fullness":
            assert row.low is not None and row.high is not None
            low, high = row.soft or (row.low, row.high)
            value = low + 0.37 * (high - low)
            value = round(value) if row.control == "count" else value
            return value if abs(value - now) > 1e-9 else (low if now > low else high)
        case "choice":
            return next(option for option in row.options or {} if option != now)
        case "flag":
            return not now
        case "color":
            return "#2f7fc1" if now != "#2f7fc1" else "#c14f2f"
        case "curve":
            return [[0, 0.31], [0.5, 0.93], [1, 0.22]]
        case "seed":
            return now + 1
        case "line":
            return [[-1, 0.5], [1.5, -0.5]]
    return None


#: what must hold at once for some parameters to matter, and does in no preset
TOGETHER: dict[str, dict[str, Any]] = {
    "cloth": {"hung": "over", "body": "things"},
    "piece": {"what": "door", "game": {"foot": {"strength": 60}}},
}


def states(kind: str) -> Iterator[tuple[str, dict[str, Any]]]:
    """Recipes in which each condition that the kind declares is met and not met, over its defaults and its presets."""
    yield "defaults", {}
    rows = {row.path: row for row in rows_of(kind)}
    for test in {t for row in rows.values() for clause in row.when for t in clause}:
        control = rows[test.path]
        if control.options:
            for option in control.options:
                yield f"{test.path} {option}", with_values({}, {test.path: option})
        elif control.control == "flag":
            yield f"{test.path} off", with_values({}, {test.path: False})
        elif test.above is not None:
            more = 3 if control.control == "count" else another(control, 0.0)
            for value in (test.above, more):
                yield f"{test.path} {value:g}", with_values({}, {test.path: value})
    for preset in all_presets():
        if preset.kind == kind:
            yield preset.name, dict(preset.parameters)
    if "game.sheet.triangles" in rows:
        yield "few triangles", {"game": {"sheet": {"size": "512", "triangles": 60, "rays": 4}}}
    if kind in TOGETHER:
        yield "together", TOGETHER[kind]


def looks(kind: str, values: dict[str, Any], seed: int, detail: int = 0) -> dict[str, bytes]:
    """All that an asset is seen by: its mesh and its drawn maps, and those that it is written with."""
    product = make(kind, values, seed, detail)
    mesh = product.mesh
    out = {
        name: array.tobytes()
        for name in ("positions", "normals", "uv0", "colors", "wind", "indices")
        if (array := getattr(mesh, name)) is not None
    }
    out["size"] = repr(
        (product.footprint_radius, product.canopy_radius, product.height, product.counts)
    ).encode()
    bodies = product.collider
    out["collider"] = b"".join(p.tobytes() for p in bodies.pieces) + repr(bodies.capsules).encode()
    for slot, material in product.materials.items():
        out[f"{slot} plain"] = repr(replace(material, name="", maps=None)).encode()
        maps = material.maps.draw() if material.maps else None
        for name in ("albedo", "normal", "surface") if maps else ():
            out[f"{slot} {name}"] = getattr(maps, name).tobytes()
    asked = values.get("game", {}).get("sheet", {"size": "none"})
    if asked["size"] != "none":
        out |= on_sheet(kind, values, seed, product, asked)
    return out


def on_sheet(
    kind: str, values: dict[str, Any], seed: int, product: Product, asked: dict[str, Any]
) -> dict[str, bytes]:
    """The nearest level with maps of its own, drawn small."""
    rule = SheetRule(64, asked["triangles"], asked["rays"])
    coarser = make(kind, values, seed, 2).mesh if asked["levels"] == "last" else None
    key = repr((mesh_key(product.mesh), coarser and mesh_key(coarser), rule))
    if key not in _SHEETS:
        _SHEETS[key] = drawn_sheet(product, coarser, rule)
    return _SHEETS[key]


_SHEETS: dict[str, dict[str, bytes]] = {}


def drawn_sheet(product: Product, coarser: Mesh | None, rule: SheetRule) -> dict[str, bytes]:
    cut = cut_for(product.mesh, product.materials, coarser, rule)
    if cut is None:
        return {}
    plain = Maps(*(np.full((1, 1, k), 255, np.uint8) for k in (4, 3, 3)))
    made = make_sheet(cut, product.materials, dict.fromkeys(product.materials, plain), rule, 0, "")
    maps = made.materials[SLOT].maps.draw()  # type: ignore[union-attr]
    return {"sheet": made.mesh.positions.tobytes(), "sheet's": maps.surface.tobytes()}


@pytest.mark.parametrize("kind", KINDS)
def test_what_does_not_matter_changes_nothing(kind: str) -> None:
    rows = rows_of(kind)
    small = {r.path: "128" for r in rows if r.path.endswith("texture_size")}
    tried = set()
    for name, recipe in states(kind):
        values = whole(kind, with_values(recipe, small))
        idle = [r for r in rows if not holds(r.when, values) and r.path not in small]
        changes = {r.path: another(r, read(values, r.path)) for r in idle}
        changes = {path: value for path, value in changes.items() if value is not None}
        tried |= set(changes)
        before = looks(kind, values, 3, 1)
        after = looks(kind, with_values(values, changes), 3, 1)
        differs = [part for part in before if before[part] != after.get(part)]
        assert not differs, f"{name}: {differs} hang on one of {sorted(changes)}"
    conditional = {r.path for r in rows if r.when and another(r, r.default) is not None}
    assert conditional - set(small) <= tried, "a condition that is never unmet"


@pytest.mark.parametrize("kind", KINDS)
def test_what_matters_can_be_seen(kind: str) -> None:
    """Each conditional parameter does something in at least one recipe in which it matters."""
    rows = [r for r in rows_of(kind) if r.when and another(r, r.default) is not None]
    waiting = {r.path: r for r in rows if () not in r.when}
    small = {r.path: "128" for r in rows_of(kind) if r.path.endswith("texture_size")}
    for _, recipe in states(kind):
        values = whole(kind, with_values(recipe, small))
        met = [row for row in waiting.values() if holds(row.when, values)]
        before = looks(kind, values, 3) if met else {}
        for row in met:
            changed = with_values(values, {row.path: another(row, read(values, row.path))})
            if looks(kind, changed, 3) != before:
                del waiting[row.path]
    assert not waiting, f"{sorted(waiting)} change nothing where they are said to matter"


@pytest.mark.parametrize("kind", KINDS)
def test_declarations_name_what_is_there(kind: str) -> None:
    rows = rows_of(kind)
    paths = {row.path for row in rows}
    groups = {row.group for row in rows} | {row.section for row in rows}
    products = [make(kind, recipe, 1, 2) for _, recipe in states(kind)]
    products += [make(p.kind, p.parameters, 1) for p in all_presets() if p.kind == kind]
    turned = {row.path: not row.default for row in rows if row.control == "flag"}
    products.append(make(kind, with_values({}, turned), 1, 2))
    ranges = {name for product in products for name in product.ranges}
    counts = {name for product in products for name in product.counts}
    for row in rows:
        assert {test.path for clause in row.when for test in clause} <= paths, row.path
        assert not row.acts or set(row.acts) & ranges, f"{row.path} acts on {row.acts}"
        for name in ("tall", "low", "wide"):
            assert (row.handle or {}).get(name, row.path) in paths
    for group, told in declared(all_kinds()[kind].parameters, "told").items():
        assert group in groups
        assert set(told) <= counts, group


def told(model: type[BaseModel], what: str) -> set[str]:
    return {getattr(row, what) for row in describe(model)}


def test_every_pattern_of_a_declaration_means_some_field() -> None:
    models = {k.parameters for k in (*all_kinds().values(), *all_layer_kinds().values())}
    nested = {
        type(f.default)
        for m in models
        for f in m.model_fields.values()
        if hasattr(type(f.default), "model_fields")
    }
    names = {path for model in models | nested for path in told(model, "path")}
    groups = {group for model in models | nested for group in told(model, "group")}
    for model in models | nested:
        for variable in ("matters", "acts"):
            for patterns in declared(model, variable):
                meant = [
                    any(named(pattern.removeprefix("-"), name) for name in names)
                    for pattern in patterns.split()
                ]
                assert all(meant) or patterns in groups, f"{model.__name__}: {patterns!r}"


def test_conditions_hold_as_they_say() -> None:
    values = {"form": "simple", "guide": [], "first": {"count": 0}}
    assert holds((), values)
    assert not holds(((),), values)
    assert holds(among("form", "simple", "frond"), values)
    assert not holds(among("form", "frond"), values)
    assert holds(filled("guide", False), values) and not holds(filled("guide"), values)
    assert holds(either(filled("guide"), among("form", "simple")), values)
    assert not holds(filled("guide", False) + among("form", "frond"), values)
