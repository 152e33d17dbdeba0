"""Skins over what stands in each other: closed, near their source, never through themselves, whatever is fused."""

from __future__ import annotations

from typing import Any

import manifold3d
import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from shapely import STRtree, box

from plough.core.arrays import Float64, Int64
from plough.core.build import fused as kind_module
from plough.core.build.fused import MOST_CELLS
from plough.core.errors import Superseded, TooLargeError
from plough.core.kinds import make
from plough.core.mesh import fuse
from plough.core.mesh.checks import is_watertight
from plough.core.mesh.crossing import crossing
from plough.core.mesh.fuse import FuseRule, Skin, fused
from plough.core.mesh.voxels import band, grid_about, inside_votes
from plough.core.progress import telling
from tests.depth import examples, some

Corners = Float64  # (t, 3, 3)


def ball(radius: float = 0.5, at: Any = (0, 0, 0), finer: int = 3) -> trimesh.Trimesh:
    made = trimesh.creation.icosphere(subdivisions=finer, radius=radius)
    made.apply_translation(at)
    return made


def block(size: Any, at: Any = (0, 0, 0), turn: float = 0.0) -> trimesh.Trimesh:
    made = trimesh.creation.box(size)
    if turn:
        made.apply_transform(trimesh.transformations.rotation_matrix(turn, (1, 2, 3)))
    made.apply_translation(at)
    return made


def corners(*meshes: trimesh.Trimesh) -> Corners:
    return np.concatenate([np.asarray(m.triangles, np.float64) for m in meshes])


def rule(cell: float = 0.03, **changes: Any) -> FuseRule:
    plain = {"grow": 0.0, "thin": False, "smooth": 0, "sharp": 180.0, "flat": 0.0, "triangles": 0}
    return FuseRule(cell, **(plain | changes))


def loose(rng: np.random.Generator, count: int = 60) -> Corners:
    """Triangles that hang together nowhere."""
    middle = rng.uniform(-0.5, 0.5, (count, 1, 3))
    return np.asarray(middle + rng.normal(0, 0.16, (count, 3, 3)))


_LID = block((1, 0.6, 0.8))
SOURCES: dict[str, Corners] = {
    "ball and block": corners(ball(), block((0.6, 1.2, 0.3), (0.3, 0.2, 0.1), 0.4)),
    "block": corners(block((1, 0.5, 0.7), turn=0.3)),
    "block along the grid": corners(block((1, 0.5, 0.75))),
    "apart": corners(ball(0.3), ball(0.25, (0.9, 0, 0))),
    "open box": np.asarray(_LID.triangles[np.abs(_LID.face_normals[:, 1] - 1) > 0.1], np.float64),
    "plate": corners(block((1, 0.004, 0.7))),
    "sheet": np.asarray(block((1, 0.3, 0.7)).triangles[:2], np.float64),
    "ring": corners(trimesh.creation.torus(0.4, 0.12, major_sections=32, minor_sections=16)),
    "loose": loose(np.random.default_rng(5)),
    "two the same": corners(ball(), ball()),
    "inside out": corners(block((1, 0.5, 0.7)))[:, ::-1],
}
SOLID = {"ball and block", "block", "block along the grid", "apart", "ring", "two the same"}
RULES: dict[str, dict[str, Any]] = {
    "plain": {"thin": True},
    "grown": {"grow": 0.06, "thin": True, "sharp": 40.0},
    "smooth": {"thin": True, "smooth": 6},
    "thinned": {"thin": True, "sharp": 40.0, "flat": 0.7},
    "few": {"thin": True, "sharp": 40.0, "flat": 0.4, "triangles": 500},
}


def away(points: Float64, triangles: Corners) -> Float64:
    """(p,) metres from points to the nearest of triangles, one by one."""
    out = np.full(len(points), np.inf)
    for t in triangles:
        near = trimesh.triangles.closest_point(np.broadcast_to(t, (len(points), 3, 3)), points)
        out = np.minimum(out, np.linalg.norm(near - points, axis=1))
    return out


