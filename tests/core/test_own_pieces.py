"""Pieces of one's own: assets in the cells of a building, beside a kit's pieces or in place of them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh

import plough.core.build.own_pieces as own_module
from plough.core.errors import ParameterError, TooLargeError
from plough.core.kinds import Filled, Product, make
from plough.core.library.references import resolve
from plough.core.presets import all_presets
from plough.core.scene.document import Asset

PIECES = [p for p in all_presets() if p.kind == "piece"]
#: an upright thing
POST = {
    "kind": "vessel",
    "version": 1,
    "parameters": {"height": 1.2, "width": 0.3, "wobble": 0},
}
SASH = {"kind": "piece", "version": 1, "parameters": {"across": 4, "up": 1, "wide": 0.8}}
HOUSE = {"long": 16, "wide": 8, "storeys": 2, "kit": "flint", "roof": "gable"}


def own(lent: dict[str, Any], id: str = "a", **more: Any) -> dict[str, Any]:
    return {"id": id, "asset": f"thing-{id}", "lent": lent, **more}


def house(*pieces: dict[str, Any], detail: int = 0, seed: int = 1, **more: Any) -> Product:
    return make("building", {**HOUSE, "pieces": list(pieces), **more}, seed, detail)


def cells(product: Product) -> dict[tuple[str, int], Filled]:
    return {(f.id, k): c for f in product.faces for k, c in enumerate(f.cells)}


def of_slots(product: Product, *starts: str) -> Any:
    """(t, 3, 3) triangles of some slots."""
    mesh = product.mesh
    rows = [
        mesh.indices[p.first : p.first + p.count]
        for p in mesh.parts
        if p.material.startswith(starts)
    ]
    return mesh.positions[np.concatenate(rows)].astype(float) if rows else np.empty((0, 3, 3))


@pytest.mark.parametrize("preset", PIECES, ids=lambda p: p.name)
def test_a_house_piece_stands_in_a_closed_wall(preset: Any) -> None:
    for detail in (0, 1):
        product = make("piece", preset.parameters, 1, detail)
        corners = of_slots(product, "wall", "glass", "door")
        body = trimesh.Trimesh(corners.reshape(-1, 3), np.arange(3 * len(corners)).reshape(-1, 3))
        body.merge_vertices(digits_vertex=5)
        wall = max(body.split(only_watertight=False), key=lambda b: np.prod(b.extents))
        assert wall.is_watertight and wall.is_winding_consistent
        p = preset.parameters
        whole = p["cell_wide"] * p["cell_high"] * 0.3
        assert 0.6 * whole < wall.volume <= whole * 1.0001
        # what one sees of it looks to the front, and it stands about the origin
        assert wall.bounds[1][2] == pytest.approx(0, abs=1e-6)
        assert wall.bounds[:, 0] == pytest.approx([-p["cell_wide"] / 2, p["cell_wide"] / 2])
    far = make("piece", preset.parameters, 1, 2)
    assert far.mesh.triangles < make("piece", preset.parameters, 1, 0).mesh.triangles or (
        preset.parameters.get("what") == "panel"
    )


def test_one_stands_in_place_of_the_kits_and_all_cells_stay() -> None:
    plain, changed = house(), house(own(SASH, name="sash", role="none"))
    assert {k: c.piece for k, c in cells(plain).items()} == {
        k: c.piece for k, c in cells(changed).items()
    }
    sashes = [k for k, c in cells(plain).items() if c.piece == "sash"]
    assert len(sashes) > 5
    last = {f.id: len(f.cells) - 1 for f in plain.faces}  # at corners there may be less room
    for key, cell in cells(changed).items():
        before = cells(plain)[key]
        if key in sashes:
            assert cell.opening is not None and before.opening is not None
            wide = cell.opening[1] - cell.opening[0]
            assert wide == pytest.approx(0.8 * (cell.end - cell.start)) or key[1] in (
                0,
                last[key[0]],
            )
            assert before.opening[1] - before.opening[0] < cell.opening[1] - cell.opening[0]
        else:
            assert cell == before
    assert changed.fillings["pieces"] == plain.fillings["pieces"], "none is called otherwise"


@pytest.mark.parametrize("lent", [SASH, POST], ids=["drawn", "hung"])
def test_one_more_changes_only_the_cells_that_it_wins(lent: dict[str, Any]) -> None:
    plain, more = house(), house(own(lent, share=2))
    won = [k for k, c in cells(more).items() if c.piece == "thing-a"]
    kept = [k for k in cells(plain) if k not in won]
    assert len(won) > 3 and len(kept) > 10
    assert all(cells(more)[k] == cells(plain)[k] for k in kept)
    most = house(own(lent, share=50))
    assert {k for k, c in cells(most).items() if c.piece == "thing-a"} >= set(won)


def test_a_thing_hangs_in_a_gable_where_it_has_room() -> None:
    gables = [{"id": f"w{k}-gable1", "cells": [{"cell": 0, "piece": "thing-a"}]} for k in (1, 3)]
    small, large = (
        house(
            own(
                {**POST, "parameters": {**POST["parameters"], "height": h}}, role="none", cut=False
            ),  # type: ignore[dict-item]
            faces=gables,
        )
        for h in (0.6, 3.9)
    )
    assert {f.id for f in small.faces if f.role == "gable"} >= {g["id"] for g in gables}
    for product, many in ((small, 2), (large, 0)):
        cells = [c for f in product.faces if f.role == "gable" for c in f.cells]
        assert sum(c.piece == "thing-a" for c in cells) == many
        assert len(bodies(product) if many else []) == many


def middles(product: Product, name: str) -> list[tuple[float, float, float]]:
    """East, up and south of the foot of each cell that is filled so."""
    out = []
    for f in product.faces:
        for c in f.cells:
            if c.piece == name:
                at = 0.5 * (c.start + c.end)
                out.append((f.at[0] + at * f.way[0], f.low, f.at[1] + at * f.way[1]))
    return out


def bodies(product: Product) -> list[Any]:
    corners = of_slots(product, "thing-a")
    mesh = trimesh.Trimesh(corners.reshape(-1, 3), np.arange(3 * len(corners)).reshape(-1, 3))
    mesh.merge_vertices(digits_vertex=5)
    return list(mesh.split(only_watertight=False))


def test_any_asset_hangs_in_the_middle_of_its_cells_and_stands_on_their_floor() -> None:
    product = house(own(POST, share=50, cut=False))
    places = middles(product, "thing-a")
    found = bodies(product)
    assert len(places) == len(found) > 8
    feet = np.array(
        [[*b.bounds.mean(axis=0)[[0]], b.bounds[0][1], b.bounds.mean(axis=0)[2]] for b in found]
    )
    for place in places:
        assert np.linalg.norm(feet - place, axis=1).min() < 0.02
    # what is not cut is whole: the storeys are as without openings
    assert not any(c.opening for c in cells(product).values() if c.piece == "thing-a")


@pytest.mark.parametrize("fit", ["own", "wide", "cell"])
def test_it_is_as_large_as_told(fit: str) -> None:
    product = house(own(POST, share=50, cut=False, fit=fit, role="front"))
    alone = make("vessel", POST["parameters"], 1)
    box = np.ptp(alone.mesh.positions, axis=0)
    front = [f for f in product.faces if f.role == "front"]
    wide = front[0].cells[0].end - front[0].cells[0].start
    high = front[0].high
    body = max(bodies(product), key=lambda b: b.bounds[1][2])
    x, y, _ = np.ptp(body.bounds, axis=0)
    assert x == pytest.approx(box[0] if fit == "own" else wide, rel=0.02)
    assert y == pytest.approx(high if fit == "cell" else box[1], rel=0.02)


def test_the_wall_is_open_behind_it_and_stays_closed() -> None:
    from plough.core.build.building import BuildingParameters, made_of
    from plough.core.build.own_pieces import OwnPiece, kit_with
    from plough.core.house.kits import KITS
    from plough.core.kinds import no_files
    from plough.core.parameters import build
    from tests.core.test_houses import closed

    piece = own(POST, share=50, wide=0.7, high=1.5, sill=0.4, deep=0.3)
    kit, _ = kit_with(KITS["flint"], [build(OwnPiece, piece)], no_files)
    made, _ = made_of(build(BuildingParameters, HOUSE), 1, 0, kit)
    closed(made)
    opened = [c for c in cells(house(piece)).values() if c.piece == "thing-a"]
    assert len(opened) > 5
    for c in opened:
        assert c.opening is not None
        left, right, low, high = c.opening
        assert right - left == pytest.approx(min(0.7, 0.98 * (c.end - c.start)))
        assert (low, high) == pytest.approx((0.4, 1.9))
        assert 0.5 * (left + right) == pytest.approx(0.5 * (c.start + c.end))


def test_it_is_mirrored_always_or_by_chance() -> None:
    handled = {"kind": "vessel", "version": 1, "parameters": {"handles": "one", "height": 0.6}}
    sides: dict[str, list[float]] = {}
    for how in ("never", "always", "chance"):
        product = house(own(handled, share=50, cut=False, role="front", mirrored=how))
        alone = make("vessel", handled["parameters"], 1)
        assert abs(alone.mesh.positions[:, 0].mean()) > 0.005, "it has a side"
        places = [p for p in middles(product, "thing-a") if p[2] > 0]
        corners = of_slots(product, "thing-a").reshape(-1, 3)
        sides[how] = []
        for x, _, z in places:
            near = np.hypot(corners[:, 0] - x, corners[:, 2] - z) < 0.6
            sides[how].append(float(np.sign(corners[near, 0].mean() - x)))
    assert len(set(sides["never"])) == 1 and len(set(sides["always"])) == 1
    assert sides["never"][0] == -sides["always"][0]
    assert len(set(sides["chance"])) == 2


def test_levels_lamps_and_hands() -> None:
    lamp = {
        "kind": "vessel",
        "version": 1,
        "parameters": {
            "height": 0.4,
            "game": {"lamp": {"lumens": 40, "height": 0.3}},
        },
    }
    lit = make("vessel", lamp["parameters"], 1)
    product = house(own(lamp, share=50, cut=False))
    many = len(middles(product, "thing-a"))
    assert len(lit.lamps) == 1 and len(product.lamps) == many > 3
    assert not of_slots(house(own(POST, share=50), detail=2), "thing-a").size
    near, middle = (of_slots(house(own(POST, share=50), detail=k), "thing-a") for k in (0, 1))
    assert 0 < len(middle) < len(near)
    by_hand = house(
        own(POST, role="none"), faces=[{"id": "w0-0", "cells": [{"cell": 1, "piece": "thing-a"}]}]
    )
    assert [k for k, c in cells(by_hand).items() if c.piece == "thing-a"] == [("w0-0", 1)]
    # in another kit it is still there
    assert len(middles(house(own(POST, share=50), kit="pump"), "thing-a")) > 3


def test_what_is_wrong_is_told_and_what_is_gone_is_left_out(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    gone = house({"id": "a", "asset": "gone"})
    assert np.array_equal(gone.mesh.positions, house().mesh.positions)
    with pytest.raises(ParameterError, match="is there twice") as failed:
        house(own(POST, name="sash"), own(SASH, "b", name="sash"))
    assert failed.value.field.startswith("pieces.1")
    with pytest.raises(ParameterError, match="no kit has a piece") as failed:
        house(faces=[{"id": "w0-0", "cells": [{"cell": 1, "piece": "thing-a"}]}])
    with pytest.raises(ParameterError) as failed:
        house(*(own(POST, f"p{k}") for k in range(17)))
    assert failed.value.field.startswith("pieces")
    monkeypatch.setattr(own_module, "MOST_TRIANGLES", 500)
    with pytest.raises(TooLargeError, match="the limit is 500") as large:
        house(own(POST, share=50))
    assert large.value.field == "pieces"


def test_a_building_borrows_its_pieces_from_the_scene() -> None:
    piece = Asset(id="win", name="Window", kind="piece", parameters={"across": 5})
    parameters = {**HOUSE, "pieces": [{"id": "w", "asset": "win"}, {"id": "x", "asset": "gone"}]}
    whole = Asset(id="h", name="House", kind="building", parameters=parameters)
    found = resolve(whole, {"win": piece, "h": whole}, "h")
    first, second = found.parameters["pieces"]
    assert first["lent"]["kind"] == "piece" and second["lent"] == {}
    assert any("gone" in m for m in found.missing)
    assert any(c.piece == "win" for c in cells(make("building", found.parameters, 1)).values())
