"""Trees and tufts: sound for any parameters, stable under every count."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from plough.core.build.weave import Weave
from plough.core.errors import ParameterError, TooLargeError
from plough.core.grow import tree
from plough.core.grow.age import aged
from plough.core.grow.bark import Bark
from plough.core.grow.habit import TreeParameters
from plough.core.grow.lamina import LeafParameters
from plough.core.grow.skeleton import NextOrder, Order, grow_branches
from plough.core.grow.sprig import Sprig
from plough.core.grow.tree import assemble, grow
from plough.core.grow.wood import MOST_TRIANGLES
from plough.core.kinds import all_kinds
from plough.core.mesh.checks import problems
from plough.core.mesh.silhouette import difference, silhouettes
from plough.core.parameters import build, describe, with_values
from plough.core.presets import all_presets, preset
from tests.depth import examples
from tests.models import make


def strategy(row: dict[str, Any]) -> st.SearchStrategy[Any] | None:
    """Any value that the parameter's limits allow."""
    low, high = row.low, row.high
    match row.control:
        case "slider":
            return st.floats(low, high, allow_nan=False)
        case "count":
            # the greatest counts of all orders together are refused; half of them are tried here
            return st.integers(int(low), max(int(low), int(high) // 4))
        case "flag":
            return st.booleans()
        case "choice":
            return st.sampled_from(list(row.options))
    return None


def recipes(kind: str) -> st.SearchStrategy[dict[str, Any]]:
    rows = [(r.path, strategy(r)) for r in describe(all_kinds()[kind].parameters)]
    return st.fixed_dictionaries({}, optional={path: s for path, s in rows if s is not None})


@pytest.mark.parametrize("kind", sorted(all_kinds()))
def test_any_valid_parameters_give_a_sound_mesh_or_a_clear_refusal(kind: str) -> None:
    @given(recipe=recipes(kind), seed=st.integers(0, 2**32 - 1), detail=st.integers(0, 2))
    @settings(
        max_examples=examples(15) if all_kinds()[kind].slow else examples(60),
        deadline=None,
        suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
    )
    def check(recipe: dict[str, Any], seed: int, detail: int) -> None:
        try:
            product = make(kind, with_values({}, recipe), seed, detail)
        except TooLargeError as error:
            assert "limit" in str(error)
            return
        assert problems(product.mesh, least_area=0.0) == []
        assert 0 < product.mesh.triangles <= MOST_TRIANGLES
        assert product.height > 0
        assert set(product.materials) >= {part.material for part in product.mesh.parts}

    check()


@pytest.mark.parametrize("kind", sorted(all_kinds()))
def test_the_same_bytes_on_a_second_run(kind: str) -> None:
    a, b = make(kind, {}, 5).mesh, make(kind, {}, 5).mesh
    for name in ("positions", "normals", "uv0", "indices", "colors", "wind"):
        one, other = getattr(a, name), getattr(b, name)
        assert (one is None) == (other is None)
        assert one is None or one.tobytes() == other.tobytes()
    differs = not np.array_equal(a.positions, make(kind, {}, 6).mesh.positions)
    assert differs == all_kinds()[kind].seeded


def orders(**settings: Any) -> list[Order]:
    base = {"second.count": 5, "third.count": 2, **settings}
    return grow(build(TreeParameters, with_values({}, base)), 11)


def kept(less: Order, more: Order) -> bool:
    """Whether every branch of `less` stands in `more`, bit for bit."""
    row = {int(i): k for k, i in enumerate(more.ids)}
    if not all(int(i) in row for i in less.ids):
        return False
    rows = [row[int(i)] for i in less.ids]
    return (
        more.points[rows].tobytes() == less.points.tobytes()
        and more.radius[rows].tobytes() == less.radius.tobytes()
    )


@given(
    a=st.integers(1, 40), b=st.integers(1, 40), order=st.sampled_from(["first", "second", "third"])
)
@settings(max_examples=examples(40), deadline=None)
def test_more_branches_leave_the_others_bit_for_bit(a: int, b: int, order: str) -> None:
    less, more = orders(**{f"{order}.count": min(a, b)}), orders(**{f"{order}.count": max(a, b)})
    for k in range(4):
        assert kept(less[k], more[k])


@given(stems=st.integers(1, 11))
@settings(max_examples=examples(11), deadline=None)
def test_more_stems_leave_the_others(stems: int) -> None:
    less, more = orders(stems=stems), orders(stems=stems + 1)
    assert all(kept(a, b) for a, b in zip(less, more, strict=True))


def card_rows(mesh: Any) -> set[bytes]:
    part = next(p for p in mesh.parts if p.material == "leaf")
    first = int(mesh.indices[part.first : part.first + part.count].min())
    return {mesh.positions[k : k + 6].tobytes() for k in range(first, mesh.vertices, 6)}


def wood_bytes(mesh: Any) -> bytes:
    part = next(p for p in mesh.parts if p.material == "bark")
    return bytes(mesh.positions[: int(mesh.indices[: part.count].max()) + 1].tobytes())


def test_more_leaves_keep_wood_and_leaves() -> None:
    few, many = (make("tree", {"leaf_count": n}, 4).mesh for n in (2.0, 5.0))
    assert card_rows(few) < card_rows(many)
    assert wood_bytes(few) == wood_bytes(many)


def test_the_leaf_seed_leaves_the_wood_untouched() -> None:
    a, b = make("tree", {"leaf_seed": 1}, 4).mesh, make("tree", {"leaf_seed": 2}, 4).mesh
    assert wood_bytes(a) == wood_bytes(b)
    assert card_rows(a).isdisjoint(card_rows(b))


def test_more_blades_keep_the_others() -> None:
    few, many = make("tuft", {"blades": 30}, 2).mesh, make("tuft", {"blades": 50}, 2).mesh
    assert many.positions[: few.vertices].tobytes() == few.positions.tobytes()


@given(a=st.integers(2, 120), b=st.integers(2, 120))
@settings(max_examples=examples(20), deadline=None)
def test_denser_shrubs_keep_their_twigs(a: int, b: int) -> None:
    from plough.core.grow.shrub_habit import ShrubParameters
    from plough.core.grow.shrub_skeleton import skeleton

    less, more = (
        skeleton(build(ShrubParameters, {"density": n}), 3)[0] for n in (min(a, b), max(a, b))
    )
    assert all(kept(x, y) for x, y in zip(less, more, strict=True))


@pytest.mark.parametrize("body", ["ball", "box", "tube", "hedge"])
def test_twigs_of_a_clipped_shrub_end_within_its_body(body: str) -> None:
    from plough.core.grow.shrub_body import body_of
    from plough.core.grow.shrub_habit import ShrubParameters
    from plough.core.grow.shrub_skeleton import skeleton

    p = build(ShrubParameters, {"body": body, "growth": "clipped", "uneven": 0})
    grid = body_of(p, 2).grid
    low, high = grid.min(axis=(0, 1)), grid.max(axis=(0, 1))
    tips = skeleton(p, 2)[0][2].points[:, -1]
    assert (tips >= low - 0.02).all()
    assert (tips <= high + 0.02).all()
    assert tips[:, 1].max() > 0.85 * p.height, "it is filled to the top"


def test_twigs_and_branches_of_a_shrub_leave_from_their_parents() -> None:
    from plough.core.grow.shrub_habit import ShrubParameters
    from plough.core.grow.shrub_skeleton import skeleton

    grown = skeleton(ShrubParameters(), 6)[0]
    for parents, branches in zip(grown, grown[1:], strict=False):
        for base, parent in zip(branches.points[::7, 0], branches.parent[::7], strict=True):
            a, b = parents.points[parent][:-1], parents.points[parent][1:]
            t = np.clip(((base - a) * (b - a)).sum(axis=1) / ((b - a) ** 2).sum(axis=1), 0, 1)
            assert np.linalg.norm(a + t[:, None] * (b - a) - base, axis=1).min() < 2e-3


def test_more_leaves_of_a_plant_keep_the_others() -> None:
    few, many = (
        make(
            "plant", {"low": {"leaves": n}, "middle": {"leaves": 0}, "stems": 1, "head": "none"}, 4
        ).mesh
        for n in (5, 9)
    )
    rows = few.vertices  # the stem, then leaf after leaf
    assert many.positions[:rows].tobytes() == few.positions.tobytes()


@pytest.mark.parametrize("head", ["rays", "bell", "umbel", "spike", "globe", "plume"])
def test_heads_sit_on_stems_and_grow_with_their_size(head: str) -> None:
    def at(size: float) -> Any:
        product = make(
            "plant",
            {
                "head": head,
                "head_size": size,
                "heads": 1,
                "stems": 1,
                "low": {"leaves": 0},
                "middle": {"leaves": 0},
            },
            3,
        )
        part = next(p for p in product.mesh.parts if p.material == "head")
        rows = product.mesh.positions[
            product.mesh.indices[part.first : part.first + part.count].ravel()
        ]
        stem = product.mesh.positions[: int(product.mesh.indices[: part.first].max()) + 1]
        return rows, stem[np.argmax(stem[:, 1])]

    (small, tip), (large, _) = at(4), at(12)
    assert np.linalg.norm(small - tip, axis=1).min() < 0.01, "it sits on the stem"
    extent = [np.linalg.norm(r.max(axis=0) - r.min(axis=0)) for r in (small, large)]
    assert extent[1] == pytest.approx(3 * extent[0], rel=0.05)
    assert extent[0] < 0.12


def test_branches_leave_from_inside_their_parent_and_are_thinner() -> None:
    grown = orders()
    for parents, branches in zip(grown, grown[1:], strict=False):
        for base, radius, parent in zip(
            branches.points[:, 0], branches.radius[:, -1], branches.parent, strict=True
        ):
            line, thick = parents.points[parent], parents.radius[parent]
            a, b = line[:-1], line[1:]
            t = np.clip(((base - a) * (b - a)).sum(axis=1) / ((b - a) ** 2).sum(axis=1), 0, 1)
            d = np.linalg.norm(a + t[:, None] * (b - a) - base, axis=1)
            k = int(d.argmin())
            assert d[k] < 1e-3, "a limb begins on its parent's axis: no gap"
            assert radius <= thick[k] * 1.4 + 0.005


def test_radii_never_grow_towards_the_tip_beyond_the_collar() -> None:
    for order in orders():
        assert (np.diff(order.radius, axis=1) <= 1e-6).all()
        assert (order.radius > 0).all()


def test_leaves_hang_on_twigs() -> None:
    p = build(TreeParameters, {"twigs": True})
    mesh = make("tree", {}, 3).mesh
    part = next(x for x in mesh.parts if x.material == "leaf")
    first = int(mesh.indices[part.first : part.first + part.count].min())
    foot = (
        mesh.positions[first::6] * 0.5 + mesh.positions[first + 2 :: 6] * 0.5
    )  # between the lower corners
    middle = mesh.positions[first + 1 :: 6]
    grown = grow(p, 3)
    twigs = np.concatenate(
        [np.linspace(o.points[:, :-1], o.points[:, 1:], 6).reshape(-1, 3) for o in grown[2:]]
    )
    from scipy.spatial import cKDTree

    distance, _ = cKDTree(twigs).query(middle)
    assert distance.max() < 0.12, "no leaf hangs in the air"
    assert np.linalg.norm(foot - middle, axis=1).max() < 0.2


def test_levels_of_detail_are_lighter_and_of_the_same_size() -> None:
    near, middle, far = (make("tree", {}, 9, d) for d in range(3))
    assert near.mesh.triangles > 2 * middle.mesh.triangles > 6 * far.mesh.triangles
    for level in (middle, far):
        assert level.height == pytest.approx(near.height, rel=0.12)
        assert level.canopy_radius == pytest.approx(near.canopy_radius, rel=0.25)


def test_leaf_normals_are_crown_shaped() -> None:
    mesh = make("tree", {"leaf_normals": 1}, 3).mesh
    part = next(x for x in mesh.parts if x.material == "leaf")
    first = int(mesh.indices[part.first : part.first + part.count].min())
    out = mesh.positions[first:] * np.array([1, 0, 1], np.float32)
    outward = np.einsum("ij,ij->i", out, mesh.normals[first:]) > 0
    assert outward.mean() > 0.95


STYLES = ("furrowed", "plated", "smooth", "peeling")


@pytest.mark.parametrize("style", STYLES)
def test_bark_repeats_without_a_seam(style: str) -> None:
    maps = Bark(style, 1, 128, (0.5, 0.5, 0.4), (0.2, 0.2, 0.2), 0.8, 6, 0.3).draw()
    for drawn in (maps.albedo[..., :3], maps.normal, maps.surface):
        assert drawn is not None
        image = drawn.astype(float)
        for axis in (0, 1):
            inside = np.abs(np.diff(image, axis=axis)).mean()
            seam = np.abs(np.take(image, 0, axis) - np.take(image, -1, axis)).mean()
            assert seam < 3 * inside + 0.5


def test_styles_of_bark_differ() -> None:
    drawn = [
        Bark(s, 1, 64, (0.5, 0.5, 0.4), (0.2, 0.2, 0.2), 0.8, 6, 0.0).draw().albedo.tobytes()
        for s in STYLES
    ]
    assert len(set(drawn)) == len(STYLES)


def test_a_sprig_has_leaves_with_alpha_and_no_dark_fringe() -> None:
    maps = Sprig(LeafParameters(), 128, 14, 2, 0.3, 1.0, 0.4, (0.2, 0.2, 0.2)).draw()
    alpha = maps.albedo[..., 3]
    assert 0.12 < (alpha > 127).mean() < 0.75
    leaf, edge = alpha > 250, (alpha > 10) & (alpha < 120)
    brightness = maps.albedo[..., :3].astype(float).sum(axis=-1)
    assert brightness[edge].mean() > 0.7 * brightness[leaf].mean()


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"height": 900}, "height"),
        ({"height": float("nan")}, "height"),
        ({"heigth": 5}, "heigth"),
        ({"first": {"count": -1}}, "first.count"),
        ({"first": {"profile": [[0.5, 1], [0.2, 1]]}}, "first.profile"),
        ({"bark_light": "green"}, "bark_light"),
        ({"stems": 2.5}, "stems"),
    ],
)
def test_bad_values_name_the_field(values: dict[str, Any], field: str) -> None:
    with pytest.raises(ParameterError) as caught:
        make("tree", values, 1)
    assert caught.value.field.startswith(field)
    assert str(caught.value).startswith(caught.value.field)


