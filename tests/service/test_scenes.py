"""Accounts, scenes, versioned edits, undo for each person, evaluation and errors."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx
import numpy as np
import pytest

from plough.core.formats.glb_read import read_json
from plough.core.library import Library
from plough.core.scene import Evaluator, read_document
from tests.conftest import SMALL, Running, signed_in


@pytest.fixture
def scene(sedge: httpx.Client) -> Iterator[dict[str, Any]]:
    """A small scene of one's own."""
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": SMALL})
    assert made.status_code == 201, made.text
    yield made.json()
    sedge.delete(f"/api/scenes/{made.json()['id']}")


def layer(scene: dict[str, Any], layer_id: str) -> dict[str, Any]:
    return next(x for x in scene["layers"] if x["id"] == layer_id)


def edit(
    client: httpx.Client, scene: dict[str, Any], layer_id: str, **fields: Any
) -> httpx.Response:
    body = {"version": layer(scene, layer_id)["version"], **fields}
    return client.patch(f"/api/scenes/{scene['id']}/layers/{layer_id}", json=body)


def problem(answer: httpx.Response, status: int) -> dict[str, Any]:
    assert answer.status_code == status, answer.text
    assert answer.headers["content-type"] == "application/problem+json"
    body = answer.json()
    assert body["status"] == status
    return body  # type: ignore[no-any-return]


def test_every_route_but_sign_in_and_health_needs_a_session(running: Running) -> None:
    schema = httpx.get(f"{running.base}/api/openapi.json").json()
    for path, methods in schema["paths"].items():
        for method in methods:
            if (path, method) in (("/api/session", "post"), ("/api/health", "get")):
                continue
            url = (
                path.replace("{number}", "1")
                .replace("{scene_id}", "x")
                .replace("{layer_id}", "x")
                .replace("{asset_id}", "x")
                .replace("{name}", "x")
                .replace("{seed}", "1")
                .replace("{detail}", "0")
            )
            answer = httpx.request(method, running.base + url, json={})
            assert answer.status_code == 401, (method, path, answer.status_code)
            if method in ("get", "delete"):
                forged = {"Cookie": "plough_session=forged"}
                answer = httpx.request(method, running.base + url, headers=forged)
                assert answer.status_code == 401, (method, path, answer.status_code)


def test_the_schema_describes_every_route_and_its_errors(running: Running) -> None:
    schema = httpx.get(f"{running.base}/api/openapi.json").json()
    for path, methods in schema["paths"].items():
        for method, route in methods.items():
            assert route.get("description"), (method, path)
            if path != "/api/health":
                assert {"401", "422"} & set(route["responses"]), (method, path)


def test_wrong_passwords_are_refused_and_then_slowed_down(running: Running) -> None:
    for _ in range(10):
        answer = httpx.post(
            f"{running.base}/api/session", json={"name": "nobody", "password": "guess"}
        )
        assert "name or password is wrong" in problem(answer, 401)["detail"]
    problem(
        httpx.post(f"{running.base}/api/session", json={"name": "nobody", "password": "guess"}), 429
    )


def test_the_cookie_is_closed_to_scripts_and_other_sites(running: Running) -> None:
    answer = httpx.post(
        f"{running.base}/api/session", json={"name": "sedge", "password": "water-mint"}
    )
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=lax" in cookie
    client = signed_in(running.base, "sedge")
    assert client.delete("/api/session").status_code == 204
    problem(client.get("/api/scenes"), 401)


def test_edits_from_another_sites_page_are_refused(sedge: httpx.Client) -> None:
    answer = sedge.post(
        "/api/scenes", json={"name": "x"}, headers={"Origin": "http://elsewhere.example"}
    )
    problem(answer, 403)


def test_scenes_are_seen_by_their_members_only(
    sedge: httpx.Client, tansy: httpx.Client, scene: dict[str, Any]
) -> None:
    problem(tansy.get(f"/api/scenes/{scene['id']}"), 404)
    problem(tansy.get(f"/api/scenes/{scene['id']}/evaluation"), 404)
    problem(edit(tansy, scene, "willows", parameters={"fill": 10}), 404)


