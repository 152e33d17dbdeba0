"""Targets that a scene is made for: their limits, what is kept on them, and how they are written."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from plough.core.bake.bundle import Baker
from plough.core.errors import ParameterError
from plough.core.library import Library
from plough.core.mesh.material import Maps, no_larger
from plough.core.scene import Evaluator, read_document
from plough.core.scene.document import TIERS, LayerGame, SceneDocument
from plough.core.scene.gains import gains_of, over_of
from plough.core.scene.weight import PROFILES, Weight, profile_of
from tests.conftest import SMALL
from tests.core.test_bake import sound

OWN = {"id": "hand", "name": "Hand-held", "like": "phone", "triangles": 1_000, "texture": "256"}


def scene(profile: str, *own: dict[str, Any], **kept: float) -> SceneDocument:
    values = json.loads(json.dumps(SMALL))
    values["settings"] = {"profile": profile, "profiles": list(own)}
    for layer in values["layers"]:
        if layer["kind"] == "scatter":
            layer["game"] = kept
    values["layers"][-1]["parameters"] |= {"splat": "none"}
    return read_document(values)


def baked(document: SceneDocument, library: Library | None = None) -> Baker:
    library = library or Library()
    baker = Baker(Evaluator(library).evaluate(document), library)
    for _ in baker.run():
        pass
    return baker


def test_every_built_in_target_has_limits_and_a_tier() -> None:
    assert set(PROFILES) == set(TIERS)
    for name in TIERS:
        settings = scene(name).settings
        assert (settings.tier, profile_of(settings)) == (name, PROFILES[name])
    limits = [(p.triangles, p.instances, p.draw_calls, p.bytes) for p in PROFILES.values()]
    for less, more in zip(limits, limits[1:], strict=False):
        assert all(a < b for a, b in zip(less, more, strict=True))


@pytest.mark.parametrize(
    ("own", "text"),
    [
        ([OWN, OWN], "'hand' is the id of another profile"),
        ([{**OWN, "id": "phone"}], "'phone' is the id of another profile"),
        ([], "there is no profile 'hand'; profiles are phone, console, high-end, film"),
        ([{**OWN, "triangles": 10}], "triangles"),
        ([{**OWN, "texture": "300"}], "texture"),
        ([{**OWN, "id": f"own-{k}"} for k in range(13)], "profiles"),
    ],
)
def test_what_is_no_profile_is_refused_with_its_name(own: list[dict[str, Any]], text: str) -> None:
    with pytest.raises(ParameterError, match=text):
        scene("hand", *own)


def test_an_own_target_keeps_what_the_one_it_is_like_keeps() -> None:
    def count(profile: str, *own: dict[str, Any]) -> int:
        evaluation = Evaluator(Library()).evaluate(scene(profile, *own, phone=40, high_end=70))
        return sum(r.output.placements.count for r in evaluation.layers if r.output.placements)

    phone, console, high, film = (count(name) for name in TIERS)
    assert phone < high < console == film, "film keeps all"
    assert count("hand", OWN) == phone
    assert count("hand", {**OWN, "like": "film"}) == film
    assert count("hand", {**OWN, "like": "high-end"}) == high
    assert LayerGame(phone=5).kept("film") == 1.0


def test_limits_of_an_own_target_are_those_that_count() -> None:
    evaluator = Evaluator(Library())
    document = scene("hand", OWN)
    over, gains = gains_of(evaluator, document, (0.0, 2.0, 0.0))
    assert over["triangles"] > 0 and gains
    assert over_of(Weight(triangles=1_001), profile_of(document.settings)) == {"triangles": 1}
    assert over_of(Weight(triangles=1_000), profile_of(document.settings)) == {}
    # what keeps all has nothing that gives way
    assert gains_of(evaluator, scene("hand", {**OWN, "like": "film"}), (0.0, 2.0, 0.0))[1] == []


def test_textures_are_no_larger_than_the_target_takes() -> None:
    def sides(document: SceneDocument) -> list[int]:
        baker = baked(document)
        images = [baker.read(p) for p in baker.files if p.startswith("images/")]
        return [max(Image.open(io.BytesIO(data)).size) for data in images]

    drawn = sides(scene("console"))
    assert max(drawn) > 256
    assert max(sides(scene("hand", OWN))) == 256
    assert max(sides(scene("phone"))) <= 512


def test_an_own_target_says_how_it_is_written() -> None:
    asked = {"packing": "meshopt", "images": "webp", "levels": "nearest", "texture": "drawn"}
    baker = baked(scene("hand", {**OWN, **asked}))
    assert not any(p.startswith("levels/") for p in baker.files)
    assert b"EXT_meshopt_compression" in baker.read("scene.glb")
    assert b"EXT_texture_webp" in baker.read("scene.glb")
    told = json.loads(baker.read("manifest.json"))["profile"]
    assert (told["name"], told["title"], told["triangles"]) == ("hand", "Hand-held", 1_000)
    sheet = baked(scene("hand", {**OWN, "texture": "drawn"}))
    assert any(p.startswith("levels/") for p in sheet.files)
    assert b"EXT_meshopt_compression" not in sheet.read("scene.glb")


def test_images_are_halved_by_their_means() -> None:
    rng = np.random.default_rng(1)
    image = rng.integers(0, 256, (64, 32, 4)).astype(np.uint8)
    gray = rng.integers(0, 256, (64, 32)).astype(np.uint8)
    maps = Maps(image, image[..., :3], image[..., :3], gray)
    less = no_larger(maps, 16)
    assert less.albedo.shape == (16, 8, 4) and less.depth is None
    assert less.translucency is not None and less.translucency.shape == (16, 8)
    assert np.abs(less.albedo.mean(axis=(0, 1)) - image.mean(axis=(0, 1))).max() < 1.0
    assert no_larger(maps, 0).albedo is image
    assert no_larger(maps, 64).albedo is image


WRITTEN = {
    "own": {
        "id": "own",
        "name": "Small",
        "like": "console",
        "texture": "256",
        "packing": "meshopt",
        "images": "webp",
    }
}
STONE = {
    "id": "stone",
    "name": "Stone",
    "kind": "rock",
    "seeds": [1],
    "parameters": {"game": {"sheet": {"size": "512", "triangles": 300, "rays": 4}}},
}
STONES: dict[str, Any] = {
    "id": "stones",
    "kind": "scatter",
    "name": "Stones",
    "parameters": {"mix": [{"asset": "stone"}], "spacing": 20, "seed": 4},
}


LIBRARY = Library()


@pytest.mark.parametrize("layout", ["whole", "tiles", "tileset"])
@pytest.mark.parametrize("profile", [*TIERS, *WRITTEN])
def test_every_file_of_every_profile_passes_the_formats_validator(
    profile: str, layout: str, tmp_path: Path
) -> None:
    values = scene(profile, *WRITTEN.values()).model_dump(mode="json")
    values["assets"].append(STONE)
    bake = {"layout": layout, "splat": "512", "light": "solid", "domes": profile == "phone"}
    values["layers"][-1:] = [STONES, {**values["layers"][-1], "parameters": bake}]
    made = baked(read_document(values), LIBRARY)
    assert any(path.startswith("marks/") for path in made.files)
    sound(made.contents, tmp_path)
