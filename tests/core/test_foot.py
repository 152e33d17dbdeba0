"""The tone of the ground at the foot: there, as strong as told, fading out, and nothing else changed."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from plough.core import foot as feet
from plough.core.foot import mean_light
from plough.core.ground.cover import TONES
from plough.core.kinds import all_kinds, make
from plough.core.mesh.value import Part
from plough.core.parameters import linear

SMALL: dict[str, dict[str, Any]] = {
    "tree": {"height": 3, "texture_size": "128", "first": {"count": 5}, "second": {"count": 2}},
    "shrub": {},
    "plant": {},
    "tuft": {"height": 0.8, "blades": 30},
}
GROWN = [name for name in all_kinds() if name in SMALL]


def made(kind: str, **foot: Any) -> Any:
    return make(kind, {**SMALL[kind], "game": {"foot": foot}}, 3)


@pytest.mark.parametrize("kind", GROWN)
def test_it_is_at_the_foot_and_nothing_else_changes(kind: str) -> None:
    plain, toned = made(kind), made(kind, strength=80, height=0.3, ground="mud", color="#806040")
    a, b = plain.mesh, toned.mesh
    for name in ("positions", "normals", "uv0", "indices", "wind"):
        assert np.array_equal(getattr(a, name), getattr(b, name))
    assert plain.materials == toned.materials
    above = a.positions[:, 1] >= 0.3
    assert np.array_equal(a.tint[above], b.tint[above])
    low = a.positions[:, 1] < 0.05
    assert low.any() and (b.tint[low, :3] < a.tint[low, :3]).any()
    assert (b.tint <= a.tint).all() and np.array_equal(a.tint[:, 3], b.tint[:, 3])
    assert np.array_equal(made(kind, strength=0, height=2).mesh.tint, a.tint)


def test_at_full_strength_the_foot_shows_the_tone_of_the_ground() -> None:
    for ground in ("soil", "mud", "grass"):
        tree = made("tree", strength=100, height=1.0, ground=ground)
        wood = next(p for p in tree.mesh.parts if not tree.materials[p.material].cutout)
        rows = np.unique(tree.mesh.indices[wood.first : wood.first + wood.count])
        rows = rows[tree.mesh.positions[rows, 1] <= 0.0]
        plain = made("tree").mesh.tint[rows, :3] / 255.0
        shown = tree.mesh.tint[rows, :3] / 255.0 / np.maximum(plain, 1e-3)
        mean = mean_light(tree.materials[wood.material])
        wanted = np.minimum(1.0, np.array(linear(TONES[ground])) / mean)
        assert np.abs(np.median(shown, axis=0) - wanted).max() < 0.02
        assert (wanted < 0.95).any()


def test_it_fades_with_height_and_grows_with_strength() -> None:
    base = made("tuft").mesh.tint[:, 0] / 255.0

    def light(strength: float) -> Any:
        mesh = made("tuft", strength=strength, height=0.5, color="#000000").mesh
        return mesh.positions[:, 1], mesh.tint[:, 0] / 255.0 / base

    y, strong = light(100)
    order = np.argsort(y)
    assert (np.diff(strong[order][y[order] > 0]) >= -0.02).all()  # bytes are rounded
    half, none = light(50)[1], light(0)[1]
    assert (strong <= half).all() and (half <= none).all()
    assert strong[y <= 0].max() == 0 and np.abs(half[y <= 0] - 0.5).max() < 0.01


def test_levels_agree_on_the_tone() -> None:
    for detail in range(3):
        values = {**SMALL["tree"], "game": {"foot": {"strength": 100, "height": 0.5}}}
        mesh = make("tree", values, 3, detail).mesh
        foot = mesh.positions[:, 1] < 0.05
        assert mesh.tint[foot, :3].mean() < 0.9 * mesh.tint[~foot, :3].mean()


def test_the_mean_of_a_leaf_is_that_of_what_is_not_cut_out() -> None:
    tree = made("tree")
    leaf = next(m for m in tree.materials.values() if m.cutout and m.maps is not None)
    mean = mean_light(leaf)
    assert mean[1] > mean[2] and 0.005 < mean[1] < 0.6


def test_a_recipe_is_drawn_once_however_many_parts_show_it(monkeypatch: pytest.MonkeyPatch) -> None:
    tree = made("tree")
    part = tree.mesh.parts[0]
    cut = [Part(part.material, part.first + k, 1) for k in range(20)]
    mesh = replace(tree.mesh, parts=tuple(cut))
    drawn: list[str] = []
    monkeypatch.setattr(feet, "mean_light", lambda m: drawn.append(m.name) or np.full(3, 0.5))
    feet.with_foot(mesh, tree.materials, feet.FootParameters(strength=50))
    assert len(drawn) == len(tree.materials)