def through(points: Float64, faces: Int64) -> int:
    """How many edges go through a triangle that they have no point in common with: every pair whose boxes meet."""
    edges = np.unique(
        np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1),
        axis=0,
    )
    own, side = points[faces], points[edges]
    tree = STRtree(box(*own[..., [0, 2]].min(axis=1).T, *own[..., [0, 2]].max(axis=1).T))
    e, f = tree.query(box(*side[..., [0, 2]].min(axis=1).T, *side[..., [0, 2]].max(axis=1).T))
    low, high = (
        np.maximum(side[e, :, 1].min(1), own[f, :, 1].min(1)),
        np.minimum(side[e, :, 1].max(1), own[f, :, 1].max(1)),
    )
    alone = (edges[e][:, :, None] != faces[f][:, None, :]).all(axis=(1, 2))
    rows = (low <= high) & alone
    e, f = e[rows], f[rows]
    a, b, c = own[f].transpose(1, 0, 2)
    p, q = side[e].transpose(1, 0, 2)

    def volume(*tips: Float64) -> Float64:
        return np.einsum(
            "ij,ij->i", tips[0] - tips[3], np.cross(tips[1] - tips[3], tips[2] - tips[3])
        )

    ends = np.stack([volume(a, b, c, p), volume(a, b, c, q)])
    around = np.stack([volume(p, q, a, b), volume(p, q, b, c), volume(p, q, c, a)])
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    pierced = (ends[0] * ends[1] < 0) & (np.abs(ends).min(axis=0) > 1e-9 * area)
    pierced &= (around > 0).all(axis=0) | (around < 0).all(axis=0)
    return int(pierced.sum())


def skin_of(source: str, **changes: Any) -> Skin:
    made = fused(SOURCES[source], rule(**changes))
    assert made is not None
    return made


def mesh_of(skin: Skin) -> trimesh.Trimesh:
    return trimesh.Trimesh(skin.points, skin.faces, process=False)


# each way over what is hardest, and over every source two of them
PAIRS = [
    (source, way)
    for s, source in enumerate(SOURCES)
    for w, way in enumerate(RULES)
    if source in ("ball and block", "loose") or (w - 2 * s) % len(RULES) < 2
]