def test_a_monster_is_refused_before_it_is_made(monkeypatch: pytest.MonkeyPatch) -> None:
    grown: list[int] = []

    def recording(seed: int, parents: Order, following: NextOrder) -> Order:
        order = grow_branches(seed, parents, following)
        grown.append(order.count)
        return order

    monkeypatch.setattr(tree, "grow_branches", recording)
    monkeypatch.setattr(tree, "wood_mesh", lambda *_a, **_k: pytest.fail("wood was made"))
    many = {"count": 120}
    with pytest.raises(TooLargeError, match="limit") as caught:
        make("tree", {"stems": 12, "first": many, "second": many, "third": many}, 1)
    assert caught.value.field == "second.count", "the order that is too much, and no later one"
    assert len(grown) == 1, "the first order is within the limit; the second never began"
    assert grown[0] <= tree.MOST_BRANCHES


@pytest.mark.parametrize("name", [p.name for p in all_presets()])
def test_every_preset_is_sound_at_every_level(name: str) -> None:
    p = preset(name)
    for detail in range(3):
        product = make(p.kind, p.parameters, p.seed, detail)
        assert problems(product.mesh, least_area=0.0) == []
        assert sum(n for _, n in product.ranges.values()) in (0, product.mesh.triangles)


@pytest.mark.parametrize("name", [p.name for p in all_presets()])
def test_the_second_levels_silhouette_stays_within_six_per_cent(name: str) -> None:
    p = preset(name)
    near, middle = (make(p.kind, p.parameters, p.seed, detail) for detail in (0, 1))
    albedo = {}
    for slot, material in near.materials.items():
        recipe = material.maps
        if recipe is not None and hasattr(recipe, "size"):
            recipe = replace(recipe, size=128)  # type: ignore[type-var]
        # meshes of a net are finer than a pixel of the silhouette: its outline is what is seen
        whole = recipe is None or (isinstance(recipe, Weave) and recipe.stuff == "net")
        albedo[slot] = np.full((1, 1, 4), 255, np.uint8) if whole else recipe.draw().albedo
    a, b = (silhouettes(q.mesh, q.materials, albedo, near.mesh) for q in (near, middle))
    assert a.mean() > 0.02, "there is a silhouette"
    assert difference(a, b) <= 0.06
    if near.mesh.triangles > 1000:
        assert middle.mesh.triangles < 0.95 * near.mesh.triangles


