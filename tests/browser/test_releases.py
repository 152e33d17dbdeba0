"""Releases compared, noted, pinned, deleted, and a scene taken back to one, as a person does it."""

from __future__ import annotations

from typing import Any

import httpx
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page, packet
from tests.service.test_work import wait

pytestmark = pytest.mark.browser


def baked(client: httpx.Client, scene_id: str) -> int:
    base = f"/api/scenes/{scene_id}/releases"
    number = client.post(base).json()["number"]
    assert wait(client, f"{base}/{number}")["state"] == "done"
    return int(number)


def fill(client: httpx.Client, scene_id: str) -> float:
    layers = client.get(f"/api/scenes/{scene_id}").json()["layers"]
    return float(next(x for x in layers if x["id"] == "willows")["parameters"]["fill"])


def choose(page: Page, release: int, item: str) -> None:
    """An item of a release's menu."""
    page.one(f"[aria-label='more about release {release}']").click()
    path = f"//li[@data-release='{release}']//*[normalize-space()='{item}' and self::button]"
    page.until(
        lambda: [e for e in page.driver.find_elements(By.XPATH, path) if e.is_displayed()], item
    )[0].click()


def test_two_releases_are_compared_and_the_scene_is_taken_back(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    first = baked(sedge, scene_id)
    was = fill(sedge, scene_id)
    layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
    version = next(x["version"] for x in layers if x["id"] == "willows")
    body = {"version": version, "parameters": {"fill": was / 2}}
    assert sedge.patch(f"/api/scenes/{scene_id}/layers/willows", json=body).status_code == 200
    second = baked(sedge, scene_id)
    told = sedge.get(f"/api/scenes/{scene_id}/releases/{second}/compare/{first}").json()
    gone = next(x["removed"] for x in told["layers"] if x["id"] == "willows")
    assert gone > 5

    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "bake")
    choose(page, second, "Compare…")
    page.until(lambda: page.all(f"[data-compared='{first} {second}']"), "compared")
    row = page.one("[data-layer='willows']").text
    assert f"Fill {was:g} → {was / 2:g}" in row
    assert f"{gone} gone" in row
    # the other way round
    Select(page.one("#compare-left")).select_by_value(str(second))
    Select(page.one("#compare-right")).select_by_value(str(first))
    page.until(lambda: page.all(f"[data-compared='{second} {first}']"), "the other way round")
    assert f"{gone} added" in page.one("[data-layer='willows']").text
    # in the view
    page.button("Show it in the view").click()
    shown = sum(len(told[n]) for n in ("added", "removed", "moved"))
    page.until(lambda: page.one("[data-marks]").get_attribute("data-marks") == str(shown), "marks")
    drawn = "const c = document.querySelector('[data-marks]'); return c.getContext('2d').getImageData(0, 0, c.width, c.height).data.some((v) => v > 0)"
    page.until(lambda: page.driver.execute_script(drawn), "drawn over the view")
    page.one("[aria-label='hide what differs']").click()
    page.until(lambda: not page.all("[data-marks]"), "hidden")
    # back, and back again
    choose(page, first, "Take the scene back…")
    page.button("Take it back").click()
    page.until(lambda: fill(sedge, scene_id) == was, "taken back")
    page.until(
        lambda: f"back to release {first}" in (page.button("Undo").get_attribute("title") or ""),
        "told",
    )
    page.button("Undo").click()
    page.until(lambda: fill(sedge, scene_id) == was / 2, "undone")
    assert not page.errors()


def test_a_release_is_noted_pinned_and_deleted(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    number = baked(sedge, scene_id)
    address = f"/api/scenes/{scene_id}/releases/{number}"
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "bake")
    choose(page, number, "Notes…")
    page.one("textarea[aria-label='notes']").send_keys("For the review.")
    page.button("Write it").click()
    page.until(lambda: "For the review." in page.one(f"[data-release='{number}']").text, "noted")
    choose(page, number, "Pin")
    page.until(lambda: sedge.get(address).json()["pinned"], "pinned")
    page.until(lambda: page.all("[aria-label='pinned']"), "a pin")
    choose(page, number, "Take the pin out")
    page.until(lambda: not sedge.get(address).json()["pinned"], "not pinned")
    choose(page, number, "Delete…")
    page.button("Delete it").click()
    page.until(lambda: sedge.get(address).status_code == 404, "deleted")
    page.until(lambda: "There is none yet" in page.text("aside"), "none left")
    assert not page.errors()


def test_a_profile_is_chosen_and_the_scene_mended_for_it(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    address = f"/api/scenes/{scene_id}"

    def layer() -> dict[str, Any]:
        layers = sedge.get(address).json()["layers"]
        return next(x for x in layers if x["id"] == "sedges")  # type: ignore[no-any-return]

    def instances() -> int:
        return int(sedge.get(f"{address}/evaluation").json()["total"]["instances"])

    body = {"version": layer()["version"], "parameters": {"spacing": 0.6, "fill": 100.0}}
    assert sedge.patch(f"{address}/layers/sedges", json=body).status_code == 200
    before = instances()
    assert before > 4_000, "more than a phone bears"
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "bake")
    assert not page.all("[aria-label='what could give way']")
    Select(page.one("[aria-label='target profile']")).select_by_value("phone")
    page.until(lambda: "Over by" in page.text("[aria-label='what could give way']"), "too heavy")
    told = page.one("[aria-label^='thin ']").get_attribute("aria-label") or ""
    share = float(told.split(" to ")[1].removesuffix(" %"))
    page.one("[aria-label^='thin ']").click()
    page.until(lambda: layer()["game"].get("phone") == share, "thinned")
    assert instances() < before
    page.until(lambda: told not in page.text("aside"), "told anew")
    page.button("Undo").click()
    page.until(lambda: layer()["game"].get("phone", 100.0) == 100.0, "undone")
    assert not page.errors()


