"""Names by patterns: each level has one, none is another's, and what no file can be called is not asked for."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.bake.bundle import Baker
from plough.core.bake.names import LONGEST, Names
from plough.core.errors import ParameterError
from plough.core.formats.glb_read import read_json
from plough.core.layers.bake import NAME_FIELDS, BakeParameters
from plough.core.library import Library
from plough.core.library.variants import variant_of
from plough.core.parameters import build
from plough.core.scene import Evaluator
from tests.core.test_scene import small
from tests.depth import examples

LEAF = variant_of("dock-leaf", "Dock leaf, broad", "leaf", {}, 7, {})


def baker(**asked: Any) -> Baker:
    library = Library()
    plain = {"textures": False, "splat": "none"}
    return Baker(Evaluator(library).evaluate(small(bake={**plain, **asked})), library)


def test_fields_are_put_in_their_places() -> None:
    made = Names("{scene}/{kind} {name}_{asset}_{seed}_lod{level}", "Withy Hythe").of(LEAF, 2)
    assert made == "Withy-Hythe-leaf-Dock-leaf-broad_dock-leaf_7_lod2"
    assert Names("{asset}-{seed}-{level}", "x").of(LEAF.mirrored(), 0) == "dock-leaf-7-mirrored-0"


@pytest.mark.parametrize("layout", ["whole", "tiles", "tileset"])
def test_files_and_meshes_are_called_so(layout: str) -> None:
    made = baker(names="SM_{asset}_{seed}_lod{level}", layout=layout)
    names = list(made.level_names())
    for _ in made.run():
        pass
    folder, ending = ("levels", "glb") if layout == "whole" else ("shapes", "bin")
    for name in names:
        assert name.startswith("SM_")
        assert f"{folder}/{name}.{ending}" in made.files
    scenes = [p for p in made.files if p == "scene.glb" or p.startswith("tiles/")]
    meshes = {m["name"] for p in scenes for m in read_json(made.read(p))["meshes"]}
    if layout == "tileset":  # which holds the levels that are seen
        names = [n for n in names if n.endswith("_lod0")]
    assert set(names) <= meshes
    listed = {f["path"] for f in json.loads(made.read("manifest.json"))["files"]}
    assert listed == set(made.files) - {"manifest.json"}


@pytest.mark.parametrize("pattern", ["{asset}-{level}", "{kind} {level}", "{asset}-{seed}", "same"])
def test_names_that_two_would_have_are_refused_before_the_work(pattern: str) -> None:
    made = baker(names=pattern)
    with pytest.raises(ParameterError, match="would be the name of") as caught:
        next(made.run())
    assert caught.value.field == "names"
    assert not made.files


@pytest.mark.parametrize("pattern", ["{lod}", "{asset", "asset}", "{}", "{asset.name}", "x" * 121])
def test_patterns_with_what_is_not_known_are_refused(pattern: str) -> None:
    with pytest.raises(ParameterError) as caught:
        build(BakeParameters, {"names": pattern}, "parameters")
    assert "names" in caught.value.field


@settings(max_examples=examples(200), deadline=None)
@given(st.text(max_size=60), st.text(max_size=40))
def test_whatever_is_typed_a_file_can_be_called_so(pattern: str, scene: str) -> None:
    try:
        build(BakeParameters, {"names": pattern}, "parameters")
    except ParameterError:
        return
    made = Names(pattern, scene).of(LEAF, 1)
    assert 0 < len(made) <= LONGEST
    assert set(made) <= set("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789._-")
    assert not made.startswith(".")


def test_what_is_cut_short_is_told_apart_or_refused() -> None:
    names = Names("{scene}{scene}{level}", "long " * 16)
    assert len(names.of(LEAF, 0)) == LONGEST
    with pytest.raises(ParameterError, match="would be the name of"):
        list(names.all([LEAF], lambda _: 2))


def test_the_fields_are_those_that_are_told() -> None:
    for field in NAME_FIELDS:
        assert "{" not in Names(f"{{{field}}}", "s").of(LEAF, 0)
        assert f"{{{field}}}" in str(BakeParameters.model_fields["names"].description)
