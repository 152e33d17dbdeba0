"""Turned pieces: closed shells turned outwards, as high and as wide as they say, with handles and hoops that hold on."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.kinds import LEVELS, Product, make
from plough.core.mesh.topology import welded_points
from plough.core.mesh.value import Mesh
from plough.core.presets import all_presets
from tests.depth import examples

PRESETS = {p.name: p for p in all_presets() if p.kind == "vessel"}
STRAIGHT = ((0.0, 1.0), (1.0, 1.0))


def shells(mesh: Mesh) -> list[Any]:
    """Its connected bodies, vertices in one place being one, in another library."""
    point, count = welded_points(mesh.positions.astype(np.float64), 1e-4)
    places = np.zeros((count, 3))
    places[point] = mesh.positions
    whole = trimesh.Trimesh(places, point[mesh.indices.astype(np.int64)], process=False)
    return list(whole.split(only_watertight=False))


def piece(name: str = "", detail: int = 0, seed: int = 1, **own: Any) -> Product:
    values = {**PRESETS[name].parameters, **own} if name else own
    return make("vessel", values, seed, detail)


def cut(mesh: Mesh, height: float) -> Any:
    """(n, 2) corners of the lines in which a level plane cuts a mesh, by another library."""
    whole = trimesh.Trimesh(mesh.positions, mesh.indices, process=False)
    lines = trimesh.intersections.mesh_plane(whole, [0, 1, 0], [0, height, 0])
    return np.asarray(lines)[:, :, [0, 2]].reshape(-1, 2)


def knots(draw: st.DrawFn) -> list[list[float]]:
    inner = draw(st.lists(st.floats(0.05, 0.95), max_size=4, unique_by=lambda t: round(t, 2)))
    shares = [0.0, *sorted(inner), 1.0]
    return [[t, draw(st.floats(0, 1))] for t in shares]


@st.composite
def recipes(draw: st.DrawFn) -> dict[str, Any]:
    return {
        "profile": knots(draw),
        "height": draw(st.floats(0.05, 4)),
        "width": draw(st.floats(0.05, 3)),
        "corners": draw(st.sampled_from([0, 3, 4, 8])),
        "wobble": draw(st.floats(0, 1)),
        "lean": draw(st.floats(0, 30)),
        "hollow": draw(st.booleans()),
        "thickness": draw(st.floats(0.1, 30)),
        "lip": draw(st.floats(0, 1)),
        "foot": draw(st.floats(0, 30)),
        "foot_width": draw(st.floats(0.03, 0.8)),
        "handles": draw(st.sampled_from(["none", "one", "two", "basket"])),
        "handle_top": draw(st.floats(0.05, 1)),
        "handle_foot": draw(st.floats(0, 0.95)),
        "handle_reach": draw(st.floats(0.02, 2)),
        "staves": draw(st.sampled_from([0, 1, 2, 7, 18])),
        "hoops": draw(st.integers(0, 8)),
        "hoop_wide": draw(st.floats(0.3, 60)),
        "glaze": draw(st.floats(0, 1)),
    }


@settings(max_examples=examples(60), deadline=None)
@given(recipes(), st.integers(0, 2**32 - 1), st.integers(0, LEVELS - 1))
def test_whatever_is_asked_for_each_shell_is_closed_and_faces_outwards(
    recipe: dict[str, Any], seed: int, detail: int
) -> None:
    mesh = make("vessel", recipe, seed, detail).mesh
    assert np.isfinite(mesh.positions).all() and np.isfinite(mesh.uv0).all()
    found = shells(mesh)
    assert found
    for shell in found:
        assert shell.is_watertight and shell.is_winding_consistent
        assert shell.volume > 0


@pytest.mark.parametrize("name", PRESETS)
def test_presets_are_closed_at_every_level_and_lighter_by_level(name: str) -> None:
    counts = []
    for detail in range(LEVELS):
        mesh = piece(name, detail).mesh
        assert all(s.is_watertight and s.volume > 0 for s in shells(mesh))
        counts.append(mesh.triangles)
    assert counts[0] > counts[1] > counts[2] or counts[0] < 400
    assert counts[0] < 7000


@pytest.mark.parametrize("hollow", [False, True])
def test_it_follows_its_outline(hollow: bool) -> None:
    """The volume of a turned outline, by Pappus' centroid theorem over the drawn knots' own straight lines."""
    own: dict[str, Any] = {"wobble": 0, "foot": 0, "lip": 0, "hollow": hollow, "thickness": 2.0}
    own |= {"height": 1.0, "width": 0.8, "profile": ((0.0, 0.5), (1.0, 1.0))}
    mesh = piece(**own).mesh
    (shell,) = shells(mesh)
    cone = np.pi / 3 * (0.2**2 + 0.2 * 0.4 + 0.4**2)
    if not hollow:
        assert shell.volume == pytest.approx(cone, rel=0.01)
        return
    wall = 0.02 * 2 * np.pi * 0.3 * np.hypot(1, 0.2) + 0.02 * np.pi * 0.2**2
    assert shell.volume == pytest.approx(wall, rel=0.06)
    assert np.ptp(mesh.positions[:, 1]) == pytest.approx(1.0)
    assert np.hypot(mesh.positions[:, 0], mesh.positions[:, 2]).max() == pytest.approx(
        0.4, rel=0.01
    )


@pytest.mark.parametrize("thickness", [0.6, 2.0])
def test_a_wall_is_as_thick_as_it_says(thickness: float) -> None:
    own = {"profile": STRAIGHT, "wobble": 0, "lip": 0, "foot": 0, "thickness": thickness}
    away = np.hypot(*cut(piece(height=0.5, width=1.0, **own).mesh, 0.3).T)
    assert away.max() == pytest.approx(0.25, abs=1e-6)
    assert away.max() - away.min() == pytest.approx(thickness / 100, abs=0.001)


@pytest.mark.parametrize(("handles", "count"), [("none", 0), ("one", 1), ("two", 2), ("basket", 1)])
def test_handles_hold_on_and_do_not_come_through(handles: str, count: int) -> None:
    own: dict[str, Any] = {"profile": STRAIGHT, "wobble": 0, "handle_reach": 0.3, "thickness": 2.0}
    own |= {"height": 0.5, "width": 1.0, "handles": handles, "handle_top": 0.9, "foot": 0}
    found = shells(piece(**own).mesh)
    body = max(found, key=lambda s: s.volume)
    rods = [s for s in found if s is not body]
    assert len(rods) == count
    for shell in rods:
        low = shell.vertices[shell.vertices[:, 1] < 0.5]
        away = np.hypot(low[:, 0], low[:, 2])
        assert away.min() > 0.25 - 0.02, "no end shows inside"
        if handles != "basket":
            assert away.min() < 0.25 and away.max() > 0.25 + 0.3 * 0.5 * 0.8
        else:
            assert shell.vertices[:, 1].max() > 0.5 + 0.12
    sides = np.sign([s.vertices[:, 0].mean() for s in rods])
    assert handles != "two" or sorted(sides) == [-1, 1]


def test_hoops_lie_round_the_staves_which_they_clasp() -> None:
    own: dict[str, Any] = {"staves": 12, "hoops": 3, "hoop_thick": 1.0, "profile": STRAIGHT}
    found = shells(piece(height=1.0, width=0.8, wobble=0, foot=0, **own).mesh)
    body = max(found, key=lambda s: np.ptp(s.vertices[:, 1]))
    hoops = [s for s in found if s is not body]
    assert len(hoops) == 3
    spans = sorted((s.vertices[:, 1].min(), s.vertices[:, 1].max()) for s in hoops)
    assert all(a[1] < b[0] for a, b in zip(spans, spans[1:], strict=False)), "clear of each other"
    for hoop in hoops:
        away = np.hypot(hoop.vertices[:, 0], hoop.vertices[:, 2])
        assert away.max() == pytest.approx(0.41, abs=1e-6)
        assert away.min() < 0.4 - 0.008, "no gap shows at a joint"


def test_joints_part_the_staves() -> None:
    plain, staved = (
        piece(profile=STRAIGHT, height=1, width=0.8, wobble=0, foot=0, lip=0, staves=n, stave_gap=2)
        for n in (0, 10)
    )
    for mesh, joints in ((plain.mesh, 0), (staved.mesh, 10)):
        at = cut(mesh, 0.5)
        away = np.hypot(*at.T)
        deep = at[(away > 0.3795) & (away < 0.3805)]
        assert len({round(float(a), 2) for a in np.arctan2(*deep.T)}) == joints


def test_glaze_ends_where_it_says_and_wear_lies_at_the_lip() -> None:
    bare, glazed = (piece(glaze=g, drips=0.0, height=1.0).mesh for g in (0.0, 0.4))
    assert glazed.masks is not None and bare.masks is not None
    y = glazed.positions[:, 1]
    run = glazed.masks[:, 1] / 255
    assert run[y > 0.66].min() > 0.99 and run[y < 0.59].max() < 0.01
    assert bare.masks[:, 1].max() == 0
    worn = bare.masks[:, 0] / 255
    at = bare.positions[:, 1]
    assert worn[at > 0.98].mean() > 3 * worn[(at > 0.1) & (at < 0.9)].mean()
    dirty = bare.masks[:, 2] / 255
    assert dirty[at < 0.02].mean() > 0.8


def test_it_leans_and_stands_in_the_ground_as_it_says() -> None:
    straight = piece("gate-post", lean=0, buried=0.25).mesh
    assert straight.positions[:, 1].min() == pytest.approx(-0.25 * 1.9)
    leaning = piece("gate-post", lean=20, buried=0.0).mesh
    top = leaning.positions[leaning.positions[:, 1] > 1.7].mean(axis=0)
    assert np.hypot(top[0], top[2]) == pytest.approx(1.85 * np.sin(np.radians(20)), rel=0.06)


@pytest.mark.parametrize("repeat", [0.31, 0.5, 3.0])
def test_the_texture_closes_round_it(repeat: float) -> None:
    """Where its first and its last column meet, whole repeats lie between them."""
    mesh = piece("eel-basket", repeat=repeat, handles="none", hoops=0).mesh
    at, u = mesh.positions.astype(float), mesh.uv0[:, 0].astype(float)
    seam = np.abs(u - u.max()) < 1e-4
    other = np.abs(u - u.min()) < 1e-4
    assert seam.sum() > 20 and other.sum() > 20
    away = np.linalg.norm(at[seam][:, None] - at[other][None], axis=2)
    assert np.quantile(away.min(axis=1), 0.9) < 1e-4, "they are in one place"
    around = u.max() - u.min()
    assert around == pytest.approx(max(1, round(around)), abs=1e-3)