def test_a_viewer_looks_but_does_not_edit(burdock: httpx.Client, demo_id: str) -> None:
    shared = burdock.get(f"/api/scenes/{demo_id}").json()
    assert shared["role"] == "viewer"
    assert (
        "editor" in problem(edit(burdock, shared, "pears", parameters={"fill": 10}), 403)["detail"]
    )
    problem(burdock.post(f"/api/scenes/{demo_id}/releases"), 403)


def test_an_owner_lets_others_in_and_out_and_one_owner_stays(
    sedge: httpx.Client, tansy: httpx.Client, scene: dict[str, Any]
) -> None:
    members = f"/api/scenes/{scene['id']}/members"
    assert sedge.put(members, json={"name": "tansy", "role": "viewer"}).json()["members"][-1] == {
        "name": "tansy",
        "role": "viewer",
    }
    problem(
        edit(
            tansy, tansy.get(f"/api/scenes/{scene['id']}").json(), "willows", parameters={"fill": 9}
        ),
        403,
    )
    problem(tansy.put(members, json={"name": "tansy", "role": "owner"}), 403)
    sedge.put(members, json={"name": "tansy", "role": "editor"})
    assert edit(tansy, scene, "willows", parameters={"fill": 9}).status_code == 200
    problem(sedge.put(members, json={"name": "nobody", "role": "editor"}), 422)
    problem(sedge.put(members, json={"name": "sedge", "role": "viewer"}), 422)
    problem(sedge.delete(f"{members}/sedge"), 422)
    assert sedge.delete(f"{members}/tansy").status_code == 200
    problem(tansy.get(f"/api/scenes/{scene['id']}"), 404)


