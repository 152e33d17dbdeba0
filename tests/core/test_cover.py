"""What the ground is covered with: images that repeat without a seam."""

from __future__ import annotations

import numpy as np
import pytest

from plough.core.ground.cover import METRES, TONES, Cover, cover_material
from plough.core.parameters import linear

NAMES = sorted(METRES)


@pytest.mark.parametrize("name", NAMES)
def test_an_image_repeats_without_a_seam(name: str) -> None:
    maps = Cover(name, 256).draw()  # type: ignore[arg-type]
    for image in (maps.albedo[..., :3], maps.normal, maps.depth):
        assert image is not None
        seen = image.astype(float).reshape(256, 256, -1)
        for axis in (0, 1):
            steps = np.abs(np.diff(seen, axis=axis)).mean()
            seam = np.abs(np.take(seen, 0, axis) - np.take(seen, -1, axis)).mean()
            assert seam < 1.5 * steps + 0.5


@pytest.mark.parametrize("name", NAMES)
def test_normals_follow_the_heights(name: str) -> None:
    maps = Cover(name, 256).draw()  # type: ignore[arg-type]
    assert maps.depth is not None
    normal = maps.normal.astype(float) / 127.5 - 1.0
    assert np.abs(np.linalg.norm(normal, axis=-1) - 1.0).max() < 0.03
    assert normal[..., 2].min() > 0
    # what rises to the right looks to the left; green points up the image
    depth = maps.depth.astype(float)
    right = np.roll(depth, -1, 1) - np.roll(depth, 1, 1)
    down = np.roll(depth, -1, 0) - np.roll(depth, 1, 0)
    steep = np.abs(right) > 12
    assert (np.sign(normal[..., 0]) == -np.sign(right))[steep].mean() > 0.97
    steep = np.abs(down) > 12
    assert (np.sign(normal[..., 1]) == np.sign(down))[steep].mean() > 0.97


def test_each_class_is_told_from_the_others_by_its_colour() -> None:
    mean = {n: Cover(n, 256).draw().albedo[..., :3].reshape(-1, 3).mean(axis=0) for n in NAMES}  # type: ignore[arg-type]
    assert mean["grass"][1] > 1.15 * mean["grass"][0], "grass is green"
    for name in ("soil", "gravel", "mud", "stone"):
        assert mean[name][0] > mean[name][1] > mean[name][2], "earth is warm"
    spread = {n: np.ptp(m) / m.mean() for n, m in mean.items()}
    assert spread["gravel"] < spread["mud"] < spread["soil"] < spread["grass"]


def test_the_same_seed_draws_the_same_and_another_other_ground() -> None:
    one, same, other = (Cover("grass", 256, seed).draw().albedo for seed in (3, 3, 4))
    assert np.array_equal(one, same)
    assert (one != other).mean() > 0.5
    assert cover_material("grass").maps == Cover("grass")


@pytest.mark.parametrize("name", NAMES)
def test_from_far_away_an_image_is_of_its_tone(name: str) -> None:
    recipe = cover_material(name).maps  # type: ignore[arg-type]
    assert recipe is not None
    light = linear_mean(recipe.draw().albedo[..., :3])
    assert np.allclose(light, linear(TONES[name]), rtol=0.03), name  # type: ignore[index]


def linear_mean(image: np.ndarray) -> np.ndarray:
    return ((image / 255.0) ** 2.2).mean(axis=(0, 1))  # type: ignore[no-any-return]