def test_age_moves_every_vertex_of_a_fixed_topology_without_a_jump() -> None:
    p = build(TreeParameters, {"second": {"count": 4}, "third": {"count": 0}, "leaf_count": 1.5})
    orders = grow(p, 3)

    def at(age: float) -> Any:
        q = p.model_copy(update={"age": age})
        return assemble(q, 3, aged(orders, age, fixed=True), 0, orders)[0]

    ages = np.linspace(0.1, 1.5, 15)
    meshes = [at(float(a)) for a in ages]
    for a, b, age in zip(meshes, meshes[1:], ages, strict=False):
        assert np.array_equal(a.indices, b.indices)
        whole = np.abs(b.positions - a.positions).max()
        part = np.abs(at(float(age) + 0.001).positions - a.positions).max()
        assert part < 0.25 * max(whole, 0.4), (
            "a hundredth of the way moves nothing by a quarter of it"
        )


def test_the_stem_runs_through_the_knots_of_its_guide() -> None:
    guide = [[0.1, 0.3, 0.0], [0.0, 0.6, 0.2], [0.3, 0.9, 0.1]]
    stem = grow(build(TreeParameters, {"guide": guide, "height": 8, "crookedness": 0.8}), 3)[
        0
    ].points[0]
    for knot in np.array(guide) * 8:
        a, b = stem[:-1], stem[1:]
        t = np.clip(((knot - a) * (b - a)).sum(axis=1) / ((b - a) ** 2).sum(axis=1), 0, 1)
        assert np.linalg.norm(a + t[:, None] * (b - a) - knot, axis=1).min() < 0.08
    assert np.linalg.norm(stem[-1] - np.array(guide[-1]) * 8) < 1e-3, "it ends at the last knot"
    with pytest.raises(ParameterError, match="guide"):
        make("tree", {"guide": [[0.1, 0.3, 0.0], [0.1, 0.3, 0.0]]}, 1)


