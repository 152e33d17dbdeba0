"""Products, impostors and facts; what assets lend each other; keys."""

import threading
from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest
from pydantic import Field

from plough.core import kinds
from plough.core.cache import Cache
from plough.core.errors import Superseded
from plough.core.kernels import sources_of
from plough.core.library import Library, resolve, variant_of
from plough.core.library.library import product_bytes, switch_distances
from plough.core.library.references import references
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, Part
from plough.core.parameters import Parameters, number, reference, section
from plough.core.presets import all_presets, preset
from plough.core.scene.document import Asset

TREE = {"texture_size": "128", "height": 5}


def asset(name: str, kind: str, **parameters: Any) -> Asset:
    return Asset(id=name, name=name, kind=kind, parameters=parameters)


def shelf(*assets: Asset) -> dict[str, Asset]:
    return {a.id: a for a in assets}


def test_a_tree_bears_the_leaf_of_another_asset() -> None:
    leaf = asset("broad", "leaf", width=1.1)
    tree = asset("t", "tree", leaf_asset="broad", leaf={"width": 0.3})
    found = resolve(tree, shelf(leaf, tree), "t")
    assert found.parameters["leaf"] == {"width": 1.1}
    assert (found.missing, found.lent) == ((), ("broad",))
    plant = asset("p", "plant", low={"leaf_asset": "gone"})
    found = resolve(plant, shelf(plant), "p")
    assert "leaf" not in found.parameters["low"]
    assert found.missing == ("the leaf 'gone' is missing",)
    wrong = asset("w", "tree", leaf_asset="t")
    assert resolve(wrong, shelf(tree, wrong), "w").missing == ("the leaf 't' is missing",)


class Twig(Parameters):
    """A made-up part that may borrow of its own kind."""

    length: float = number(1, "Length", (0, 9))
    next_asset: str = reference("", "Next", "twig", lends="next")
    next: dict[str, Any] = Field(default_factory=dict)


class Bough(Parameters):
    """A made-up kind that borrows twigs, one of them in a section."""

    twig_asset: str = reference("", "Twig", "twig", lends="twig")
    twig: Twig = section(Twig(), "Twig", "Twig")


@pytest.fixture
def made_up() -> Iterator[None]:
    kinds.all_kinds()
    for name, model in (("twig", Twig), ("bough", Bough)):
        kinds.kind(name, name, name, model)(lambda p, seed, detail: None)  # type: ignore[arg-type, return-value]
    kinds._discovered.cache_clear()
    yield
    for name in ("twig", "bough"):
        del kinds._KINDS[name]
    kinds._discovered.cache_clear()


@pytest.mark.usefixtures("made_up")
def test_what_is_lent_may_borrow_in_turn_to_any_depth() -> None:
    chain = [
        asset(f"t{k}", "twig", length=k, next_asset=f"t{k + 1}" if k < 6 else "") for k in range(7)
    ]
    bough = asset("b", "bough", twig_asset="t0")
    found = resolve(bough, shelf(bough, *chain), "b")
    place = found.parameters["twig"]
    for k in range(7):
        assert place["length"] == k
        place = place.get("next", {})
    assert found.lent == tuple(f"t{k}" for k in range(7))


@pytest.mark.usefixtures("made_up")
def test_a_circle_of_lenders_is_told_and_ends() -> None:
    round_ = [asset(f"t{k}", "twig", next_asset=f"t{(k + 1) % 3}") for k in range(3)]
    found = resolve(round_[0], shelf(*round_), "t0")
    assert found.missing == ("the twig 't0' borrows from itself",)
    alone = asset("t", "twig", next_asset="t")
    assert resolve(alone, shelf(alone), "t").missing == ("the twig 't' borrows from itself",)


@pytest.mark.parametrize("name", kinds.all_kinds())
def test_every_reference_of_a_kind_names_a_kind_and_a_field(name: str) -> None:
    model = kinds.get_kind(name).parameters
    for found in references(model):
        assert found.to in kinds.all_kinds()
        fields: Any = model
        for part in found.field[:-1]:
            fields = type(fields.model_fields[part].default)
        assert found.field[-1] in fields.model_fields


