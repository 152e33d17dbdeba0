"""Cards that face the eye: where their pictures are seen from, and what they show."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.arrays import Float64, UInt8
from plough.core.bake.bundle import bake
from plough.core.formats.glb_read import read_json
from plough.core.kinds import get_kind
from plough.core.layers.bake import BakeParameters
from plough.core.library import Library, variant_of
from plough.core.mesh.dome import GRID, LOW, SIZE, SMALL, direction, dome_quad, make_dome, view_axes
from plough.core.mesh.material import Dome, Maps, Material
from plough.core.mesh.value import Mesh, Part
from plough.core.presets import all_presets
from plough.core.scene import Evaluator
from plough.core.scene.document import SceneDocument
from tests.core.test_scene import small
from tests.depth import examples, some

CELLS = [(i, j) for j in range(GRID) for i in range(GRID)]
DOMED = [p.name for p in all_presets() if get_kind(p.kind).impostor]


def place_of(d: Float64) -> tuple[float, float]:
    """Where a direction lies on the grid, as whoever draws a card must reckon it."""
    p = d / np.abs(d).sum()
    return (
        ((p[0] + p[2]) * 0.5 + 0.5) * (GRID - 1),
        ((p[0] - p[2]) * 0.5 + 0.5) * (GRID - 1),
    )


@given(up=st.floats(0, 1), azimuth=st.floats(0, 2 * math.pi))
@settings(max_examples=examples(300), deadline=None)
def test_every_direction_from_above_has_a_picture_near_it(up: float, azimuth: float) -> None:
    level = math.sqrt(1 - up * up)
    d = np.array([level * math.sin(azimuth), up, level * math.cos(azimuth)])
    i, j = (round(v) for v in place_of(d))
    assert 0 <= i < GRID and 0 <= j < GRID
    assert math.degrees(math.acos(min(1.0, float(direction(i, j) @ d)))) < 20


def test_pictures_are_seen_from_their_place_on_the_grid_and_stand_upright() -> None:
    for i, j in CELLS:
        d = direction(i, j)
        assert np.allclose(place_of(d), (i, j), atol=1e-9)
        assert d[1] >= -1e-12
        axes = view_axes(d)
        assert np.allclose(axes @ axes.T, np.eye(3), atol=1e-12)
        assert np.linalg.det(axes) == pytest.approx(1.0)
        assert axes[0, 1] == 0, "the picture's right is level"
        assert axes[1, 1] >= 0, "and its up is up"


def balls() -> tuple[Mesh, dict[str, Material], dict[str, UInt8], list[tuple[Float64, float]]]:
    """Three balls of different sizes and colours about a stem's length."""
    given = [((0.0, 2.0, 0.0), 0.9), ((1.1, 3.2, 0.4), 0.35), ((-0.6, 0.6, -1.2), 0.4)]
    parts, positions, normals, indices, first, base = [], [], [], [], 0, 0
    for k, (centre, radius) in enumerate(given):
        ball = trimesh.creation.icosphere(subdivisions=4)
        positions.append(np.asarray(ball.vertices) * radius + centre)
        normals.append(np.asarray(ball.vertices))
        indices.append(np.asarray(ball.faces) + base)
        parts.append(Part(f"ball {k}", first, len(ball.faces)))
        first, base = first + len(ball.faces), base + len(ball.vertices)
    mesh = Mesh(
        np.concatenate(positions).astype(np.float32),
        np.concatenate(normals).astype(np.float32),
        np.zeros((base, 2), np.float32),
        np.concatenate(indices).astype(np.uint32),
        tuple(parts),
    )
    colors = [(200, 40, 40), (40, 180, 60), (50, 60, 210)]
    albedo = {f"ball {k}": np.array([[[*c, 255]]], np.uint8) for k, c in enumerate(colors)}
    return mesh, {n: Material(n) for n in albedo}, albedo, [(np.array(c), r) for c, r in given]


def drawn(materials: dict[str, Material]) -> tuple[Maps, Dome]:
    material = materials["dome"]
    assert material.maps is not None and material.dome is not None
    return material.maps.draw(), material.dome


def test_each_picture_shows_what_a_ray_from_its_direction_meets() -> None:
    """Colour, normal, depth and cover against balls met by reckoning."""
    mesh, materials, albedo, spheres = balls()
    _, made = make_dome(mesh, materials, albedo, "balls")
    maps, dome = drawn(made)
    normals = np.repeat(np.repeat(maps.normal, 2, axis=0), 2, axis=1)
    assert normals.shape[:2] == maps.albedo.shape[:2]
    colors = np.array([albedo[n][0, 0, :3] for n in materials], np.float64)
    size = dome.pixels
    assert size == SIZE, "what is taller than a person's reach has the larger pictures"
    at = (np.arange(size) + 0.5) / size * 2 - 1
    for i, j in CELLS:
        right, up, towards = view_axes(direction(i, j))
        x, y = np.meshgrid(at * dome.half[0], -at * dome.half[1])
        nearest = np.full(x.shape, -np.inf)
        which = np.full(x.shape, -1)
        for k, (centre, radius) in enumerate(spheres):
            c = centre - dome.centre
            gap = radius**2 - (x - c @ right) ** 2 - (y - c @ up) ** 2
            depth = c @ towards + np.sqrt(np.maximum(gap, 0))
            nearer = (gap > 0) & (depth > nearest)
            nearest[nearer], which[nearer] = depth[nearer], k
        rows, columns = slice(j * size, (j + 1) * size), slice(i * size, (i + 1) * size)
        picture = maps.albedo[rows, columns]
        # pixels whose neighbours show the same are not at an edge
        inner = np.ones(x.shape, bool)
        for axis in (0, 1):
            for step in (-1, 1):
                inner &= np.roll(which, step, axis) == which
        assert (picture[inner & (which < 0), 3] == 0).all()
        assert not picture[[0, -1], :, 3].any() and not picture[:, [0, -1], 3].any()
        for k, (centre, radius) in enumerate(spheres):
            own = inner & (which == k)
            if own.sum() < 5:
                continue
            assert (picture[own, 3] == 255).all()
            assert np.abs(picture[own, :3] - colors[k]).max() <= 2
            point = (
                x[own, None] * right + y[own, None] * up + nearest[own, None] * towards
            ) + dome.centre
            normal = normals[rows, columns][own] / 127.5 - 1
            facing = (normal * (point - centre) / radius).sum(axis=1)
            assert own.sum() < 60 or (np.median(facing) > 0.99 and np.quantile(facing, 0.02) > 0.85)
            assert maps.depth is not None
            told = (maps.depth[rows, columns][own] / 255.0 - 0.5) * 2 * dome.depth
            assert np.abs(told - nearest[own]).max() < 0.1