def test_levels_are_named_by_a_pattern(page: Page, sedge: httpx.Client, scene_id: str) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "bake")
    names = lambda: page.text("[aria-label='names of levels']")  # noqa: E731
    page.until(lambda: "willow-1-0" in names(), "names by default")
    field = page.one("[data-field='names'] input")

    def typed(pattern: str) -> None:
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(pattern, Keys.TAB)

    typed("SM_{asset}_{seed}_lod{level}")
    page.until(lambda: "SM_willow_1_lod0" in names(), "by the pattern")
    page.one("[aria-label='names of levels'] button").click()
    page.until(lambda: names().count("SM_") == 10, "ten of them")
    typed("{asset}_{level}")
    page.until(lambda: "would be the name of" in names(), "why not")
    typed("{lod}")
    page.until(lambda: "no field {lod}" in page.text("body"), "unknown")
    layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
    assert layers[-1]["parameters"]["names"] == "{asset}_{level}", "what is no pattern is not kept"
    assert not [e for e in page.errors() if "422" not in e]


def test_a_profile_of_ones_own_is_made_and_told_apart(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    address = f"/api/scenes/{scene_id}"
    settings = lambda: sedge.get(address).json()["settings"]  # noqa: E731
    page.sign_in("sedge")
    page.open_scene(scene_id)
    page.one("[aria-label='own profiles']").click()
    page.button("New profile").click()
    page.until(lambda: settings()["profile"] == "own-1", "made, and chosen")
    field = page.one("[data-profile] [data-field='triangles'] input[aria-label$='value']")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("1000", Keys.TAB)
    page.until(lambda: settings()["profiles"][0]["triangles"] == 1000, "a limit")
    name = page.one("[data-profile] label input")
    name.send_keys(Keys.CONTROL, "a")
    name.send_keys("Hand-held", Keys.TAB)
    page.until(lambda: settings()["profiles"][0]["name"] == "Hand-held", "a name")
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("dialog[open]"), "closed")
    chosen = Select(page.one("[aria-label='target profile']"))
    assert chosen.first_selected_option.text == "Hand-held"
    packet(page, "bake")
    page.until(lambda: "Over by" in page.text("[aria-label='what could give way']"), "too heavy")
    # taken away again, the scene is made for what it was like
    page.one("[aria-label='own profiles']").click()
    page.button("Delete Hand-held").click()
    page.until(lambda: settings()["profile"] == "console", "gone")
    assert settings()["profiles"] == []
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("dialog[open]"), "closed again")
    page.button("Undo").click()
    page.until(lambda: settings()["profile"] == "own-1", "undone")
    assert not page.errors()


def test_how_far_each_part_is_can_be_seen(page: Page, sedge: httpx.Client, scene_id: str) -> None:
    address = f"/api/scenes/{scene_id}"
    bake = lambda: sedge.get(address).json()["layers"][-1]  # noqa: E731
    body = {
        "version": bake()["version"],
        "parameters": {"layout": "tiles", "tile_side": "32", "textures": False},
    }
    assert sedge.patch(f"{address}/layers/{bake()['id']}", json=body).status_code == 200
    first = baked(sedge, scene_id)
    layers = sedge.get(address).json()["layers"]
    row = next(x for x in layers if x["id"] == "willows")
    body = {"version": row["version"], "parameters": {"fill": row["parameters"]["fill"] / 2}}
    assert sedge.patch(f"{address}/layers/willows", json=body).status_code == 200
    second = baked(sedge, scene_id)
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "bake")

    def states(number: int) -> list[str]:
        page.one(f"[data-release='{number}'] button[aria-expanded]").click()
        page.one(f"[data-release='{number}'] details summary").click()
        tiles = f"[data-release='{number}'] [data-tile]"
        page.until(lambda: len(page.all(tiles)) == 16, "a tile each")
        found = [str(t.get_attribute("data-tile")) for t in page.all(tiles)]
        page.one(f"[data-release='{number}'] button[aria-expanded]").click()
        return found

    assert set(states(first)) == {"made"}
    again = states(second)
    parts = sedge.get(f"{address}/releases/{second}/parts").json()
    tiles = [p for p in parts if p["name"].startswith("tiles/")]
    assert sorted(again) == sorted(p["state"] for p in tiles)
    assert {"made", "there"} == set(again), "only what changed was made"
    shapes = [p for p in parts if p["name"].startswith("shapes of")]
    assert {p["state"] for p in shapes} == {"there"}
    assert not page.errors()
