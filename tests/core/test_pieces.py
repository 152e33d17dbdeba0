"""Pieces hang on what their keys say: whatever changes, a store with what was made before gives the same bytes as an empty one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from plough.core.bake.bundle import Baker
from plough.core.bake.pieces import Held
from plough.core.layers.bake import BakeParameters
from plough.core.library import Library
from plough.core.parameters import describe
from plough.core.scene import Evaluator, read_document
from tests.conftest import SMALL
from tests.depth import some

Values = dict[str, Any]
LAYOUTS = {
    "whole": {"stage": True, "tile_side": "64"},
    "tiles": {"layout": "tiles", "tile_side": "64"},
    "tileset": {"layout": "tileset", "tile_side": "64"},
}


def layer(values: Values, layer_id: str) -> Values:
    return next(x for x in values["layers"] if x["id"] == layer_id)  # type: ignore[no-any-return]


def settings(values: Values, **more: Any) -> None:
    values.setdefault("settings", {}).update(more)


def renamed_class(values: Values) -> None:
    ground = values["layers"][0]["parameters"]
    ground["classes"] = [{"key": "base", "name": "Turf", "look": "grass"}]


VIEW = {"id": "v", "name": "From the dyke", "eye": [1, 2, 3], "target": [0, 1, 0]}
OWN = {"id": "own", "name": "Own", "texture": "256"}
CHANGES: dict[str, Callable[[Values], Any]] = {
    "the scene's name": lambda v: v.update(name="Another fen"),
    "an asset's name": lambda v: v["assets"][0].update(name="Osier"),
    "an asset's notes": lambda v: v["assets"][0].update(notes={"sound": "leaves"}),
    "an asset's seeds": lambda v: v["assets"][0].update(seeds=[7]),
    "an asset's parameters": lambda v: v["assets"][0]["parameters"].update(height=3.1),
    "a layer's name": lambda v: layer(v, "willows").update(name="Pollards"),
    "a layer's notes": lambda v: layer(v, "willows").update(notes={"zone": "bank"}),
    "a layer's shadow": lambda v: layer(v, "willows").update(shadow="none"),
    "a layer's flags": lambda v: layer(v, "willows").update(game={"shots": "no"}),
    "a layer's colliders": lambda v: layer(v, "willows").update(game={"colliders": "none"}),
    "what is kept": lambda v: layer(v, "willows").update(game={"console": 40}),
    "a fill": lambda v: layer(v, "willows")["parameters"].update(fill=40),
    "a hidden layer": lambda v: layer(v, "willows").update(hidden=True),
    "mirrored ones": lambda v: layer(v, "willows")["parameters"].update(mirrored=50),
    "the ground": lambda v: v["layers"][0]["parameters"].update(relief=2.5),
    "a viewpoint": lambda v: settings(v, viewpoints=[VIEW]),
    "the profile": lambda v: settings(v, profile="phone"),
    "a profile of one's own": lambda v: settings(v, profile="own", profiles=[OWN]),
    "the light": lambda v: settings(v, sun={"azimuth": 10, "elevation": 20}),
}


def other(row: Any) -> Any:
    """Another value of a parameter of the bake."""
    if row.options:
        return next(o for o in row.options if o != str(row.default))
    if isinstance(row.default, bool):
        return not row.default
    if isinstance(row.default, str):
        return "{asset}_{seed}_{level}"
    return row.default * 2


BAKE = {r.path: other(r) for r in describe(BakeParameters) if r.path not in ("layout", "stage")}
for name, value in BAKE.items():
    CHANGES[f"{name} of the bake"] = lambda v, n=name, x=value: v["layers"][-1][
        "parameters"
    ].update(  # type: ignore[misc]
        {n: x}
    )


def scene(layout: str) -> Values:
    values: Values = read_document(SMALL).model_dump(mode="json")
    values["layers"][-1]["parameters"] = {"splat": "512", "textures": False, **LAYOUTS[layout]}
    return values


@pytest.fixture(scope="module")
def library() -> Library:
    return Library()


def baked(values: Values, library: Library, pieces: Held | None) -> Baker:
    baker = Baker(Evaluator(library).evaluate(read_document(values)), library, (), pieces)
    for _ in baker.run():
        pass
    return baker


@pytest.mark.parametrize("layout", some(list(LAYOUTS), 1))
def test_whatever_changes_nothing_stale_is_taken(layout: str, library: Library) -> None:
    pieces = Held()
    first = baked(scene(layout), library, pieces)
    was = first.contents
    seen = 0
    for told, change in CHANGES.items():
        values = scene(layout)
        change(values)
        again = baked(values, library, pieces)
        fresh = baked(values, library, None)
        assert list(again.files) == list(fresh.files), told
        assert again.contents == fresh.contents, told
        seen += again.contents != was
    assert seen > 0.8 * len(CHANGES), "most of it can be seen in the files"
    back = baked(scene(layout), library, pieces)
    assert back.contents == was
    assert not any(done.where for done in back.done.values())


def test_only_what_changed_is_made(library: Library) -> None:
    pieces = Held()
    baked(scene("tiles"), library, pieces)

    def made(change: str) -> set[str]:
        values = scene("tiles")
        CHANGES[change](values)
        return {n for n, done in baked(values, library, pieces).done.items() if done.where}

    assert made("the light") == set()
    assert made("a viewpoint") == set()
    fewer = made("a fill")
    assert not any(name.startswith("shapes of") for name in fewer)
    assert any(name.startswith("tiles/") for name in fewer)
    grown = made("an asset's parameters")
    assert {n for n in grown if n.startswith("shapes of")} == {
        n for n in grown if n.startswith("shapes of willow")
    }


def test_one_library_serves_many_stores() -> None:
    library = Library()
    values = scene("whole")
    values["layers"][-1]["parameters"] |= {"textures": True}
    evaluation = Evaluator(library).evaluate(read_document(values))
    expected: dict[str, bytes] = {}
    for _ in range(6):  # stores come and go, and may lie where another lay
        baker = Baker(evaluation, library)
        for _ in baker.run():
            pass
        expected = expected or baker.contents
        assert baker.contents == expected
        del baker
