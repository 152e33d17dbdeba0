"""Edits down to the elements of lists, and edits that are sent twice."""

from __future__ import annotations

import json
import uuid
from typing import Any

import httpx
import psycopg
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from plough.core.errors import ParameterError
from plough.service.db.renaming import borders_to_conditions, rename_parameters
from plough.service.db.session import Database
from plough.service.fields import by_element, changed, flatten, nested
from tests.conftest import SMALL, Running
from tests.service.test_scenes import edit, problem

names = st.text("abcdef", min_size=1, max_size=4)
leaves = (
    st.integers(0, 9)
    | st.text("xyz", max_size=3)
    | st.lists(st.integers(0, 9), min_size=1, max_size=3)
)
elements = st.lists(
    st.fixed_dictionaries({"id": st.text("pqrst", min_size=1, max_size=3), "v": st.integers(0, 9)}),
    min_size=1,
    max_size=5,
    unique_by=lambda e: e["id"],
)
trees = st.recursive(
    leaves | elements,
    lambda inner: st.dictionaries(names, inner, min_size=1, max_size=3),
    max_leaves=8,
)
roots = st.dictionaries(names, trees, min_size=1, max_size=4)


@given(roots)
def test_a_tree_is_put_together_again_from_its_fields(tree: dict[str, Any]) -> None:
    assert nested(flatten(tree, "t"), "t") == tree


@given(elements, elements)
def test_a_list_given_whole_takes_the_place_of_the_one_there(
    old: list[dict[str, Any]], new: list[dict[str, Any]]
) -> None:
    before, wanted = flatten({"list": old}, "t"), flatten({"list": new}, "t")
    forward = changed(before, wanted)
    after = nested({**before, **forward}, "t").get("list", [])
    assert {e["id"]: e for e in after} == {e["id"]: e for e in new}
    inverse = {k: before.get(k) for k in forward}
    back = nested({**before, **forward, **inverse}, "t")["list"]
    assert {e["id"]: e for e in back} == {e["id"]: e for e in old}


def test_one_element_is_added_changed_and_removed() -> None:
    before = flatten({"list": [{"id": "a", "v": 1}, {"id": "b", "v": 2}]}, "t")
    add = changed(before, flatten({"list#c": {"v": 3}}, "t"))
    assert add == {"t.list#c": {"value": {"v": 3, "id": "c"}}}
    after = {**before, **add}
    assert nested(after, "t")["list"][-1] == {"v": 3, "id": "c"}
    after |= changed(after, flatten({"list#a": {"v": 9}}, "t"))
    assert [e["v"] for e in nested(after, "t")["list"]] == [9, 2, 3], "in its place"
    after |= changed(after, flatten({"list#b": None}, "t"))
    assert [e["id"] for e in nested(after, "t")["list"]] == ["a", "c"]


def test_two_elements_of_one_id_are_refused() -> None:
    with pytest.raises(ParameterError, match="more than once"):
        flatten({"list": [{"id": "a"}, {"id": "a"}]}, "t")


def test_an_edit_of_old_is_told_by_element() -> None:
    a, b = {"id": "a", "v": 1}, {"id": "b", "v": 2}
    forward, wanted = by_element({"s.list": [a]}, {"s.list": [a, b]})
    assert forward == {"s.list#a": {"at": 0, "value": a}, "s.list#b": None}
    assert wanted["s.list#b"] == {"at": 1, "value": b}
    assert by_element({"x": 1}, {"x": 2}) == ({"x": 1}, {"x": 2})


# Against the service


@pytest.fixture
def shared(sedge: httpx.Client) -> dict[str, Any]:
    scene = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": SMALL}).json()
    sedge.put(f"/api/scenes/{scene['id']}/members", json={"name": "tansy", "role": "editor"})
    return scene  # type: ignore[no-any-return]


def view(name: str, x: float) -> dict[str, Any]:
    return {"name": name, "eye": [x, 2, 0], "target": [0, 1, 0]}


def patch(
    client: httpx.Client, scene: str, settings: dict[str, Any], **headers: str
) -> httpx.Response:
    version = client.get(f"/api/scenes/{scene}").json()["version"]
    body = {"version": version, "settings": settings}
    return client.patch(f"/api/scenes/{scene}", json=body, headers=headers)


def viewpoints(client: httpx.Client, scene: str) -> list[str]:
    return [v["name"] for v in client.get(f"/api/scenes/{scene}").json()["settings"]["viewpoints"]]


