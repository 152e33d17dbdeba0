"""What a layer is in the game: tiers that nest, colliders, and mixes that are kept."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest

from plough.core.bake.bundle import bake
from plough.core.errors import ParameterError
from plough.core.formats.glb_read import read_json
from plough.core.library import Library
from plough.core.place import ScatterRule, scatter
from plough.core.place.placements import first_share
from plough.core.scene import Evaluator, inputs, read_document
from tests.conftest import SMALL
from tests.core.test_room import FIELD

EVALUATOR = Evaluator()
TIERS = ("phone", "console", "high-end")


def scene(profile: str = "console", settings: Any = None, **layers: Any) -> Any:
    """`layers`: what of a layer is set otherwise, by its id."""
    document = copy.deepcopy(SMALL)
    document["settings"] = {"profile": profile, **(settings or {})}
    for layer in document["layers"]:
        layer |= layers.get(layer["id"], {})
    return read_document(document)


def bytes_of(evaluation: Any) -> dict[str, dict[int, bytes]]:
    """Of each layer, each placement by its id."""
    out = {}
    for r in evaluation.layers:
        if r.output.placements is not None:
            p = r.output.placements.whole()
            rows = np.concatenate([p.position, p.rotation, p.scale], axis=1)
            whole = zip(p.ids, p.variant, rows, strict=True)
            out[r.layer.id] = {int(i): bytes(v) + row.tobytes() for i, v, row in whole}
    return out


def test_tiers_nest_and_what_gives_way_to_a_layer_is_the_same_at_all() -> None:
    game = {"game": {"phone": 25, "console": 60, "high_end": 100}}
    found = [bytes_of(EVALUATOR.evaluate(scene(t, willows=game))) for t in TIERS]
    whole = bytes_of(EVALUATOR.evaluate(scene()))
    phone, console, high = (f["willows"] for f in found)
    assert phone.items() < console.items() < high.items()
    assert high == whole["willows"]
    assert len(phone) / len(high) == pytest.approx(0.25, abs=0.1)
    assert all(f["sedges"] == whole["sedges"] for f in found)


def test_the_last_of_the_fill_go_first_tile_by_tile() -> None:
    tiles = scatter(ScatterRule(7, 2.0, 0.9), FIELD)
    total, kept = 0, 0
    for tile in tiles:
        before: set[int] = set()
        for share in (0.0, 0.13, 0.5, 0.77, 1.0):
            some = first_share(tile, share)
            ids = set(some.placements.ids.tolist())
            assert before <= ids
            before = ids
            assert abs(some.placements.count - share * tile.placements.count) < 1.0
            if share == 0.5:
                gone = ~np.isin(tile.placements.ids, some.placements.ids)
                assert some.place.max() <= tile.place[gone].min()
                total, kept = total + tile.placements.count, kept + some.placements.count
        assert before == set(tile.placements.ids.tolist())
    assert kept / total == pytest.approx(0.5, abs=0.002)


@pytest.mark.parametrize("share", [0.1, 0.3, 0.75])
def test_where_few_stand_in_a_tile_the_whole_keeps_its_share(share: float) -> None:
    tiles = [t for seed in range(12) for t in scatter(ScatterRule(seed, 21.0, 0.6), FIELD)]
    total = sum(t.placements.count for t in tiles)
    kept = sum(first_share(t, share).placements.count for t in tiles)
    assert total / len(tiles) < 5
    assert kept / total == pytest.approx(share, abs=0.03)


def test_a_share_changes_nothing_elsewhere_and_its_tiles_are_kept() -> None:
    low = EVALUATOR.evaluate(scene(willows={"game": {"console": 40}}))
    again = EVALUATOR.evaluate(scene(willows={"game": {"console": 40}, "name": "Osiers"}))
    assert again.layer("willows").output is low.layer("willows").output
    full = EVALUATOR.evaluate(scene())
    assert low.layer("willows").key != full.layer("willows").key
    assert low.layer("sedges").key == full.layer("sedges").key


def colliders(**game: Any) -> list[dict[str, Any]]:
    document = scene(willows={"game": game})
    gltf = read_json(bake(EVALUATOR.evaluate(document), Library()).files["scene.glb"])
    return [n["extras"] for n in gltf["nodes"] if n["name"].startswith("collider-willows")]


def test_a_layer_has_colliders_and_flags_of_its_own() -> None:
    own = colliders()
    assert own and all(e["blocksMovement"] and e["blocksShots"] for e in own)
    assert colliders(colliders="none") == []
    changed = colliders(movement="no", camera="no", shots="own")
    assert len(changed) == len(own)
    for before, after in zip(own, changed, strict=True):
        assert after == before | {"blocksMovement": False, "letsCameraThrough": False}


def test_what_a_layer_is_in_the_game_is_written_where_it_is_not_as_usual() -> None:
    result = bake(EVALUATOR.evaluate(scene(willows={"game": {"phone": 30}})), Library())
    layers = {x["id"]: x for x in result.manifest["layers"]}
    assert layers["willows"]["game"] == {"phone": 30}
    assert "game" not in layers["sedges"]
    for wrong, words in (({"phone": 140}, "phone.*100"), ({"colliders": "odd"}, "colliders")):
        with pytest.raises(ParameterError, match=words):
            scene(willows={"game": wrong})


def mixed(mix: list[dict[str, Any]], *mixes: dict[str, Any]) -> Any:
    layer = next(x for x in SMALL["layers"] if x["id"] == "willows")
    parameters = {**layer["parameters"], "mix": mix}
    evaluation = EVALUATOR.evaluate(
        scene(settings={"mixes": list(mixes)}, willows={"parameters": parameters})
    )
    return evaluation.layer("willows").output


BOTH = [{"asset": "willow", "weight": 3, "size": [80, 90]}, {"asset": "sedge", "weight": 1}]
KEPT = {"id": "wet", "name": "Wet", "entries": BOTH}


def test_keeping_a_mix_changes_nothing_bit_for_bit() -> None:
    plain, kept = mixed(BOTH), mixed([{"asset": "wet", "weight": 7}], KEPT)
    assert plain.placements.key == kept.placements.key
    assert not kept.findings


def test_a_kept_mix_shares_the_weight_of_its_entry_with_its_size_and_liking_besides() -> None:
    half = {"asset": "wet", "weight": 2, "size": [50, 50]}
    rest = {**KEPT, "entries": [BOTH[0], {**BOTH[1], "weight": 0}]}
    output = mixed([half, {"asset": "sedge", "weight": 2}], rest)
    counts = output.placements.per_variant
    names = [v.asset for v in output.placements.variants]
    assert names == ["willow", "willow", "sedge", "sedge"]
    assert counts[:2].sum() / counts.sum() == pytest.approx(0.5, abs=0.12)
    placed = output.placements.whole()
    willow = placed.variant < 2
    size = placed.scale[willow, 0]
    own = mixed([{"asset": "willow"}]).placements.whole().scale[:, 0]
    assert size.max() <= 0.5 * 0.9 * own.max() * 1.05 and size.min() >= 0.5 * 0.8 * own.min() * 0.95
    dry = {"id": "a", "of": "height", "between": [8000, 9000], "fade": 0}
    assert mixed([{**half, "conditions": [dry]}], KEPT).placements.count == 0


def test_an_asset_that_is_there_twice_has_both_its_shares() -> None:
    twice = mixed([{"asset": "wet", "weight": 1}, {"asset": "sedge", "weight": 1}], KEPT)
    names = np.array([v.asset for v in twice.placements.variants])
    counts = twice.placements.per_variant
    assert (counts[names == "sedge"] > 0).all(), "each draws for itself"
    # a quarter of the mix's half, and the half of its own
    assert counts[names == "sedge"].sum() / counts.sum() == pytest.approx(0.625, abs=0.13)


def test_a_mix_that_is_missing_or_names_what_is_missing_is_told() -> None:
    gone = mixed([{"asset": "dry"}, *BOTH], KEPT)
    assert any("'dry'" in f.text for f in gone.findings)
    inner = mixed([{"asset": "wet"}], {**KEPT, "entries": [*BOTH, {"asset": "oak"}]})
    assert any("'oak'" in f.text for f in inner.findings) and inner.placements.count
    nested = mixed([{"asset": "wet"}], {**KEPT, "entries": [*BOTH, {"asset": "wet"}]})
    assert any("'wet'" in f.text for f in nested.findings) and nested.placements.count
    with pytest.raises(ParameterError, match="entries"):
        mixed(BOTH, {**KEPT, "entries": []})


QUANTITIES: list[dict[str, Any]] = [
    {"how_many": "fill", "fill": 80},
    {"how_many": "per-hectare", "per_hectare": 30_000},
    {"how_many": "count", "in_all": 900},
    {"pattern": "staggered", "rows": 0.6, "fill": 90},
    {"how_many": "fill", "fill": 70, "mix": [{"asset": "sedge", "spacing": 0.6}]},
    {"how_many": "fill", "fill": 100, "crowns": True, "overlap": 90},
]


@pytest.mark.parametrize("quantity", QUANTITIES)
def test_while_it_is_tried_out_the_first_of_the_fill_stand_and_no_more_than_enough(
    quantity: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(inputs, "MOST_TRIED", 300)
    parameters = {"spacing": 0.5, "mix": [{"asset": "sedge"}], **quantity}
    document = scene(sedges={"parameters": parameters})
    evaluator = Evaluator()
    whole = evaluator.evaluate(document)
    light = evaluator.evaluate(document, light="sedges")
    some, every = (bytes_of(e)["sedges"] for e in (light, whole))
    assert some.items() < every.items()
    placed = light.layer("sedges").output.placements
    assert 0.35 * 300 < len(some) < 1.4 * 300
    # what it is said to be a part of is about what stands in the end
    assert len(some) / placed.share == pytest.approx(len(every), rel=0.25)
    assert bytes_of(light)["willows"] == bytes_of(whole)["willows"]
    # where little stands, all of it does, and it is the very same result
    few = evaluator.evaluate(document, light="willows").layer("willows").output
    assert few.key == whole.layer("willows").output.key and few.placements.share == 1


def test_what_is_told_of_a_number_is_the_same_while_it_is_tried_out(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(inputs, "MOST_TRIED", 300)

    def told(light: str = "", **quantity: Any) -> list[str]:
        corners = [[-5, -5], [5, -5], [5, 5], [-5, 5]]
        own = {"spacing": 2, "mix": [{"asset": "sedge"}], "areas": ["holt"], **quantity}
        document = scene(holt={"parameters": {"corners": corners}}, sedges={"parameters": own})
        findings = EVALUATOR.evaluate(document, light=light).layer("sedges").output.findings
        return [f.text for f in findings]

    for quantity in (
        {"how_many": "count", "in_all": 5000},
        {"how_many": "per-hectare", "per_hectare": 500_000},
    ):
        assert told("sedges", **quantity) == told(**quantity) != []
    assert "of 5,000" in told("sedges", how_many="count", in_all=5000)[0]
    # a number that is not asked for is no trouble
    assert told(how_many="count", in_all=3, per_hectare=900_000) == []


def test_an_area_that_is_small_is_not_thinned(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(inputs, "MOST_TRIED", 300)
    corners = [[-5, -5], [5, -5], [5, 5], [-5, 5]]
    parameters = {"spacing": 0.8, "mix": [{"asset": "sedge"}], "areas": ["holt"]}
    document = scene(holt={"parameters": {"corners": corners}}, sedges={"parameters": parameters})
    light = EVALUATOR.evaluate(document, light="sedges").layer("sedges").output.placements
    assert light.share == 1 and light.count > 40