def test_the_card_is_as_large_as_its_pictures_and_moves_at_its_top() -> None:
    dome = Dome(GRID, SIZE, (0.0, 2.0, 0.0), (1.5, 2.1), 2.0)
    quad = dome_quad(dome)
    assert np.ptp(quad.positions, axis=0) == pytest.approx([3.0, 4.2, 0.0])
    assert quad.wind is not None
    assert quad.wind[2, 0] == 255 and quad.wind[0, 0] == 0


@pytest.mark.parametrize("name", some(DOMED, 8))
def test_no_picture_is_lighter_than_what_it_shows(name: str) -> None:
    """A slot of a plain colour once came out white."""
    preset = next(p for p in all_presets() if p.name == name)
    variant = variant_of("a", name, preset.kind, preset.parameters, 3, {})
    library = Library()
    product = library.level(variant, 1)
    lightest = np.zeros(3)
    for material in product.materials.values():
        plain = 255 * np.array(material.color) ** 0.4545
        image = material.maps.draw().albedo if material.maps is not None else None
        seen = plain if image is None else plain / 255 * image[image[..., 3] > 127, :3].max(axis=0)
        lightest = np.maximum(lightest, seen)
    tint = product.mesh.colors
    if tint is not None:
        lightest *= (tint[:, :3].max(axis=0) / 255.0) ** 0.4545
    maps, dome = drawn(library.dome(variant).materials)
    solid = maps.albedo[..., 3] > 250
    assert solid.mean() > 0.002
    assert (maps.albedo[solid][:, :3].max(axis=0) <= lightest + 3).all()
    height = float(np.ptp(product.mesh.positions[:, 1]))
    assert dome.pixels == (SIZE if height > LOW else SMALL)
    height = float(product.mesh.positions[:, 1].max())
    assert dome.centre[1] + dome.half[1] >= height * 0.999
    # equal mesh, equal bytes
    again = Library().dome(variant).materials
    assert drawn(again)[0].albedo.tobytes() == maps.albedo.tobytes()


def with_domes(document: SceneDocument) -> SceneDocument:
    last = document.layers[-1]
    parameters = {**last.parameters, "domes": True}
    return document.model_copy(
        update={
            "layers": [*document.layers[:-1], last.model_copy(update={"parameters": parameters})]
        }
    )


def test_a_bake_writes_them_beside_the_levels_when_asked() -> None:
    library = Library()
    plain = bake(Evaluator(library).evaluate(small()), library).files
    assert not BakeParameters().domes and not [f for f in plain if f.startswith("domes/")]
    files = bake(Evaluator(library).evaluate(with_domes(small())), library).files
    labels = {f.split("/")[1].rsplit("-", 1)[0] for f in plain if f.startswith("levels/")}
    more = {f for f in files if f not in plain}
    assert {f for f in more if f.startswith("domes/")} == {f"domes/{label}.glb" for label in labels}
    # and their images beside them
    named = {
        i["uri"] for f in more if f.startswith("domes/") for i in read_json(files[f])["images"]
    }
    assert all(f.startswith(("domes/", "images/")) for f in more)
    assert {f"../{f}" for f in more if f.startswith("images/")} <= named
    assert all(files[f] == plain[f] for f in plain if f != "manifest.json")
    for label in labels:
        doc = read_json(files[f"domes/{label}.glb"])
        (material,) = doc["materials"]
        assert material["extras"]["dome"]["grid"] == GRID
        assert "normalTexture" not in material, "its normals are not what the format means"
        assert {"normalTexture", "depthTexture"} <= set(material["extras"])


def test_what_shows_little_sky_is_darker_in_the_pictures() -> None:
    mesh, materials, albedo, _ = balls()
    wind = np.full((mesh.vertices, 4), 255, np.uint8)
    open_ = drawn(make_dome(replace(mesh, wind=wind), materials, albedo, "a")[1])[0]
    wind[:, 3] = 40
    shut = drawn(make_dome(replace(mesh, wind=wind), materials, albedo, "b")[1])[0]
    solid = open_.albedo[..., 3] == 255
    assert shut.albedo[solid][:, :3].mean() < 0.85 * open_.albedo[solid][:, :3].mean()
    assert (shut.albedo[..., 3] == open_.albedo[..., 3]).all()