@pytest.mark.parametrize("name", kinds.all_kinds())
def test_a_default_that_is_written_out_is_the_same_variant(name: str) -> None:
    whole = kinds.get_kind(name).parameters().model_dump(mode="json")

    def key(values: Any) -> str:
        return variant_of("a", "A", name, values, 3, {}).key

    assert key({}) == key(whole) == key(dict(list(whole.items())[::2]))
    for path, value in whole.items():
        if isinstance(value, float) and value.is_integer():
            assert key({path: int(value)}) == key({})
            break
    assert variant_of("a", "A", name, {}, 4, {}).key != key({})
    assert variant_of("a", "A", name, {}, 3, {"leaf.albedo": "ab" * 8}).key != key({})


def test_keys_hold_the_code_that_made_what_is_kept() -> None:
    made_of = {p.name for p in sources_of("plough.core.grow.tree")}
    assert {"sweep.py", "rng.py", "bark.py", "occlusion.py", "tree.py"} <= made_of
    assert "bundle.py" not in made_of


@pytest.mark.parametrize(
    "preset",
    [p for p in all_presets() if p.name in ("teasel", "reed", "pear-leaf", "column")],
    ids=lambda p: p.name,
)
def test_facts_are_those_of_the_real_levels(preset: Any) -> None:
    library = Library()
    variant = variant_of("a", "A", preset.kind, preset.parameters, preset.seed, {})
    facts = [library.facts(variant, d) for d in range(library.levels_of(variant))]
    assert not [k for k in library.cache._held if k[0] in ("impostor", "albedo")], (
        "nothing is drawn"
    )
    for fact, level in zip(facts, library.levels(variant), strict=True):
        assert fact.triangles == level.mesh.triangles
        assert fact.bytes == level.mesh.nbytes
        assert fact.slots == max(1, len(level.materials))
    assert library.size(variant) == (level.height, level.canopy_radius)


def test_a_kind_says_how_many_levels_it_makes_and_whether_it_has_an_impostor() -> None:
    def make(p: Parameters, seed: int, detail: int) -> kinds.Product:
        corners = np.eye(3, dtype=np.float32) * (detail + 1)
        uv = np.zeros((3, 2), np.float32)
        mesh = Mesh(corners, corners, uv, np.array([[0, 1, 2]], np.uint32), (Part("a", 0, 1),))
        return kinds.Product(mesh, {"a": Material("a")}, 1, 1, 1)

    kinds.all_kinds()
    kinds.kind("slab", "Slab", "One triangle.", Parameters, levels=2, impostor=False)(make)
    kinds._discovered.cache_clear()
    try:
        library, variant = Library(), variant_of("s", "S", "slab", {}, 1, {})
        assert library.levels_of(variant) == 2
        assert [p.mesh.positions.max() for p in library.levels(variant)] == [1, 2]
        assert len(library.differences(variant)) == 2
    finally:
        del kinds._KINDS["slab"]
        kinds._discovered.cache_clear()


def test_every_levels_silhouette_is_measured() -> None:
    near, middle, far, card = Library().differences(variant_of("t", "t", "tree", TREE, 3, {}))
    assert near == 0.0
    assert 0.0 < middle <= 0.06
    assert middle < far
    assert 0.0 < card < 0.5


def test_growth_impostors_and_silhouettes_can_be_stopped() -> None:
    variant = variant_of("t", "t", "tree", TREE, 3, {})

    def stop() -> None:
        raise Superseded("a newer request")

    for ask in (
        lambda library: library.level(variant, 0, stop),
        lambda library: library.level(variant, 3, stop),
        lambda library: library.facts(variant, 1, stop),
        lambda library: library.differences(variant, stop),
    ):
        with pytest.raises(Superseded):
            ask(Library())