def test_viewpoints_of_two_people_merge_and_each_undoes_their_own(
    sedge: httpx.Client, tansy: httpx.Client, shared: dict[str, Any]
) -> None:
    url = shared["id"]
    assert patch(sedge, url, {"viewpoints#one": view("Reeds", 1)}).status_code == 200
    assert patch(tansy, url, {"viewpoints#two": view("Dyke", 2)}).status_code == 200
    assert patch(sedge, url, {"viewpoints#three": view("Holt", 3)}).status_code == 200
    assert viewpoints(sedge, url) == ["Reeds", "Dyke", "Holt"]
    tansy.post(f"/api/scenes/{url}/undo")
    assert viewpoints(sedge, url) == ["Reeds", "Holt"]
    assert patch(sedge, url, {"viewpoints#one": None}).status_code == 200
    tansy.post(f"/api/scenes/{url}/redo")
    assert viewpoints(sedge, url) == ["Holt", "Dyke"]
    sedge.post(f"/api/scenes/{url}/undo")
    assert sorted(viewpoints(sedge, url)) == ["Dyke", "Holt", "Reeds"]
    assert (
        "name" in problem(patch(sedge, url, {"viewpoints#four": {"eye": [0, 0, 0]}}), 422)["detail"]
    )


def test_a_list_given_whole_still_works(sedge: httpx.Client, shared: dict[str, Any]) -> None:
    url = shared["id"]
    both = [{"id": "a", **view("A", 1)}, {"id": "b", **view("B", 2)}]
    patch(sedge, url, {"viewpoints": both})
    assert viewpoints(sedge, url) == ["A", "B"]
    patch(sedge, url, {"viewpoints": both[1:]})
    assert viewpoints(sedge, url) == ["B"]
    patch(sedge, url, {"viewpoints": []})
    assert viewpoints(sedge, url) == []
    for left in (["B"], ["A", "B"], []):
        sedge.post(f"/api/scenes/{url}/undo")
        assert viewpoints(sedge, url) == left


def test_an_edit_that_is_sent_twice_is_made_once(
    sedge: httpx.Client, shared: dict[str, Any]
) -> None:
    url = f"/api/scenes/{shared['id']}"
    key = {"Idempotency-Key": uuid.uuid4().hex}
    new = {"kind": "area", "name": "Twice", "parameters": {"corners": [[0, 0], [9, 0], [0, 9]]}}
    first, second = (sedge.post(f"{url}/layers", json=new, headers=key) for _ in range(2))
    assert first.status_code == 201
    assert second.status_code == 200
    assert first.json()["created_id"] == second.json()["created_id"]
    assert second.json()["edits"] == 1
    assert sum(x["name"] == "Twice" for x in second.json()["layers"]) == 1
    step = {"Idempotency-Key": uuid.uuid4().hex}
    for _ in range(3):
        assert sedge.post(f"{url}/undo", headers=step).status_code == 200
    scene = sedge.get(url).json()
    assert scene["edits"] == 2, "undone once"
    assert (
        sedge.post(f"{url}/redo", headers={"Idempotency-Key": uuid.uuid4().hex}).status_code == 200
    )
    change = {"Idempotency-Key": uuid.uuid4().hex}
    scene = sedge.get(url).json()
    version = next(x["version"] for x in scene["layers"] if x["id"] == "sedges")
    body = {"version": version, "parameters": {"fill": 11}}
    answers = [sedge.patch(f"{url}/layers/sedges", json=body, headers=change) for _ in range(2)]
    assert [a.status_code for a in answers] == [200, 200], "the second is not told that it is stale"
    assert edit(sedge, answers[1].json(), "sedges", parameters={"fill": 12}).status_code == 200


def test_what_the_database_holds_is_brought_under_the_names_of_today(
    sedge: httpx.Client, database_url: str
) -> None:
    """As an older release left it: in assets, and in the log, so that undo works across the change."""
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": SMALL}).json()
    url = f"/api/scenes/{made['id']}"
    body = {"version": 1, "parameters": {"first.gravitropism": 0.9}}
    assert sedge.patch(f"{url}/assets/willow", json=body).status_code == 200
    database = Database(database_url)
    with database.session() as db:
        for table, columns in (("asset", ["parameters"]), ("edit", ["forward", "inverse"])):
            for column in columns:
                old = f"replace({column}::text, 'gravitropism', 'pull')::jsonb"
                where = f"scene_id = '{made['id']}' AND {column} IS NOT NULL"
                db.execute(text(f"UPDATE {table} SET {column} = {old} WHERE {where}"))
        first = text("SELECT parameters->'first' FROM asset WHERE scene_id = :s AND id = 'willow'")
        assert db.scalar(first, {"s": made["id"]})["pull"] == 0.9
        rename_parameters(db.connection())
        assert "pull" not in db.scalar(first, {"s": made["id"]})
    database.close()

    def willow(scene: dict[str, Any]) -> dict[str, Any]:
        return dict(next(a["parameters"] for a in scene["assets"] if a["id"] == "willow"))

    assert willow(sedge.get(url).json())["first"]["gravitropism"] == 0.9
    undone = sedge.post(f"{url}/undo")
    assert undone.status_code == 200, undone.text
    assert "pull" not in willow(undone.json())["first"]
    assert willow(undone.json())["first"].get("gravitropism") != 0.9
    sedge.delete(url)