def test_a_young_tree_is_the_same_tree() -> None:
    orders = grow(TreeParameters(), 5)
    young = aged(orders, 0.4)
    for old, new in zip(orders, young, strict=False):
        assert set(new.ids.tolist()) <= set(old.ids.tolist())
    assert young[0].length[0] < 0.8 * orders[0].length[0]


@given(n=st.integers(20, 400), more=st.integers(1, 300))
@settings(max_examples=examples(10), deadline=None)
def test_more_points_of_a_crown_keep_the_others(n: int, more: int) -> None:
    from plough.core.grow.crown import CrownBody, crown_points

    body = CrownBody(np.linspace(1, 0.2, 65).astype(np.float32), 2.0, 8.0, 3.0, 0.5)
    few, many = (crown_points(4, k, body) for k in (n, n + more))
    assert many[:n].tobytes() == few.tobytes()
    assert (few[:, 1] >= 2.0).all() and (few[:, 1] <= 8.0).all()


def test_fullness_thins_and_says_what_it_did() -> None:
    from plough.core.grow.fullness import fit, thinned

    p = TreeParameters()
    counts = {c: make("tree", {"fullness": c}, 4).mesh.triangles for c in (1.0, 0.6, 0.3, 0.1)}
    assert sorted(counts.values(), reverse=True) == list(counts.values())
    changed, changes = thinned(p, 0.3)
    assert {c.path for c in changes} >= {"leaf_count", "leaf_size", "second.count"}
    assert next(c for c in changes if c.path == "leaf_count").after == changed.leaf_count
    area = [q.leaf_count * q.leaf_size**2 for q in (p, changed)]
    assert area[1] == pytest.approx(area[0], rel=0.02), "the leaves keep their area"
    dial, triangles = fit(lambda c: make("tree", {"fullness": c}, 4).mesh.triangles, 9000)
    assert triangles <= 9000 < make("tree", {"fullness": min(1.0, dial + 0.03)}, 4).mesh.triangles
    with pytest.raises(ParameterError, match="barest"):
        fit(lambda c: make("tree", {"fullness": c}, 4).mesh.triangles, 10)


def test_a_part_of_an_order_keeps_the_defaults_of_its_place() -> None:
    p = build(TreeParameters, {"first": {"count": 3}})
    assert p.first == TreeParameters().first.model_copy(update={"count": 3})