def test_an_impostor_counts_with_its_pictures() -> None:
    library = Library()
    variant = variant_of("t", "t", "tree", TREE, 3, {})
    impostor = library.level(variant, 3)
    maps = impostor.materials["card"].maps
    assert maps is not None
    images = maps.draw()
    drawn = sum(
        i.nbytes
        for i in (images.albedo, images.normal, images.surface, images.depth)
        if i is not None
    )
    assert product_bytes(impostor) >= drawn + impostor.mesh.nbytes > 500_000


@pytest.mark.parametrize("name", [p.name for p in all_presets()][::4])
def test_a_picture_shows_the_whole_of_it_and_of_its_shadow(name: str) -> None:
    p = next(p for p in all_presets() if p.name == name)
    drawn = Library().picture(variant_of("t", "t", p.kind, p.parameters, p.seed, {}), (96, 84))
    paper = drawn[0, 0].astype(int)
    away = np.abs(drawn - paper).sum(axis=-1)
    assert (away > 30).mean() > 0.02, "something is drawn"
    edge = np.concatenate([away[0], away[-1], away[:, 0], away[:, -1]])
    assert edge.max() <= 3, "nothing of it is cut off"
    # tips of grass, and their shadow, are faint
    tall, wide = ((away > 6).any(axis=axis) for axis in (1, 0))
    assert max(tall.mean(), wide.mean()) > 0.75, "it fills its picture"


def test_what_lies_flat_keeps_its_levels_as_far_as_it_reaches_and_is_looked_down_upon() -> None:
    assert (
        switch_distances((2.0, 0.3)) == switch_distances((2.0, 1.9)) == switch_distances((0.1, 2.0))
    )
    p = preset("fallen-leaves")
    own = variant_of("t", "t", p.kind, p.parameters, p.seed, {})
    height, reach = Library().size(own)
    assert height < 0.25 * reach
    drawn = Library().picture(own, (96, 84))
    away = np.abs(drawn - drawn[0, 0].astype(int)).sum(axis=-1) > 6
    assert away.any(axis=1).mean() > 0.6 and away.any(axis=0).mean() > 0.6


# The cache


def test_a_cache_forgets_what_was_used_longest_ago_and_counts_what_it_holds() -> None:
    cache = Cache(most_bytes=100)
    for k in range(6):
        cache.get(k, lambda k=k: k, lambda _: 30)  # type: ignore[misc]
        cache.get(0, lambda: 0, lambda _: 30)
    assert sorted(cache._held) == [0, 4, 5]
    assert cache.held_bytes == 90
    cache.keep([(5, "anew", 10), (5, "again", 10)])
    assert cache.held_bytes == 70, "what is stored twice is counted once"
    assert cache.look_up([0, 1, 5]) == [0, None, "again"]


def test_two_that_miss_the_same_key_share_one_computation() -> None:
    cache, began, go, made = Cache(), threading.Event(), threading.Event(), []

    def make() -> str:
        made.append(1)
        began.set()
        go.wait(5)
        return "value"

    got: list[str] = []
    threads = [
        threading.Thread(target=lambda: got.append(cache.get("k", make, len))) for _ in range(4)
    ]
    for t in threads:
        t.start()
    began.wait(5)
    go.set()
    for t in threads:
        t.join(5)
    assert got == ["value"] * 4
    assert len(made) == 1
    assert cache.held_bytes == 5


def test_one_who_is_stopped_does_not_stop_the_others() -> None:
    cache, began, go = Cache(), threading.Event(), threading.Event()

    def stopped() -> str:
        began.set()
        go.wait(5)
        raise Superseded("mine alone")

    errors: list[BaseException] = []

    def first() -> None:
        try:
            cache.get("k", stopped, len)
        except Superseded as error:
            errors.append(error)

    got: list[str] = []
    a = threading.Thread(target=first)
    a.start()
    began.wait(5)
    b = threading.Thread(target=lambda: got.append(cache.get("k", lambda: "value", len)))
    b.start()
    go.set()
    a.join(5)
    b.join(5)
    assert len(errors) == 1
    assert got == ["value"]
