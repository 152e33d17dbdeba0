"""An artist at work: signs in, changes a rule and a tree, sees the result, undoes, bakes, downloads."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path

import httpx
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page, begin, differing, draw, packet, picture
from tests.core.test_bake import validate


def placed(page: Page) -> int:
    return int(page.text('[data-summary="How close"]').split()[0].replace(",", "") or 0)


def count_of(page: Page) -> int:
    return int(page.until(lambda: placed(page) > 0 and placed(page), "a count"))


def test_a_wrong_password_is_told(page: Page) -> None:
    page.driver.get(page.base)
    page.one("input[autocomplete=username]").send_keys("sedge")
    page.one("input[type=password]").send_keys("wrong" + Keys.ENTER)
    assert "name or password is wrong" in page.text("[role=alert]")


def test_changing_a_rule_changes_the_count_and_the_picture_and_is_undone(
    page: Page, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "willows")
    before, first = count_of(page), picture(page)
    assert len(first.resize((60, 40)).getcolors(10_000) or ()) > 100, "the view shows a scene"
    # a value in the sentence, by its chip
    page.one('button[aria-label^="fill: 80 %"]').click()
    typed = page.one('[role=dialog] input[aria-label="Fill, value"]')
    typed.click()
    page.chord(Keys.CONTROL, "a")
    page.keys("10*2", Keys.ENTER)
    page.until(lambda: 0 < placed(page) < before, "fewer willows")
    less = count_of(page)
    assert less < 0.45 * before
    assert "filled to 20 %" in page.text("[data-sentence]").replace("\n", " ")
    assert differing(first, picture(page)) > 0.003
    page.keys(Keys.ESCAPE)
    page.button("Undo").click()
    page.until(lambda: placed(page) == before, "all willows again")
    assert differing(first, picture(page)) < 0.002
    page.chord(Keys.CONTROL, Keys.SHIFT, "z")
    page.until(lambda: placed(page) == less, "fewer again")
    # nothing is lost to a reload
    page.driver.refresh()
    page.loaded()
    packet(page, "willows")
    assert count_of(page) == less
    assert page.errors() == []
    assert page.hosts() == {page.base.removeprefix("http://")}, (
        "no page asks any other host for anything"
    )


def test_dragging_a_ruler_shows_the_result_while_it_is_dragged(
    page: Page, scene_id: str, sedge: httpx.Client
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "sedges")
    before = count_of(page)
    ruler = page.one('[data-field="spacing"] [role=slider]')
    page.drag(ruler, 40)
    page.until(lambda: placed(page) < before, "fewer sedges")
    assert float(ruler.get_attribute("aria-valuenow") or 0) > 4
    # by keys, and back to the default
    page.until(lambda: "saved" in page.text("header [role=status]"), "saved")
    now = page.settled(lambda: placed(page))
    ruler.send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
    page.until(lambda: placed(page) > now, "more sedges")
    # undo takes the nudge that has not been let go of, and Delete on a ruler removes no layer
    shown = lambda: float(ruler.get_attribute("aria-valuenow") or 0)  # noqa: E731

    def kept() -> float:
        layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
        return next(x for x in layers if x["id"] == "sedges")["parameters"]["spacing"]  # type: ignore[no-any-return]

    page.until(lambda: kept() == shown(), "the nudges kept")
    ruler.send_keys(Keys.DELETE)
    page.until(lambda: kept() == shown(), "the default kept")
    default = shown()
    ruler.send_keys(Keys.ARROW_RIGHT)
    assert shown() > default
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: shown() == default == kept(), "the ruler's old place")
    assert page.all('[data-packet="sedges"]'), "the layer is there"


def test_dials_turn_by_pointer_and_by_keys_and_undo_takes_the_last_turn(
    page: Page, scene_id: str, sedge: httpx.Client
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    page.rested()

    def kept(which: str) -> dict[str, float]:
        settings = sedge.get(f"/api/scenes/{scene_id}").json()["settings"]
        return settings[which]  # type: ignore[no-any-return]

    before = kept("sun"), kept("wind")
    page.drag(page.one('svg[aria-label="sun"]'), 20)
    page.until(lambda: abs(kept("sun")["azimuth"] - 90) <= 2, "the sun in the east")
    assert 30 < kept("sun")["elevation"] < 60, "20 of 27 points from the middle"
    page.drag(page.one('svg[aria-label="wind"]'), 20)
    page.until(lambda: abs(kept("wind")["azimuth"] - 270) <= 2, "the arrow points east")
    assert kept("wind")["speed"] > 5
    turned = kept("wind")
    page.one('svg[aria-label="wind"]').send_keys(Keys.ARROW_RIGHT)
    page.chord(Keys.CONTROL, "z")  # at once: the turn has not been let go of
    page.until(lambda: "saved" in page.text("header [role=status]"), "saved")
    page.until(lambda: kept("wind") == turned, "the wind before the last turn")
    page.button("Undo").click()
    page.button("Undo").click()
    page.until(lambda: (kept("sun"), kept("wind")) == before, "sun and wind as they were")


def test_bad_input_names_the_field_and_the_limit_and_keeps_the_value(
    page: Page, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "willows")
    before = count_of(page)
    typed = page.one('[data-field="fill"] input')
    typed.click()
    page.chord(Keys.CONTROL, "a")
    page.keys("900", Keys.ENTER)
    assert "Fill: 0 to 100" in page.text('[data-field="fill"]')
    typed.click()
    page.chord(Keys.CONTROL, "a")
    page.keys("lots", Keys.ENTER)
    assert "is not a number" in page.text('[data-field="fill"]')
    assert placed(page) == before


def test_another_sessions_edit_arrives_without_reload(
    page: Page, other_page: Page, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "willows")
    before = count_of(page)
    page.button("Share").click()
    page.one('input[aria-label="account to let in"]').send_keys("tansy" + Keys.ENTER)
    page.until(lambda: page.all('select[aria-label="role of tansy"]'), "tansy in the scene")
    page.keys(Keys.ESCAPE)
    other_page.sign_in("tansy")
    other_page.open_scene(scene_id)
    page.until(
        lambda: "tansy" in (page.one('[aria-label^="here:"]').get_attribute("aria-label") or ""),
        "tansy's sign",
    )
    packet(other_page, "willows")
    typed = other_page.one('[data-field="fill"] input')
    typed.click()
    other_page.chord(Keys.CONTROL, "a")
    other_page.keys("40", Keys.ENTER)
    page.until(
        lambda: "tansy: fill of Willows" in page.text("[aria-live=polite]"), "word of tansy's edit"
    )
    page.until(lambda: placed(page) < before, "tansy's edit")
    assert not page.button("Undo").is_enabled(), "tansy's edit is not sedge's to undo"
    other_page.button("Undo").click()
    page.until(lambda: placed(page) == before, "tansy's undo")


def test_a_corner_is_dragged_in_the_view(page: Page, scene_id: str, sedge: httpx.Client) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "holt")
    page.rested()
    corner = page.one('g[aria-label="corner 2"]')
    page.drag(corner, -60, 24)

    def moved() -> bool:
        layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
        corners = next(x for x in layers if x["id"] == "holt")["parameters"]["corners"]
        return bool(corners[1] != [45, -45] and corners[0] == [-50, -40])

    page.until(moved, "the corner's new place")
    page.button("Undo").click()
    page.until(lambda: not moved(), "the corner's old place")


def test_an_area_is_drawn_and_a_layer_hidden_and_removed(page: Page, scene_id: str) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    page.rested()
    draw(page, "Area", (-150, 40), (150, 40), (120, 150), (-140, 150))
    page.until(lambda: "New area" in page.text("[aria-label=Layers]"), "the new packet")
    page.keys("h")
    page.until(lambda: "hidden" in page.text("[aria-label=Layers]"), "the hidden packet")
    page.keys(Keys.DELETE)
    page.until(lambda: "New area" not in page.text("[aria-label=Layers]"), "the packet's end")


def test_a_new_scatter_asks_what_and_shows_it_at_once(
    page: Page, scene_id: str, sedge: httpx.Client
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    before = sedge.get(f"/api/scenes/{scene_id}").json()

    def ask() -> None:
        begin(page, "Scatter")
        page.until(lambda: len(page.all("dialog[open] img")) >= 15, "pictures")

    ask()
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("dialog[open]"), "the dialog's end")
    assert sedge.get(f"/api/scenes/{scene_id}").json()["edits"] == before["edits"]
    ask()
    assert not page.button("Add the layer").is_enabled(), "nothing is chosen"
    page.all('dialog[open] button[aria-label^="place "]')[0].click()
    page.keys(Keys.DELETE)  # a key of the board does nothing behind a dialog
    page.one('input[aria-label="search what can be placed"]').send_keys("snag")
    page.button("place the preset Dead snag").click()
    page.button("Add the layer").click()
    page.until(lambda: "New scatter" in page.text("[aria-label=Layers]"), "the new packet")
    after = sedge.get(f"/api/scenes/{scene_id}").json()
    assert len(after["layers"]) == len(before["layers"]) + 1
    made = next(x for x in after["layers"] if x["name"] == "New scatter")
    assert len(made["parameters"]["mix"]) == 2
    assert [a["name"] for a in after["assets"] if a not in before["assets"]] == ["Dead snag"]
    packet = page.one(f'[data-packet="{made["id"]}"]')
    page.until(lambda: any(c in "123456789" for c in packet.text), "its number of placements")


def test_bake_and_download_a_valid_file(page: Page, scene_id: str, tmp_path: Path) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "bake")
    page.button("Bake release 1").click()
    page.until(lambda: page.all('a[aria-label="download release 1"]'), "the finished release")
    page.one('a[aria-label="download release 1"]').click()
    path = page.until(lambda: list(page.downloads.glob("*.zip")), "the download")[0]
    archive = zipfile.ZipFile(path)
    assert archive.testzip() is None
    scene = tmp_path / "scene.glb"
    scene.write_bytes(archive.read("scene.glb"))
    issues = validate(scene)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0)
    manifest = json.loads(archive.read("manifest.json"))
    assert manifest["scene"] == "Withy Hythe"
    page.driver.find_element(
        By.XPATH, "//button[starts-with(normalize-space(), 'Release 1')]"
    ).click()
    rows = page.until(
        lambda: page.driver.find_elements(
            By.XPATH, "//tr[td[normalize-space()='instances']]/td[2]"
        ),
        "the counts",
    )
    assert rows[-1].text == f"{manifest['counts']['instances']:,}"


def test_a_viewer_can_look_but_not_change(page: Page, scene_id: str, sedge: httpx.Client) -> None:
    role = {"name": "burdock", "role": "viewer"}
    assert sedge.put(f"/api/scenes/{scene_id}/members", json=role).status_code == 200
    page.sign_in("burdock")
    page.open_scene(scene_id)
    packet(page, "willows")
    assert "you are a viewer" in page.text("header [role=status]")
    assert not page.one('[data-field="fill"] input').is_enabled()
    assert not page.driver.find_elements(By.XPATH, "//button[normalize-space()='Undo']")


def test_edits_made_while_the_server_is_away_are_kept_and_sent(
    page: Page, scene_id: str, sedge: httpx.Client
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    packet(page, "willows")
    count_of(page)
    page.driver.execute_cdp_cmd("Network.enable", {})
    page.driver.execute_cdp_cmd(
        "Network.emulateNetworkConditions",
        {"offline": True, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1},
    )
    typed = page.one('[data-field="fill"] input')
    typed.click()
    page.chord(Keys.CONTROL, "a")
    page.keys("33", Keys.ENTER)
    page.until(
        lambda: "kept here and sent when the server is back" in page.text("header [role=status]"),
        "the word offline",
    )
    page.driver.execute_cdp_cmd(
        "Network.emulateNetworkConditions",
        {"offline": False, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1},
    )
    layers = lambda: sedge.get(f"/api/scenes/{scene_id}").json()["layers"]  # noqa: E731
    page.until(
        lambda: next(x for x in layers() if x["id"] == "willows")["parameters"]["fill"] == 33,
        "the edit's arrival",
    )


def test_a_new_scene_is_made_and_the_theme_switched(page: Page) -> None:
    page.sign_in("tansy")
    page.button("New scene").click()
    name = page.one("form input[maxlength='80']")
    name.send_keys("Carr Side")
    page.button("Make it").click()
    page.loaded()
    assert page.one('input[aria-label="name of the scene"]').get_attribute("value") == "Carr Side"
    page.button("dusk theme").click()
    assert "dusk" in (page.one("html").get_attribute("class") or "")
    page.driver.get(f"{page.base}/#/")
    page.until(lambda: "Carr Side" in page.text("main"), "the scene's card")
    page.driver.execute_script(
        "document.querySelector('[aria-label=\"delete Carr Side\"]').click()"
    )
    page.button("Delete it").click()
    page.until(lambda: "Carr Side" not in page.text("main"), "its end")