def test_an_edit_is_kept_and_a_stale_one_gets_the_present_state(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    after = edit(sedge, scene, "willows", parameters={"fill": 30, "size": [50, 60]}).json()
    assert layer(after, "willows")["parameters"]["fill"] == 30
    assert layer(after, "willows")["version"] == layer(scene, "willows")["version"] + 1
    stale = problem(edit(sedge, scene, "willows", parameters={"fill": 50}), 409)
    assert layer(stale["current"], "willows")["parameters"]["fill"] == 30
    assert (
        layer(sedge.get(f"/api/scenes/{scene['id']}").json(), "willows")["parameters"]["fill"] == 30
    )


def test_of_many_edits_at_once_against_one_version_one_wins(
    running: Running, sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    def attempt(fill: int) -> int:
        return edit(sedge, scene, "willows", parameters={"fill": fill}).status_code

    with ThreadPoolExecutor(8) as pool:
        codes = list(pool.map(attempt, range(10, 26)))
    assert codes.count(200) == 1
    assert set(codes) == {200, 409}


@pytest.mark.parametrize(
    ("parameters", "field"),
    [
        ({"fill": 140}, "parameters.fill"),
        ({"nonsense": 1}, "parameters.nonsense"),
        ({"fill": "many"}, "parameters.fill"),
        ({"size": [9, 5]}, "parameters.size"),
        ({"mix": [{"asset": "x", "weight": -1}]}, "parameters.mix"),
        (
            {"conditions": [{"id": "a", "of": "height", "between": [-9e9, 0]}]},
            "parameters.conditions",
        ),
    ],
)
def test_bad_parameters_name_the_field_and_change_nothing(
    sedge: httpx.Client, scene: dict[str, Any], parameters: dict[str, Any], field: str
) -> None:
    body = problem(edit(sedge, scene, "willows", parameters=parameters), 422)
    assert body["errors"][0]["field"].startswith(field)
    assert sedge.get(f"/api/scenes/{scene['id']}").json()["layers"] == scene["layers"]


def test_nan_in_the_body_is_refused(sedge: httpx.Client, scene: dict[str, Any]) -> None:
    content = '{"version": 1, "parameters": {"spacing": NaN}}'
    url = f"/api/scenes/{scene['id']}/layers/willows"
    problem(sedge.patch(url, content=content, headers={"Content-Type": "application/json"}), 422)
    assert sedge.get("/api/health").status_code == 200


@pytest.mark.parametrize(
    ("document", "words"),
    [
        ({**SMALL, "version": 99}, "newer Plough"),
        ({"layers": 3}, "version"),
        ({**SMALL, "extra": 1}, "extra"),
        ({"hello": 1}, "layers"),
    ],
)
def test_bad_scene_files_are_refused(
    sedge: httpx.Client, document: dict[str, Any], words: str
) -> None:
    before = len(sedge.get("/api/scenes").json())
    assert (
        words
        in problem(sedge.post("/api/scenes", json={"name": "x", "document": document}), 422)[
            "detail"
        ]
    )
    assert len(sedge.get("/api/scenes").json()) == before


def test_a_path_that_crosses_itself_is_refused_with_the_place(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    points = [[-40, 0], [40, 0], [40, 40], [0, 30], [0, -40]]
    assert (
        "crosses itself near"
        in problem(edit(sedge, scene, "dyke", parameters={"points": points}), 422)["detail"]
    )


def test_too_large_a_scene_is_refused_and_the_service_stays_up(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    huge = edit(
        sedge,
        edit(sedge, scene, "ground", parameters={"size": 4096, "resolution": 4}).json(),
        "sedges",
        parameters={"spacing": 0.1, "fill": 100},
    )
    assert huge.status_code == 200
    assert (
        "raise it to" in problem(sedge.get(f"/api/scenes/{scene['id']}/evaluation"), 422)["detail"]
    )
    assert sedge.get("/api/health").status_code == 200
    assert sedge.post(f"/api/scenes/{scene['id']}/undo").status_code == 200
    assert sedge.get(f"/api/scenes/{scene['id']}/evaluation").status_code == 200


def test_undo_and_redo_every_kind_of_edit(sedge: httpx.Client, scene: dict[str, Any]) -> None:
    base = f"/api/scenes/{scene['id']}"
    states = [scene]
    states.append(edit(sedge, scene, "willows", parameters={"fill": 25}, name="Osiers").json())
    states.append(edit(sedge, states[-1], "sedges", hidden=True).json())
    move = {"version": layer(states[-1], "sedges")["version"], "before": "willows"}
    states.append(sedge.post(f"{base}/layers/sedges/move", json=move).json())
    states.append(
        sedge.post(
            f"{base}/layers",
            json={"kind": "scatter", "name": "More", "parameters": {"spacing": 20}},
        ).json()
    )
    states.append(sedge.delete(f"{base}/layers/holt").json())
    asset = {"version": 1, "parameters": {"first.count": 3}, "seeds": [9]}
    states.append(sedge.patch(f"{base}/assets/willow", json=asset).json())
    states.append(
        sedge.patch(
            base, json={"version": states[-1]["version"], "settings": {"sun": {"azimuth": 10}}}
        ).json()
    )

    def content(s: dict[str, Any]) -> Any:
        strip = [{k: v for k, v in x.items() if k != "version"} for x in s["layers"]]
        return (
            strip,
            [{k: v for k, v in a.items() if k != "version"} for a in s["assets"]],
            s["settings"],
            s["name"],
        )

    for expected in reversed(states[:-1]):
        assert content(sedge.post(f"{base}/undo").json()) == content(expected)
    problem(sedge.post(f"{base}/undo"), 404)
    for expected in states[1:]:
        assert content(sedge.post(f"{base}/redo").json()) == content(expected)
    problem(sedge.post(f"{base}/redo"), 404)


def test_edits_that_are_joined_are_undone_and_redone_as_one(
    sedge: httpx.Client, tansy: httpx.Client, scene: dict[str, Any]
) -> None:
    base, joined = f"/api/scenes/{scene['id']}", {"Edit-Joined": "true"}

    def shape(s: dict[str, Any]) -> Any:
        return [(x["id"], x["name"], x["parameters"]) for x in s["layers"]]

    before = shape(edit(sedge, scene, "willows", name="Osiers").json())
    new = {"kind": "scatter", "name": "More", "parameters": {"spacing": 20}}
    sedge.post(f"{base}/layers", json=new).raise_for_status()
    sedge.delete(f"{base}/layers/sedges", headers=joined).raise_for_status()
    now = sedge.get(base).json()
    renamed = {"version": layer(now, "willows")["version"], "name": "Sallows"}
    last = sedge.patch(f"{base}/layers/willows", json=renamed, headers=joined).json()
    after = shape(last)
    assert last["undo"] == "add More", "it is called by the first of them"
    undone = sedge.post(f"{base}/undo").json()
    assert shape(undone) == before
    assert undone["redo"] == "add More" and "Osiers" in str(undone["undo"]) + str(before)
    assert shape(sedge.post(f"{base}/redo").json()) == after
    assert shape(sedge.post(f"{base}/undo").json()) == before
    # another edit in their place: they are gone from what can be redone
    edit(sedge, sedge.get(base).json(), "holt", name="Copse")
    problem(sedge.post(f"{base}/redo"), 404)
    assert shape(sedge.post(f"{base}/undo").json()) == before


def test_my_undo_never_undoes_anothers_edit(
    sedge: httpx.Client, tansy: httpx.Client, demo_id: str
) -> None:
    start = sedge.get(f"/api/scenes/{demo_id}").json()
    edit(sedge, start, "carr", parameters={"fill": 31, "turn": 90})
    theirs = edit(
        tansy, tansy.get(f"/api/scenes/{demo_id}").json(), "carr", parameters={"fill": 44}
    ).json()
    assert layer(theirs, "carr")["parameters"]["fill"] == 44
    undone = sedge.post(f"/api/scenes/{demo_id}/undo").json()
    assert layer(undone, "carr")["parameters"]["fill"] == 44, "tansy's value stays"
    assert layer(undone, "carr")["parameters"]["turn"] == 360, "sedge's other field is put back"
    assert "fill" in undone["note"]
    tansy.post(f"/api/scenes/{demo_id}/undo")
    log = sedge.get(f"/api/scenes/{demo_id}/edits").json()
    assert [e["author"] for e in log[:4]] == ["tansy", "sedge", "tansy", "sedge"]
    edit(sedge, sedge.get(f"/api/scenes/{demo_id}").json(), "carr", parameters={"fill": 58})


@pytest.mark.parametrize("layer_id", ["ground", "bake"])
def test_ground_and_bake_stay_where_they_are(
    sedge: httpx.Client, scene: dict[str, Any], layer_id: str
) -> None:
    base = f"/api/scenes/{scene['id']}/layers"
    problem(sedge.delete(f"{base}/{layer_id}"), 422)
    problem(sedge.post(f"{base}/{layer_id}/move", json={"version": 1, "before": None}), 422)
    problem(edit(sedge, scene, layer_id, hidden=True), 422)
    problem(sedge.post(base, json={"kind": layer_id, "name": "another"}), 422)
    problem(sedge.post(f"{base}/willows/move", json={"version": 1, "before": "ground"}), 422)


def unpacked(data: bytes) -> list[bytes]:
    out = []
    while data:
        length = int.from_bytes(data[:4], "little")
        out.append(data[4 : 4 + length])
        data = data[4 + length :]
    return out


def evaluated(client: httpx.Client, scene: dict[str, Any]) -> dict[str, dict[str, Any]]:
    view = client.get(f"/api/scenes/{scene['id']}/evaluation", params={"y": 5}).json()
    return {x["id"]: x for x in view["layers"]}


def test_a_wall_travels_with_its_levels_and_while_dragged_without(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    wall = {"kind": "wall", "name": "Fold", "parameters": {"points": [[-6, 30], [6, 30]]}}
    made = sedge.post(f"/api/scenes/{scene['id']}/layers", json=wall).json()["created_id"]
    solids = evaluated(sedge, scene)[made]["solids"]
    laid = [s for s in solids if s["coarser"]]
    assert laid
    for solid in laid:
        levels = [{**solid, "switch_distance": 0.0}, *solid["coarser"]]
        assert len(levels) == 3
        for key in ("triangles", "switch_distance"):
            told = [level[key] for level in levels]
            assert told == sorted(told, reverse=key == "triangles") and len(set(told)) == 3
        for level in levels:
            document = read_json(sedge.get(level["mesh"]).content)
            corners = [
                document["accessors"][p["indices"]]["count"]
                for mesh in document["meshes"]
                for p in mesh["primitives"]
            ]
            assert sum(corners) == 3 * level["triangles"]
    moved = {"points": [[-6, 30], [6, 31]]}
    body = {"layer": made, "parameters": moved, "client": "a", "serial": 1}
    view = sedge.post(f"/api/scenes/{scene['id']}/draft", json=body).json()
    drafted = next(x for x in view["layers"] if x["id"] == made)["solids"]
    assert drafted and not any(s["coarser"] for s in drafted)


def test_a_wall_is_seen_from_both_sides(sedge: httpx.Client, scene: dict[str, Any]) -> None:
    own = {"id": "o", "at": [0, 30], "width": 1.5}
    line = {"points": [[-6, 30], [6, 30]], "openings": [own]}
    wall = {"kind": "wall", "name": "Fold", "parameters": line}
    made = sedge.post(f"/api/scenes/{scene['id']}/layers", json=wall).json()["created_id"]
    url = f"/api/scenes/{scene['id']}/layers/{made}/elevation"
    right, left = (sedge.get(url, params={"face": f}).json() for f in ("right", "left"))
    assert right["length"] == pytest.approx(12, abs=0.01) and right["knots"] == [0, right["length"]]
    assert right["stones"] != left["stones"] and right["gaps"] == left["gaps"]
    for view in (right, left):
        high = round(1000 * (view["high"] - view["low"]))
        for tone, *corners in view["stones"]:
            assert 0 <= tone < 5 and len(corners) >= 6 and len(corners) % 2 == 0
            assert min(corners[1::2]) >= 0 and max(corners[1::2]) <= high + 1
    (gap,) = right["gaps"]
    assert (gap["id"], gap["path"]) == ("o", "")
    assert gap["end"] - gap["start"] == pytest.approx(1.5)
    problem(sedge.get(url, params={"face": "under"}), 422)
    assert "has no elevation" in problem(sedge.get(url.replace(made, "willows")), 422)["detail"]


def test_the_evaluation_is_that_of_the_core(sedge: httpx.Client, scene: dict[str, Any]) -> None:
    view = sedge.get(f"/api/scenes/{scene['id']}/evaluation", params={"y": 5}).json()
    library = Library()
    evaluation = Evaluator(library).evaluate(read_document(SMALL))
    seen = 0
    for shown, result in zip(view["layers"], evaluation.layers, strict=True):
        assert (shown["id"], shown["key"]) == (result.layer.id, result.key)
        assert len(shown["solids"]) == len(result.output.solids)
        placed = result.output.placements
        if placed is None:
            assert shown["placements"] is None
            continue
        tiles = shown["placements"]["tiles"]
        names = [t["data"] for t in tiles]
        packed = sedge.post("/api/blobs/pack", json={"names": names}).content
        assert unpacked(packed) == [t.placements.to_bytes() for t in placed.tiles]
        assert [(t["x"], t["z"], t["count"]) for t in tiles] == [
            (t.x, t.z, t.placements.count) for t in placed.tiles
        ]
        for variant, v in zip(shown["placements"]["variants"], placed.variants, strict=True):
            levels = library.levels(v)
            assert [x["triangles"] for x in variant["levels"]] == [x.mesh.triangles for x in levels]
            # the view draws the farthest by the card that faces the eye
            for level, product in zip(
                variant["levels"], [*levels[:-1], library.dome(v)], strict=True
            ):
                mesh = read_json(sedge.get(level["mesh"]).content)
                indices = [
                    mesh["accessors"][p["indices"]]["count"]
                    for p in mesh["meshes"][0]["primitives"]
                ]
                assert sum(indices) // 3 == product.mesh.triangles
                seen += 1
    assert seen == 12
    ground = view["layers"][0]["surface"]
    content = sedge.get(f"/api/blobs/{ground['heights']}").content
    heights = np.frombuffer(content, "<f4").reshape(ground["samples"], -1)
    assert np.array_equal(heights, evaluation.surface.heights)  # type: ignore[attr-defined]
    curve = view["layers"][1]["curves"][0]
    line = np.frombuffer(sedge.get(f"/api/blobs/{curve['line']}").content, "<f4").reshape(-1, 2)
    assert np.allclose(line, evaluation.layer("dyke").output.curves[0].line, atol=1e-4)
    assert view["total"]["instances"] == sum(x["weight"]["instances"] for x in view["layers"])


def test_lamps_travel_with_the_evaluation_and_with_a_draft(sedge: httpx.Client) -> None:
    lamp = {"lumens": 300, "height": 1.5, "right": 0.2}
    document = copy.deepcopy(SMALL)
    document["assets"][0]["parameters"]["game"] = {"lamp": lamp}
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": document}).json()
    variants = [
        v
        for x in evaluated(sedge, made).values()
        for v in (x["placements"] or {"variants": []})["variants"]
    ]
    assert {v["asset"] for v in variants if v["lamps"]} == {"willow"}
    for own in (v["lamps"] for v in variants if v["lamps"]):
        assert [(x["lumens"], x["position"]) for x in own] == [(300, [0.2, 1.5, 0.0])]
    draft = sedge.post(
        "/api/make",
        json={"kind": "tree", "seed": 1, "detail": 2, "parameters": {"game": {"lamp": lamp}}},
    )
    extras = read_json(draft.content)["scenes"][0]["extras"]
    assert extras["lamps"] == variants[0]["lamps"]
    wrong = sedge.post(
        "/api/make",
        json={
            "kind": "tree",
            "seed": 1,
            "detail": 2,
            "parameters": {"game": {"lamp": {"lumens": -1}}},
        },
    )
    assert "game.lamp.lumens" in problem(wrong, 422)["detail"]
    sedge.delete(f"/api/scenes/{made['id']}")


def test_only_tiles_that_changed_are_sent_again(sedge: httpx.Client, scene: dict[str, Any]) -> None:
    before = evaluated(sedge, scene)["willows"]["placements"]["tiles"]
    points = [[-60, 5], [0, -8], [60, 30]]
    assert edit(sedge, scene, "dyke", parameters={"points": points}).status_code == 200
    after = evaluated(sedge, scene)["willows"]["placements"]["tiles"]
    west = [t["data"] for t in before if t["x"] < 0]
    assert west == [t["data"] for t in after if t["x"] < 0], "as they were"
    assert {t["data"] for t in before} != {t["data"] for t in after}


def test_a_level_is_made_when_it_is_asked_for_and_told_by_its_key(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    variant = evaluated(sedge, scene)["willows"]["placements"]["variants"][0]
    address = variant["levels"][0]["mesh"]
    answer = sedge.get(address)
    assert answer.status_code == 200
    assert "immutable" in answer.headers["cache-control"]
    problem(sedge.get(address[:-6] + "000000"), 404)
    problem(sedge.get(address.replace("/0?", "/9?")), 404)
    willow = next(a for a in scene["assets"] if a["id"] == "willow")
    body = {"version": willow["version"], "parameters": {"height": 4}}
    assert sedge.patch(f"/api/scenes/{scene['id']}/assets/willow", json=body).status_code == 200
    problem(sedge.get(address), 404)


def test_blobs_may_be_kept_for_good(sedge: httpx.Client, scene: dict[str, Any]) -> None:
    address = f"/api/blobs/{evaluated(sedge, scene)['ground']['surface']['heights']}"
    answer = sedge.get(address)
    assert "immutable" in answer.headers["cache-control"]
    again = sedge.get(address, headers={"If-None-Match": answer.headers["etag"]})
    assert again.status_code == 304
    problem(sedge.get("/api/blobs/" + "0" * 40), 404)
    problem(sedge.post("/api/blobs/pack", json={"names": ["0" * 40]}), 404)
    problem(sedge.post("/api/blobs/pack", json={"names": ["../x"]}), 422)


def test_a_draft_keeps_nothing_and_the_latest_wins(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    url = f"/api/scenes/{scene['id']}/draft"

    def draft(fill: int, serial: int) -> httpx.Response:
        body = {"layer": "willows", "parameters": {"fill": fill}, "client": "a", "serial": serial}
        return sedge.post(url, json=body)

    def count(answer: httpx.Response) -> int:
        layers = answer.json()["layers"]
        found = next(x for x in layers if x["id"] == "willows")
        return int(found["placements"]["count"])

    assert count(draft(100, 5)) > count(draft(20, 6))
    assert problem(draft(50, 3), 409)["title"] == "Superseded"
    assert sedge.get(f"/api/scenes/{scene['id']}").json()["edits"] == 0
    problem(draft(900, 9), 422)


def test_a_heavy_layer_is_drawn_in_part_while_it_is_dragged_and_whole_when_it_is_let_go(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    body = {"layer": "sedges", "parameters": {"spacing": 0.15, "apart": 0}, "client": "h"}

    def sedges(answer: httpx.Response) -> dict[str, Any]:
        found = next(x for x in answer.json()["layers"] if x["id"] == "sedges")
        return dict(found["placements"])

    url = f"/api/scenes/{scene['id']}"
    light = sedges(sedge.post(f"{url}/draft", json={**body, "serial": 1, "light": True}))
    whole = sedges(sedge.post(f"{url}/draft", json={**body, "serial": 2}))
    assert 50_000 < light["count"] < 150_000 and whole["count"] > 250_000
    assert light["count"] / light["share"] == pytest.approx(whole["count"], rel=0.2)
    assert whole["share"] == 1
    assert all(x["placements"]["share"] == 1 for x in placing(sedge, url))


def placing(client: httpx.Client, url: str) -> list[dict[str, Any]]:
    """The layers that place something."""
    layers = client.get(f"{url}/evaluation").json()["layers"]
    return [x for x in layers if x["placements"]]


def test_an_asset_is_made_without_being_kept(sedge: httpx.Client) -> None:
    body = {"kind": "tree", "parameters": {"first": {"count": 6}, "texture_size": "128"}, "seed": 3}
    made = [read_json(sedge.post("/api/make", json=body | {"detail": d}).content) for d in range(4)]
    triangles = [m["scenes"][0]["extras"]["triangles"] for m in made]
    assert triangles[0] > triangles[1] > triangles[2] > triangles[3] == 4
    assert made[0]["scenes"][0]["extras"]["counts"]["first"] == 6
    image = made[0]["images"][0]["uri"]
    assert sedge.get(image).headers["content-type"] == "image/png"
    assert (
        "height"
        in problem(
            sedge.post("/api/make", json={"kind": "tree", "parameters": {"height": -1}}), 422
        )["detail"]
    )
    problem(sedge.post("/api/make", json={"kind": "cactus"}), 422)


def test_a_document_is_the_same_after_down_and_upload(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    document = sedge.get(f"/api/scenes/{scene['id']}/document").json()
    copy = sedge.post("/api/scenes", json={"name": document["name"], "document": document}).json()
    assert sedge.get(f"/api/scenes/{copy['id']}/document").json() == document
    assert sedge.delete(f"/api/scenes/{copy['id']}").status_code == 204


def test_the_picture_is_checked(sedge: httpx.Client, scene: dict[str, Any]) -> None:
    url = f"/api/scenes/{scene['id']}/picture"
    problem(sedge.put(url, content=b"not a picture"), 422)
    problem(sedge.put(url, content=b"\xff\xd8\xff" + b"0" * 400_000), 413)
    assert sedge.put(url, content=b"\xff\xd8\xff" + b"0" * 100).status_code == 204
    assert sedge.get(url).content.startswith(b"\xff\xd8\xff")
