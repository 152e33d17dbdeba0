"""Every kind of trouble is found where it is planted, with its measure, and is gone once it is mended; a clean scene has none."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import trimesh

from plough.core.demo import demo_file, mesh_parameters, teasel_fen
from plough.core.errors import ParameterError
from plough.core.formats.model import Model, Piece, pack
from plough.core.hashing import digest
from plough.core.library import Library
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.document import SceneDocument
from plough.core.scene.facets import Finding
from plough.core.scene.mend import FARTHEST, mend, remedy
from plough.core.scene.trouble import MOST_LISTED, Trouble, trouble
from plough.service.fields import flatten, nested
from tests.conftest import SMALL
from tests.core.test_meshes import PLAIN

EVALUATOR = Evaluator(Library(load=demo_file))
STONE = {
    "id": "stone",
    "name": "Stone",
    "kind": "mesh",
    "parameters": mesh_parameters("drift-stone"),
}
FAR = [40.0, 40.0]  # from the path and the area


def thing(id: str, asset: str = "stone", at: Any = FAR, **own: Any) -> dict[str, Any]:
    seed = {"stone": 1, "willow": 1, "sedge": 4}[asset]
    return {"id": id, "asset": asset, "seed": seed, "at": list(at), **own}


def scene(*things: dict[str, Any], more: Any = (), **settings: Any) -> Any:
    """The small scene with things set down in it."""
    document = copy.deepcopy(SMALL)
    document["assets"].append(copy.deepcopy(STONE))
    mix = [{"asset": name} for name in ("stone", "willow", "sedge")]
    layer = {
        "id": "set",
        "kind": "by_hand",
        "name": "Set",
        "parameters": {"mix": mix, "placed": list(things)},
    }
    document["layers"] = [
        x for x in document["layers"] if x["kind"] in ("ground", "path", "area", "bake")
    ]
    document["layers"][-1:-1] = [layer, *more]
    document["settings"] = {"profile": "high-end", **settings}
    return document


def look(document: Any, evaluator: Evaluator = EVALUATOR, left: Any = ()) -> Trouble:
    return trouble(evaluator.evaluate(read_document(document)), evaluator.library, left)


def codes(found: Trouble) -> list[str]:
    return [f.code for f in found.findings]


def applied(document: Any, finding: Finding) -> Any:
    """The document after a finding is mended."""
    (made,) = mend(EVALUATOR, read_document(document), [finding.id])
    out = copy.deepcopy(document)
    if made.asset:
        asset = next(a for a in out["assets"] if a["id"] == made.asset)
        fields = flatten(asset["parameters"], "p") | {
            f"p.{k}": v for k, v in made.parameters.items()
        }
        asset["parameters"] = nested(fields, "p")
        return out
    layer = next(x for x in out["layers"] if x["id"] == made.layer)
    if made.game:
        layer["game"] = {**layer.get("game", {}), **made.game}
    fields = flatten(layer["parameters"], "p") | flatten(made.parameters, "p")
    layer["parameters"] = nested(fields, "p")
    return out


def height(x: float, z: float) -> float:
    surface = EVALUATOR.evaluate(read_document(scene())).surface
    return float(surface.sample(np.array([x]), np.array([z])).position[0, 1])


def rule(**own: Any) -> dict[str, Any]:
    """A layer that spreads stones over the east."""
    parameters = {
        "mix": [{"asset": "stone"}],
        "spacing": 6,
        "paths": ["dyke"],
        "clearance": 2,
        **own,
    }
    return {"id": "spread", "kind": "scatter", "name": "Spread", "parameters": parameters}


def test_a_clean_scene_has_none() -> None:
    clean = scene(
        thing("a"),
        thing("b", at=[46, 40]),
        thing("c", "willow", [30, 50]),
        thing("d", "sedge", [30.1, 50.1]),
        more=[rule()],
    )
    placed = EVALUATOR.evaluate(read_document(clean)).layer("spread").output.placements
    assert placed is not None and placed.count > 100
    found = look(clean)
    assert found.findings == () and found.amounts == () and found.count == 0


def kept_clear(document: Any) -> Any:
    """With a bed along the path, in which nothing grows."""
    document["layers"][1]["parameters"] |= {"shapes": "causeway", "crown": 0.2}
    return document


PLANTED: dict[str, tuple[Callable[[], Any], float, str]] = {
    "floating": (lambda: scene(thing("a", lift=1.5)), 1.5, "Drop it"),
    "buried": (lambda: scene(thing("a", lift=-3.0)), 0.86, "Raise it"),
    "intersecting": (lambda: scene(thing("a"), thing("b", at=[40.3, 40.1])), 0.9, "Move it aside"),
    "outside": (lambda: scene(thing("a", at=[70, 0])), 6.0, "Take it out"),
    "blocking-path": (lambda: scene(thing("a", at=[0, -8])), 1.5, "Move it aside"),
    "forbidden-ground": (
        lambda: kept_clear(scene(thing("a", "sedge", [0, -8]))),
        1.5,
        "Move it aside",
    ),
}


@pytest.mark.parametrize("code", PLANTED)
def test_what_is_planted_is_found_with_its_measure_and_gone_once_mended(code: str) -> None:
    make, measure, title = PLANTED[code]
    document = make()
    found = look(document)
    assert codes(found) == [code]
    (finding,) = found.findings
    assert finding.layer == "set" and finding.place is not None
    assert abs(finding.measure - measure) < 0.1 * measure
    assert f"{finding.measure:.2f} m" in finding.text
    assert remedy(read_document(document), finding) == title
    mended = applied(document, finding)
    assert look(mended).findings == ()
    kept = mended["layers"][-2]["parameters"].get("placed", [])
    assert len(kept) == len(document["layers"][-2]["parameters"]["placed"]) - (code == "outside")
    for before, after in zip(document["layers"][-2]["parameters"]["placed"], kept, strict=False):
        moved = np.hypot(*np.subtract(before["at"], after["at"]))
        assert moved < FARTHEST and (moved == 0) == (
            before["id"] != _culprit(document, finding) or code in ("floating", "buried")
        )


def _culprit(document: Any, finding: Finding) -> str:
    ids = {t["id"]: t for t in document["layers"][-2]["parameters"]["placed"]}
    assert finding.place is not None
    return next(
        i
        for i, t in ids.items()
        if np.allclose(t["at"], [finding.place[0], finding.place[2]], atol=1e-4)
    )


def test_what_floats_falls_as_far_as_it_can_and_no_farther() -> None:
    top = look(scene(thing("a"), thing("b", lift=6.0))).findings[0]
    fallen = applied(scene(thing("a"), thing("b", lift=6.0)), top)["layers"][-2]["parameters"][
        "placed"
    ][1]
    tall = EVALUATOR.library.size(
        EVALUATOR.evaluate(read_document(scene(thing("a"))))
        .layer("set")
        .output.placements.variants[0]
    )[0]  # type: ignore[union-attr]
    assert 0.5 * tall < fallen["lift"] < 1.1 * tall  # on the stone
    alone = applied(scene(thing("b", lift=6.0)), look(scene(thing("b", lift=6.0))).findings[0])
    assert abs(alone["layers"][-2]["parameters"]["placed"][0]["lift"]) < 0.3
    # what lies on a stone does not float, what hangs over it does
    assert codes(look(scene(thing("a"), thing("b", lift=0.9 * tall)))) in ([], ["intersecting"])
    assert codes(look(scene(thing("a"), thing("b", lift=tall + 0.4)))) == ["floating"]


def test_standing_water_carries() -> None:
    x, z = FAR
    level = height(x, z) + 2.0
    document = scene(thing("a", "sedge", lift=2.0), thing("b", "sedge", at=[40, 44], lift=4.0))
    assert codes(look(document)) == ["floating", "floating"]
    document["layers"][0]["parameters"] |= {"water": True, "water_level": round(level, 3)}
    found = look(document)
    assert codes(found) == ["floating"] and found.findings[0].place[2] == pytest.approx(44)  # type: ignore[index]


@pytest.mark.parametrize("asset", ["stone", "willow"])
def test_what_leans_or_lies_is_judged_as_it_lies(asset: str) -> None:
    lying = thing("a", asset, up=[0.99, 0.0])
    assert "floating" not in codes(look(scene({**lying, "lift": 0.0})))
    assert codes(look(scene({**lying, "lift": 9.0}))) == ["floating"]


def test_limbs_may_cross_and_stems_may_not() -> None:
    apart = scene(thing("a", "willow"), thing("b", "willow", at=[41.2, 40]))
    assert codes(look(apart)) == []
    assert codes(look(scene(thing("a", "willow"), thing("b", "willow", at=[40.05, 40])))) == [
        "intersecting"
    ]


def test_a_layer_in_nobodys_way_intersects_nothing() -> None:
    document = scene(thing("a"), thing("b", at=[40.3, 40.1]))
    document["layers"][-2]["game"] = {"movement": "no"}
    assert codes(look(document)) == []


def test_a_path_that_is_hidden_is_in_nobodys_mind() -> None:
    document = scene(thing("a", at=[0, -8]))
    assert codes(look(document)) == ["blocking-path"]
    document["layers"][1]["hidden"] = True
    assert codes(look(document)) == []


def test_an_area_kept_clear_forbids_all_and_lets_go_at_its_border() -> None:
    document = scene(thing("a", at=[0, 0]), thing("b", "sedge", at=[1, 1]))
    area = next(x for x in document["layers"] if x["kind"] == "area")
    corners = [[-9, -9], [9, -9], [9, 9], [-9, 9]]
    area["parameters"] = {"corners": corners, "kept_clear": True}
    document["layers"] = [x for x in document["layers"] if x["kind"] != "path"]
    found = look(document)
    assert codes(found) == ["forbidden-ground"] * 2
    assert sorted(round(f.measure, 2) for f in found.findings) == [8.0, 9.0]
    mended = applied(document, found.findings[0])
    at = next(
        t["at"]
        for t, b in zip(mended["layers"][-2]["parameters"]["placed"], "ab", strict=True)
        if t["at"] != [float(b == "b")] * 2
    )
    assert max(np.abs(at)) >= 9.0
    assert max(np.abs(at)) < 11.0  # the nearest way out


def touched(document: Any, **change: Any) -> Any:
    placed = EVALUATOR.evaluate(read_document(document)).layer("spread").output.placements
    assert placed is not None
    whole = placed.whole()
    row = int(np.argmin(np.hypot(whole.position[:, 0] - 40, whole.position[:, 2] - 40)))
    touch = {"id": str(whole.ids[row]), "of": "stone", **change}
    document["layers"][-2]["parameters"]["touches"] = [touch]
    return document


@pytest.mark.parametrize(
    ("change", "code", "after"),
    [
        ({"lift": 2.0}, "floating", {"lift", "ground"}),
        ({"lift": -4.0}, "buried", {"lift", "ground"}),
        ({"at": [0, -8]}, "blocking-path", {"at"}),
        ({"at": [90, 0]}, "outside", {"at", "removed"}),
    ],
)
def test_what_is_wrong_with_a_rules_placement_is_mended_by_a_touch(
    change: dict[str, Any], code: str, after: set[str]
) -> None:
    document = touched(scene(more=[rule(seed=3)]), **change)
    finding = next(f for f in look(document).findings if f.code == code)
    assert finding.layer == "spread"
    mended = applied(document, finding)
    (touch,) = mended["layers"][-2]["parameters"]["touches"]
    assert set(touch) == {"id", "of", *after}
    assert look(mended).findings == ()


def test_one_moved_to_where_its_rule_plants_nothing_is_given_back() -> None:
    document = scene(more=[rule(clearance=5)])
    found = look(
        touched(document, at=[0, -4.5])
    )  # beside the path, and nearer than its rule allows
    assert [f.code for f in found.findings] == ["forbidden-ground"]
    mended = applied(document, found.findings[0])
    assert not mended["layers"][-2]["parameters"].get("touches")


def test_touches_that_wait_are_let_go_of() -> None:
    document = touched(scene(more=[rule()]), size=1.1)
    touches = document["layers"][-2]["parameters"]["touches"]
    touches.append({"id": "12345", "of": "stone", "removed": True})
    found = look(document)
    assert codes(found) == ["waiting-touch"]
    mended = applied(document, found.findings[0])
    assert [t["id"] for t in mended["layers"][-2]["parameters"]["touches"]] == [touches[0]["id"]]
    assert look(mended).findings == ()


def test_an_asset_that_is_gone_is_told_and_nothing_mends_it() -> None:
    document = scene(thing("a"))
    document["assets"] = [a for a in document["assets"] if a["id"] != "stone"]
    found = look(document)
    assert "missing-asset" in codes(found)
    finding = next(f for f in found.findings if f.code == "missing-asset")
    assert remedy(read_document(document), finding) == ""
    with pytest.raises(ParameterError, match="no edit puts that right"):
        mend(EVALUATOR, read_document(document), [finding.id])


def test_a_scene_that_is_too_heavy_keeps_fewer_of_its_heaviest() -> None:
    document = scene(
        more=[rule(spacing=1.1)],
        profile="phone",
        viewpoints=[{"id": "v", "name": "Hythe", "eye": [0, 5, 0], "target": [9, 0, 9]}],
    )
    found = look(document)
    heavy = [f for f in found.findings if f.code == "too-heavy"]
    assert {f.other for f in heavy} >= {"instances"}
    finding = next(f for f in heavy if f.other == "instances")
    assert (
        "Hythe" in finding.text and "phone takes 4,000" in finding.text and "Spread" in finding.text
    )
    mended = applied(document, finding)
    assert 0 < mended["layers"][-2]["game"]["phone"] < 100
    assert "instances" not in {f.other for f in look(mended).findings}


def test_a_collider_far_larger_than_its_mesh_is_told_once_and_made_of_it() -> None:
    lump = trimesh.creation.icosphere(2)
    pieces = tuple(
        Piece(name, 0, (size * lump.vertices).astype(np.float32), lump.faces.astype(np.uint32))
        for name, size in (("stone", 1.0), ("collider stone", 1.8))
    )
    file = pack(Model("glb", pieces, (PLAIN,)))
    evaluator = Evaluator(
        Library(load=lambda name: file if name == digest(file) else demo_file(name))
    )
    document = scene(thing("a"), thing("b", at=[50, 40]))
    assert look(document, evaluator).findings == ()
    stone = next(a for a in document["assets"] if a["id"] == "stone")
    stone["parameters"] = {"source": digest(file), "game": {"collider": "supplied"}}
    found = [f for f in look(document, evaluator).findings if f.code == "large-collider"]
    assert len(found) == 1
    assert "Stone reaches 0.79 m" in found[0].text and found[0].measure == pytest.approx(
        0.8, abs=0.05
    )
    assert remedy(read_document(document), found[0]) == "Take its hull"
    (made,) = mend(evaluator, read_document(document), [found[0].id])
    assert (made.asset, made.parameters) == ("stone", {"game.collider": "hull"})
    stone["parameters"]["game"]["collider"] = "hull"
    assert "large-collider" not in codes(look(document, evaluator))


def test_findings_left_as_they_are_are_counted_apart() -> None:
    document = scene(thing("a", lift=1.5), thing("b", at=[50, 40], lift=2.5))
    worst, other = look(document).findings
    assert worst.measure > other.measure
    found = look(document, left=[worst.id, "0" * 16])
    assert [f.id for f in found.findings] == [other.id]
    assert found.left == 1 and found.count == 1
    # it is the same finding wherever the thing is moved, and another once something else is amiss
    document["layers"][-2]["parameters"]["placed"][1]["at"] = [52, 41]
    assert look(document, left=[worst.id]).left == 1
    document["layers"][-2]["parameters"]["placed"][1]["lift"] = -5
    assert look(document, left=[worst.id]).left == 0


def test_very_many_are_counted_and_the_worst_are_listed() -> None:
    things = [
        thing(f"t{k}", "sedge", [-60 + 2 * (k % 60), 20 + 2 * (k // 60)], lift=1 + 0.01 * k)
        for k in range(150)
    ]
    found = look(scene(*things))
    assert found.count == 150 and len(found.findings) == MOST_LISTED
    measures = [f.measure for f in found.findings]
    assert measures == sorted(measures, reverse=True) and measures[0] > 2.3
    left = look(scene(*things), left=[f.id for f in found.findings])
    assert left.left == MOST_LISTED and left.count == 50 and len(left.findings) == 50


def test_after_any_edit_what_is_found_is_what_is_found_afresh() -> None:
    rng = np.random.default_rng(5)
    document = scene(
        *(
            thing(
                f"t{k}",
                ("stone", "willow", "sedge")[k % 3],
                rng.uniform(-62, 62, 2).round(2).tolist(),
            )
            for k in range(60)
        ),
        more=[rule(spacing=9)],
    )
    placed = document["layers"][-3]["parameters"]["placed"]
    changes: list[Callable[[], Any]] = [
        lambda: placed[7].update(lift=2.0),
        lambda: placed[8].update(at=[63.9, 0.1]),
        lambda: placed[9].update(at=placed[12]["at"]),
        lambda: document["layers"][0]["parameters"].update(relief=9),
        lambda: document["layers"][1]["parameters"].update(width=9),
        lambda: document["layers"][1].update(hidden=True),
        lambda: document["layers"][-3].update(game={"movement": "no"}),
        lambda: document["layers"][-2]["parameters"].update(seed=9),
        lambda: document["layers"].insert(3, document["layers"].pop(-2)),
        lambda: placed.pop(3),
    ]
    told = set()
    for change in changes:
        change()
        warm = look(document)
        assert warm == look(document, Evaluator(Library(load=demo_file)))
        told.add(tuple((f.id, f.text) for f in warm.findings))
    assert len(told) >= 6  # most of them changed what is amiss


@pytest.mark.parametrize("which", [0, 1])
@pytest.mark.parametrize(("across", "along"), [(0, 1), (1, 0)])
def test_what_stands_into_something_of_the_next_tile_is_found_when_either_moves(
    which: int, across: int, along: int
) -> None:
    at = [[0.0, 0.0], [0.0, 0.0]]
    for k, off in enumerate((-0.35, 0.35)):
        at[k][across], at[k][along] = off, 32.0
    document = scene(*(thing(f"t{k}", at=place) for k, place in enumerate(at)))
    placed = document["layers"][-2]["parameters"]["placed"]
    near = copy.copy(placed[which]["at"])
    far = copy.copy(near)
    far[across] *= 40
    evaluator = Evaluator(Library(load=demo_file))
    for place, there in ((near, True), (far, False), (near, True)):
        placed[which]["at"] = place
        found = look(document, evaluator).findings
        assert ("intersecting" in [f.code for f in found]) == there


def test_mending_tells_what_cannot_be() -> None:
    document = scene(thing("a", lift=1.5))
    with pytest.raises(ParameterError, match="not amiss any more"):
        mend(EVALUATOR, read_document(document), ["0" * 16])
    (finding,) = look(document).findings
    document["layers"][-2]["locked"] = True
    assert remedy(read_document(document), finding) == ""


def test_work_can_be_stopped() -> None:
    class Stop(Exception):
        pass

    def stop() -> None:
        raise Stop

    evaluation: Evaluation = EVALUATOR.evaluate(read_document(scene(thing("a"))))
    document: SceneDocument = read_document(scene(thing("a")))
    with pytest.raises(Stop):
        trouble(evaluation, EVALUATOR.library, check=stop)
    with pytest.raises(Stop):
        mend(EVALUATOR, document, ["0" * 16], stop)


def test_the_demo_has_none_and_shows_what_hands_do() -> None:
    document = teasel_fen()
    evaluation = EVALUATOR.evaluate(document)
    found = trouble(evaluation, EVALUATOR.library)
    assert [f.text for f in found.findings] == []
    layers = {x.kind: x for x in document.layers}
    assert len(document.settings.viewpoints) == 8
    assert len(next(x for x in document.layers if x.id == "carr").parameters["touches"]) == 3
    assert len(layers["brush"].parameters["strokes"]) >= 2
    assert any(x.shadow == "only" and x.kind == "by_hand" for x in document.layers)
    for name in ("painted", "byhand", "shade"):
        placed = evaluation.layer(name).output.placements
        assert placed is not None and placed.count