@pytest.mark.parametrize(("source", "way"), some(PAIRS, 7))
def test_a_skin_is_closed_near_its_source_and_does_not_cross_itself(source: str, way: str) -> None:
    changes = RULES[way]
    skin = skin_of(source, **changes)
    mesh = mesh_of(skin)
    assert mesh.is_watertight and mesh.is_winding_consistent and mesh.volume > 0
    assert through(skin.points, skin.faces) == 0
    spots = np.concatenate([skin.points, mesh.triangles_center])
    far = away(spots[:: max(1, len(spots) // 3000)], SOURCES[source])
    assert far.max() <= skin.greatest * 1.001 + 1e-6, "as far as it says, at most"
    if way != "few":
        solid = source in SOLID and not changes.get("smooth")
        assert (
            skin.greatest <= max(changes.get("grow", 0.0), 0.9 * 0.03) + (1 if solid else 4) * 0.03
        )
    assert skin.mean <= skin.greatest
    if "triangles" in changes:
        assert len(skin.faces) <= 2 * changes["triangles"] or source == "loose"


def test_the_volume_is_that_of_the_union() -> None:
    a, b = ball(finer=4), block((0.6, 1.2, 0.3), (0.3, 0.2, 0.1), 0.4)
    whole = [
        manifold3d.Manifold(
            manifold3d.Mesh(np.asarray(m.vertices, np.float32), np.asarray(m.faces, np.uint32))
        )
        for m in (a, b)
    ]
    union = (whole[0] + whole[1]).volume()
    for changes in ({}, {"thin": True, "sharp": 40.0}, {"grow": 0.02, "thin": True, "flat": 0.5}):
        skin = fused(corners(a, b), rule(0.02, **changes))
        assert skin is not None
        assert mesh_of(skin).volume == pytest.approx(union, rel=0.01)
        assert len(mesh_of(skin).split(only_watertight=False)) == 1, "nothing is left inside"


def test_a_gap_closes_where_it_is_no_wider_than_twice_what_it_grows_by() -> None:
    pair = corners(block((0.5, 0.5, 0.5), (-0.27, 0, 0)), block((0.5, 0.5, 0.5), (0.27, 0, 0)))
    for grow, bodies in ((0.0, 2), (0.03, 1)):
        skin = fused(pair, rule(0.02, grow=grow))
        assert skin is not None
        assert len(mesh_of(skin).split(only_watertight=False)) == bodies
    assert skin.greatest < 0.03, "it is pulled back but in the gap"


def test_thin_parts_are_kept_or_dropped() -> None:
    assert fused(SOURCES["plate"], rule()) is None
    kept = skin_of("plate", thin=True)
    assert np.ptp(kept.points, axis=0) == pytest.approx([1, 0.004, 0.7], abs=0.03)
    assert fused(SOURCES["sheet"], rule()) is None, "a sheet has no inside"


def test_edges_are_sharp_where_it_is_asked_for() -> None:
    tips = np.unique(SOURCES["block"].reshape(-1, 3).round(9), axis=0)
    off = {}
    for sharp in (180.0, 40.0):
        skin = skin_of("block", sharp=sharp)
        off[sharp] = np.linalg.norm(tips[:, None] - skin.points[None], axis=2).min(axis=1)
    assert off[40.0].mean() < 0.3 * off[180.0].mean()
    assert off[40.0].max() < 0.3 * 0.03


def test_flat_parts_take_fewer_triangles_and_stay_flat() -> None:
    whole, less = (skin_of("block", sharp=40.0, flat=f) for f in (0.0, 0.6))
    assert len(less.faces) < 0.2 * len(whole.faces)
    assert less.greatest < whole.greatest + 0.03 * 0.05


def test_smoothing_takes_off_what_is_rough() -> None:
    rng = np.random.default_rng(2)
    lump = ball(finer=4)
    lump.vertices *= 1 + rng.normal(0, 0.01, (len(lump.vertices), 1))
    bent = []
    for smooth in (0, 10):
        skin = fused(corners(lump), rule(0.025, smooth=smooth))
        assert skin is not None
        bent.append(float(np.abs(mesh_of(skin).face_adjacency_angles).mean()))
        assert mesh_of(skin).volume == pytest.approx(lump.volume, rel=0.02), "nor does it shrink"
    assert bent[1] < 0.6 * bent[0]


def test_distances_and_insides_are_those_that_are_reckoned_one_by_one() -> None:
    triangles = SOURCES["ball and block"]
    grid = grid_about(
        triangles.reshape(-1, 3).min(axis=0), triangles.reshape(-1, 3).max(axis=0), 0.1, 0.2
    )
    found = band(triangles, grid, 0.22)
    at = np.stack(np.meshgrid(*(np.arange(n) for n in grid.shape), indexing="ij"), axis=-1)
    places = (grid.origin + at * grid.cell).reshape(-1, 3)
    true = away(places, triangles)
    told = np.sqrt(found.away.reshape(-1).astype(np.float64))
    near = true < 0.219
    assert np.abs(told - true)[near].max() < 1e-5
    assert (found.nearest.reshape(-1)[~near & (true > 0.221)] == -1).all()
    solid = ball(finer=3).contains(places) | block((0.6, 1.2, 0.3), (0.3, 0.2, 0.1), 0.4).contains(
        places
    )
    clear = true > 1e-4
    votes = inside_votes(triangles, grid).reshape(-1)
    assert ((votes >= 4) == solid)[clear].all()


@given(st.integers(0, 2**32 - 1))
@settings(max_examples=examples(30), deadline=None)
def test_crossings_are_those_that_every_pair_shows(seed: int) -> None:
    triangles = loose(np.random.default_rng(seed), 24)
    points, faces = triangles.reshape(-1, 3), np.arange(72).reshape(-1, 3)
    told = crossing(points, faces)
    for k in range(24):
        others = np.delete(np.arange(24), k)
        alone = any(through(points, faces[[k, j]]) for j in others)
        assert told[k] == alone


def test_what_only_touches_does_not_cross() -> None:
    mesh = trimesh.creation.box((1, 1, 1)).subdivide().subdivide()
    assert not crossing(np.asarray(mesh.vertices), np.asarray(mesh.faces, np.int64)).any()
    both = trimesh.util.concatenate([mesh, mesh.copy().apply_translation((0.4, 0.31, 0.27))])
    assert crossing(np.asarray(both.vertices), np.asarray(both.faces, np.int64)).sum() > 20


ROCK = {"kind": "rock", "version": 1, "parameters": {"triangles": 400}}
POST = {"kind": "vessel", "version": 1, "parameters": {}}
PARTS = [
    {"id": "a", "asset": "r", "lent": ROCK},
    {
        "id": "b",
        "asset": "r",
        "seed": 4,
        "at": [0.7, 0.1, 0.2],
        "turn": 40,
        "size": 0.3,
        "lent": ROCK,
    },
    {"id": "c", "asset": "v", "at": [0.3, 0.3, 0.1], "lent": POST},
]


def product(detail: int = 0, **changes: Any) -> Any:
    return make("fused", {"parts": PARTS, "steps": "coarse", **changes}, 1, detail)


def test_the_parts_of_an_asset_become_one_body_with_their_materials() -> None:
    made = product()
    assert is_watertight(made.mesh)
    assert {x.material for x in made.mesh.parts} == {"r stone", "v skin"}
    parts = [make("group", {"parts": [p]}, 1).mesh for p in PARTS]
    low = np.min([m.positions.min(axis=0) for m in parts], axis=0)
    high = np.max([m.positions.max(axis=0) for m in parts], axis=0)
    cell = made.measures["cell"]
    assert np.abs(made.mesh.positions.min(axis=0) - low).max() < cell
    assert np.abs(made.mesh.positions.max(axis=0) - high).max() < cell
    assert made.measures["greatest"] < 3 * cell
    assert made.mesh.masks[:, 0].max() == 255, "where it is the farthest from its parts"
    # what is near a part has its material
    vessel = parts[2].positions.astype(np.float64)
    for part in made.mesh.parts:
        spots = made.mesh.positions[made.mesh.indices[part.first : part.first + part.count]].mean(1)
        near = np.array([np.linalg.norm(vessel - s, axis=1).min() for s in spots[::20]])
        # and no tint of another
        used = np.unique(made.mesh.indices[part.first : part.first + part.count])
        own = np.concatenate(
            [m.tint for m in parts if part.material in {x.material for x in m.parts}]
        )
        tints = made.mesh.tint[used]
        assert (tints >= own.min(axis=0)).all() and (tints <= own.max(axis=0)).all()
        if part.material == "v skin":
            assert np.quantile(near, 0.9) < 3 * cell


def test_each_part_by_itself_gets_as_much_as_a_large_one() -> None:
    whole, each = product(flat=0, sharp=180), product(flat=0, sharp=180, each=True)
    assert whole.counts["skins"] == 1 and each.counts["skins"] == 3
    small = [
        make("fused", {"parts": [p], "steps": "coarse", "flat": 0, "sharp": 180}, 1) for p in PARTS
    ]
    assert each.mesh.triangles == sum(s.mesh.triangles for s in small)
    assert small[1].mesh.triangles == pytest.approx(small[0].mesh.triangles, rel=0.5)


def test_farther_levels_have_fewer_triangles_and_none_is_made_twice() -> None:
    counts = [product(d).mesh.triangles for d in range(3)]
    assert counts[0] > 2 * counts[1] > 2 * counts[2]
    misses = kind_module._skins.misses
    product(1, game={"density": 900})
    assert kind_module._skins.misses == misses, "what only the game asks for makes no other skin"


def test_the_same_parts_give_the_same_bytes() -> None:
    first = product()
    kind_module._skins = type(kind_module._skins)(1)
    again = product()
    for name in ("positions", "normals", "uv0", "indices", "colors", "masks"):
        assert np.array_equal(getattr(first.mesh, name), getattr(again.mesh, name)), name


def test_too_fine_a_grid_is_refused_before_the_work(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(fuse, "band", lambda *_: pytest.fail("the grid was begun"))
    with pytest.raises(TooLargeError, match=f"limit is {MOST_CELLS} and") as caught:
        product(steps="own", cell=0.1)
    assert caught.value.field == "cell" and "cm wide or more" in str(caught.value)
    monkeypatch.setattr(kind_module, "MOST_SOURCE", 500)
    with pytest.raises(TooLargeError, match="triangles") as caught:
        product(smooth=1)
    assert caught.value.field == "parts"


@pytest.mark.parametrize("steps", ["coarse", "medium", "fine"])
def test_no_step_is_too_fine_whatever_its_form(steps: str) -> None:
    """What a person only chooses is never refused by a limit on cells that they did not set."""
    p = kind_module.FusedParameters.model_validate({"steps": steps, "grow": 3})
    for size in ((1, 1, 1), (40, 40, 40), (30, 2, 0.1), (0.05, 0.05, 0.05)):
        triangles = corners(block(size))
        n = len(triangles)
        source = kind_module._Source(
            triangles,
            np.zeros(n, np.int64),
            triangles,
            np.zeros((n, 4), np.uint8),
            np.ones(1),
            ("s",),
        )
        assert kind_module._rule(p, source, 1.0).cell == pytest.approx(
            max(size) / kind_module._STEPS[steps]
        )


def test_it_tells_how_far_it_is_and_can_be_stopped() -> None:
    told: list[tuple[float, str]] = []
    with telling(lambda share, words, *_: told.append((share, words))):
        product(smooth=3)
    shares = [s for s, _ in told]
    assert shares == sorted(shares) and shares[0] >= 0 and shares[-1] <= 1
    assert len({w for _, w in told}) >= 5

    def stop(share: float, *_: Any) -> None:
        if share > 0.4:
            raise Superseded("enough")

    with telling(stop), pytest.raises(Superseded):
        product(smooth=4)
    assert product(smooth=4).mesh.triangles > 100, "and be begun again"


@given(
    st.integers(0, 2**32 - 1),
    st.fixed_dictionaries(
        {
            "grow": st.floats(0, 0.1),
            "thin": st.booleans(),
            "smooth": st.integers(0, 5),
            "sharp": st.floats(10, 180),
            "flat": st.floats(0, 1),
            "triangles": st.sampled_from([0, 60, 900]),
        }
    ),
)
@settings(max_examples=examples(12), deadline=None, suppress_health_check=[HealthCheck.too_slow])
def test_any_bodies_and_any_rule_give_a_sound_skin(seed: int, changes: dict[str, Any]) -> None:
    rng = np.random.default_rng(seed)
    bodies = []
    for _ in range(int(rng.integers(1, 5))):
        at = rng.uniform(-0.5, 0.5, 3)
        if rng.random() < 0.5:
            bodies.append(ball(float(rng.uniform(0.05, 0.5)), at, 2))
        else:
            bodies.append(block(rng.uniform(0.01, 0.8, 3), at, float(rng.uniform(0, 3))))
    skin = fused(corners(*bodies), rule(0.06, **changes))
    if skin is None:
        assert not changes["thin"]
        return
    assert mesh_of(skin).is_watertight and mesh_of(skin).is_winding_consistent
    assert through(skin.points, skin.faces) == 0
    if changes["triangles"] != 60:  # so few may not reach into all corners
        assert skin.greatest <= changes["grow"] + 0.24