def test_borders_that_the_database_holds_become_conditions_and_undo_works_across(
    sedge: httpx.Client, database_url: str
) -> None:
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": SMALL}).json()
    url = f"/api/scenes/{made['id']}"
    database = Database(database_url)
    old = {"fill": 30, "slope": [0, 40], "paths": ["dyke"], "clearance": 6}
    forward, inverse = {"parameters.slope": [0, 40]}, {"parameters.slope": [0, 12]}
    version = next(x["version"] for x in made["layers"] if x["id"] == "sedges")
    body = {"version": version, "parameters": {"fill": 30}}
    assert sedge.patch(f"{url}/layers/sedges", json=body).status_code == 200
    with database.session() as db:
        values = {"s": made["id"], "p": json.dumps(old)}
        layer = "UPDATE layer SET parameters = :p WHERE scene_id = :s AND id = 'sedges'"
        db.execute(text(layer), values)
        edits = "UPDATE edit SET forward = :f, inverse = :i WHERE scene_id = :s AND target_id = 'sedges' AND inverse IS NOT NULL"
        values = {"s": made["id"], "f": json.dumps(forward), "i": json.dumps(inverse)}
        db.execute(text(edits), values)
        borders_to_conditions(db.connection())
    database.close()

    def slope() -> Any:
        layers = sedge.get(url).json()["layers"]
        conditions = next(x for x in layers if x["id"] == "sedges")["parameters"]["conditions"]
        assert {c["of"] for c in conditions} == {"slope", "path"}
        return next(c for c in conditions if c["of"] == "slope")["between"]

    assert slope() == [0, 40]
    undone = sedge.post(f"{url}/undo")
    assert undone.status_code == 200, undone.text
    assert slope() == [0, 12]
    assert sedge.get(f"{url}/evaluation").status_code == 200
    sedge.delete(url)


def test_a_scene_of_before_has_a_sky_and_its_clouds_can_be_undone(
    running: Running, sedge: httpx.Client, shared: dict[str, Any]
) -> None:
    url = shared["id"]
    with psycopg.connect(running.database_url) as db:
        db.execute("UPDATE scene SET settings = settings - 'sky' WHERE id = %s", (url,))
    sky = lambda: sedge.get(f"/api/scenes/{url}").json()["settings"]["sky"]  # noqa: E731
    before = sky()
    assert patch(sedge, url, {"sky": {"cover": 0.9, "mist": 0.4}}).status_code == 200
    assert sky() == {"cover": 0.9, "mist": 0.4}
    sedge.post(f"/api/scenes/{url}/undo")
    assert sky() == before


@pytest.mark.parametrize("wrong", [2, -0.1, 1e300, "much", None, [], "NaN"])
def test_weather_and_lenses_beyond_their_limits_are_refused_by_name(
    sedge: httpx.Client, shared: dict[str, Any], wrong: object
) -> None:
    url = shared["id"]
    patch(sedge, url, {"viewpoints#one": view("Reeds", 1)})
    before = sedge.get(f"/api/scenes/{url}").json()["settings"]
    if wrong is not None:  # nothing in a field's place takes its change back
        told = problem(patch(sedge, url, {"sky": {"cover": wrong}}), 422)["detail"]
        assert "sky.cover" in told
    for field, factor in (("exposure", 10), ("lens", 1000), ("focus", 1e5)):
        value = wrong * factor if isinstance(wrong, int | float) else wrong
        if field == "exposure" and value == -1:
            continue  # a stop less is a stop less
        told = problem(
            patch(sedge, url, {"viewpoints#one": {**view("Reeds", 1), field: value}}), 422
        )
        assert field in told["detail"]
    assert sedge.get(f"/api/scenes/{url}").json()["settings"] == before


def test_the_numbers_of_the_settings_are_told_with_their_limits(sedge: httpx.Client) -> None:
    told = sedge.get("/api/kinds").json()["settings"]
    assert [(r["path"], r["low"], r["high"]) for r in told["sky"]] == [
        ("cover", 0, 1),
        ("mist", 0, 1),
    ]
    assert {r["path"]: r["unit"] for r in told["viewpoint"]} == {
        "exposure": "stops",
        "lens": "mm",
        "focus": "m",
    }
