"""Heaps: many things of a few assets lie on each other, in nothing else, and are told as they fall."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from plough.core.build import fused
from plough.core.build import heap as kind_module
from plough.core.cache import Cache
from plough.core.errors import ParameterError, Superseded, TooLargeError
from plough.core.kinds import Product, make
from plough.core.library.references import resolve
from plough.core.mesh.mass import mass_of
from plough.core.presets import preset
from plough.core.progress import telling
from plough.core.scene.document import Asset
from tests.hulls import deepest, held

ROCK = {"kind": "rock", "version": 1, "parameters": {"triangles": 300}}
SCREE = {"kind": "rock", "version": 1, "parameters": preset("scree").parameters}


def part(id: str = "p", lent: dict[str, Any] = SCREE, **own: Any) -> dict[str, Any]:
    return {"id": id, "asset": f"rock-{id}", "lent": lent, **own}


def heap(seed: int = 1, detail: int = 0, parts: Any = None, **own: Any) -> Product:
    return make("heap", {"parts": parts or [part()], **own}, seed, detail)


def pieces(product: Product) -> list[Any]:
    return [p.astype(float) for p in product.collider.pieces]


@pytest.mark.parametrize("how", ["dropped", "set"])
@pytest.mark.parametrize("seed", [1, 2])
def test_nothing_stands_into_anything(how: str, seed: int) -> None:
    bodies = pieces(heap(seed, how=how, count=60, radius=1.0))
    assert len(bodies) == 60
    assert deepest(bodies) < 0.001
    low = np.array([b[:, 1].min() for b in bodies])
    assert low.min() > (-0.002 if how == "dropped" else -0.2)  # what is set stands on its foot


def test_it_is_a_heap_and_all_of_it_is_held_up() -> None:
    made = heap(count=120, radius=0.5)
    bodies = pieces(made)
    assert all(held(bodies, lambda x, _: np.zeros_like(x)))
    one = float(np.median([np.ptp(b[:, 1]) for b in bodies]))
    assert made.height > 2.5 * one, "they lie on each other"
    # none rolled far off: nine in ten lie within the width of a heap as steep as stones lie
    far = np.sort([np.hypot(*b.mean(axis=0)[[0, 2]]) for b in bodies])
    assert far[int(0.9 * len(far))] < 3.5 * made.height
    # by the middle it is higher than at its rim
    tops = np.array([b[:, 1].max() for b in bodies])
    away = np.array([np.hypot(*b.mean(axis=0)[[0, 2]]) for b in bodies])
    inner, outer = away < np.quantile(away, 0.3), away > np.quantile(away, 0.7)
    assert tops[inner].mean() > 1.3 * tops[outer].mean()


def test_the_same_seed_is_the_same_heap_cold_or_warm(monkeypatch: pytest.MonkeyPatch) -> None:
    first = heap(7, count=25)
    monkeypatch.setattr(kind_module, "_heaps", Cache(1))  # what was kept is gone
    assert heap(7, count=25).mesh.positions.tobytes() == first.mesh.positions.tobytes()
    assert heap(8, count=25).mesh.positions.tobytes() != first.mesh.positions.tobytes()


def test_of_several_assets_each_has_its_share() -> None:
    def small(share: float) -> float:
        parts = [part("a", share=3), part("b", share=share, size=0.1), part("c", share=0)]
        made = heap(parts=parts, count=200, how="set", radius=6)
        assert {slot.split()[0] for slot in made.materials} == {"rock-a", "rock-b"}
        sizes = np.array([np.ptp(b, axis=0).max() for b in pieces(made)])
        assert len(sizes) == 200
        return float((sizes < 0.3 * np.quantile(sizes, 0.95)).mean())

    assert small(1) == pytest.approx(0.25, abs=0.1)
    assert small(9) == pytest.approx(0.75, abs=0.1)


def test_triangles_are_as_many_as_it_may_have() -> None:
    for most in (3_000, 20_000, 200_000):
        counts = [heap(count=60, triangles=most, detail=d).mesh.triangles for d in range(3)]
        assert counts == sorted(counts, reverse=True)
        assert counts[0] <= most or counts[0] == counts[2], "as few as there are"
    whole = [len(pieces(heap(count=60, triangles=m))) for m in (3_000, 200_000)]
    assert whole == [60, 60], "what collides does not hang on what is shown"


def test_its_mass_is_that_of_all() -> None:
    one = heap(count=1, game={"density": 2000})
    many = heap(count=30, game={"density": 2000})
    assert mass_of(many.collider.pieces, 2000).mass > 8 * mass_of(one.collider.pieces, 2000).mass
    assert len(heap(count=30, game={"collider": "convex"}).collider.pieces) == 1
    assert not heap(count=30, game={"collider": "none"}).collider.pieces


def test_it_is_told_and_seen_as_it_falls_and_can_be_stopped() -> None:
    told: list[tuple[float, str]] = []
    seen: list[Product] = []

    def hear(share: float, words: str, so_far: Any = None, /) -> None:
        told.append((share, words))
        if so_far is not None and len(told) % 40 == 0:
            seen.append(so_far())

    with telling(hear):
        made = heap(31, count=30)
    shares = [s for s, _ in told]
    assert shares == sorted(shares) and shares[0] >= 0 and shares[-1] <= 1
    assert {w for _, w in told} >= {"Making what lies in it", "Falling", "Putting it together"}
    heights = [p.height for p in seen]
    assert len(seen) >= 4 and heights[0] > 1.5 * made.height, "first it is in the air"
    assert heights[-1] == pytest.approx(made.height, rel=0.2)
    assert all(p.counts == {"things": 30} for p in seen)

    def stop(share: float, *_: Any) -> None:
        if share > 0.5:
            raise Superseded("enough")

    with telling(stop), pytest.raises(Superseded):
        heap(32, count=30)
    assert heap(32, count=30).counts == {"things": 30}, "and be begun again"


def test_limits_are_told_before_anything_falls() -> None:
    told: list[str] = []
    oak = {"kind": "tree", "version": 1, "parameters": preset("old-orchard-standard").parameters}
    with (
        telling(lambda _s, words, *_: told.append(words)),
        pytest.raises(TooLargeError, match="the limit is 1,500") as failed,
    ):
        heap(27, parts=[part("o", oak, seeds=1)], count=400)
    assert failed.value.field == "count" and "Falling" not in told
    for own, field in (({"count": 401}, "count"), ({"triangles": 10}, "triangles")):
        with pytest.raises(ParameterError) as wrong:
            heap(**own)
        assert wrong.value.field == field
    with pytest.raises(ParameterError) as wrong:
        heap(parts=[part(f"p{k}") for k in range(9)])
    assert wrong.value.field.startswith("parts")


def test_what_is_heavy_even_at_its_last_level_is_refused_before_it_falls() -> None:
    inner = {"parts": [part(lent=ROCK)], "count": 60, "triangles": 400_000}
    parameters = {**inner, "game": {"collider": "convex"}}
    heavy = part("h", {"kind": "heap", "version": 1, "parameters": parameters}, seeds=1)
    told: list[str] = []
    with (
        telling(lambda _s, words, *_: told.append(words)),
        pytest.raises(TooLargeError, match="the limit is 400,000") as failed,
    ):
        heap(parts=[heavy], count=400)
    assert failed.value.field == "count" and told[-1] != "Falling"


def test_what_is_missing_is_left_out_and_a_thing_without_a_collider_lies_by_its_hull() -> None:
    assert heap(parts=[{"id": "p", "asset": "gone"}]).counts == {}
    leaf = {"kind": "leaf", "version": 1, "parameters": {}}
    made = heap(parts=[part("l", leaf)], count=30, radius=0.05)
    assert made.counts == {"things": 30} and np.isfinite(made.mesh.positions).all()
    assert -0.01 < made.mesh.positions[:, 1].min() < 0.02


def test_a_heap_can_lie_in_a_heap_and_not_in_itself() -> None:
    stones = Asset(id="s", name="s", kind="rock", parameters={"triangles": 120})
    inner = Asset(
        id="i", name="i", kind="heap", parameters={"count": 3, "parts": [{"id": "p", "asset": "s"}]}
    )
    outer = {"count": 4, "parts": [{"id": "p", "asset": "i"}, {"id": "q", "asset": "o"}]}
    whole = Asset(id="o", name="o", kind="heap", parameters=outer)
    found = resolve(whole, {"s": stones, "i": inner, "o": whole}, "o")
    assert any("part of itself" in text for text in found.missing)
    made = make("heap", found.parameters, 1)
    assert made.counts == {"things": 4}
    assert len(made.collider.pieces) == 12


@pytest.mark.parametrize("kept", [20_000_000, 1], ids=["warm", "cold"])
def test_what_lies_in_another_is_told_as_a_part_of_it(
    kept: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(kind_module, "_heaps", Cache(kept))
    monkeypatch.setattr(fused, "_skins", Cache(kept))
    inner = {"kind": "heap", "version": 1, "parameters": {"parts": [part(lent=ROCK)], "count": 7}}
    skin = {
        "kind": "fused",
        "version": 1,
        "parameters": {
            "parts": [{"id": "h", "asset": "h", "at": [0, 0, 0], "lent": inner}],
            "steps": "coarse",
            "flat": 0,
        },
    }
    parts = [
        part("a", {**inner, "parameters": {**inner["parameters"], "count": 8}}),
        part("b", skin),
    ]
    told: list[tuple[float, str]] = []
    seen: list[Any] = []

    def hear(share: float, words: str, so_far: Any = None, /) -> None:
        told.append((share, words))
        if so_far is not None and not seen:
            seen.append(so_far().counts)

    with telling(hear):
        heap(33, parts=parts, count=9)
    shares = [s for s, _ in told]
    assert shares == sorted(shares) and shares[-1] <= 1
    assert seen == [{"things": 9}], "the whole is seen, never what lies in it"
    assert {"Drawing the skin", "Falling"} <= {w for _, w in told}
    inside = [s for s, w in told if w == "Drawing the skin"]
    assert min(inside) > 0 and max(inside) < 0.3
