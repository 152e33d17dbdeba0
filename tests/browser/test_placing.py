"""Moss on trunks, seeds in the air, trials, kept mixes and copies, as a person makes them."""

from __future__ import annotations

from typing import Any

import httpx
import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page, add, differing, packet, picture

pytestmark = pytest.mark.browser


class Scene:
    """What the service has of a scene."""

    def __init__(self, client: httpx.Client, scene: str) -> None:
        self.client, self.address = client, f"/api/scenes/{scene}"

    def layers(self) -> list[dict[str, Any]]:
        return self.client.get(self.address).json()["layers"]  # type: ignore[no-any-return]

    def of(self, kind: str) -> dict[str, Any]:
        return next((x for x in self.layers() if x["kind"] == kind), {"parameters": {}})

    def layer(self, name: str) -> dict[str, Any]:
        return next(x for x in self.layers() if x["id"] == name)

    def mixes(self) -> list[dict[str, Any]]:
        return self.client.get(self.address).json()["settings"]["mixes"]  # type: ignore[no-any-return]

    def placed(self, name: str) -> int:
        layers = self.client.get(f"{self.address}/evaluation").json()["layers"]
        return next(x["placements"]["count"] for x in layers if x["id"] == name)  # type: ignore[no-any-return]


def opened(page: Page, client: httpx.Client, scene: str) -> Scene:
    """A scene, open before its owner."""
    page.sign_in("sedge")
    page.open_scene(scene)
    return Scene(client, scene)


def sentence(page: Page) -> str:
    return page.text("[data-sentence]").replace("\n", " ")


def choose(page: Page, name: str) -> None:
    """Choose something by its name in what a chip has opened."""
    path = f"//*[@data-sentence]//*[@role='dialog']//button[normalize-space()='{name}']"
    page.until(lambda: page.driver.find_elements(By.XPATH, path), name)[0].click()


def mix_of(scene: Scene) -> dict[str, Any]:
    """The first of the willows' mix."""
    return scene.layer("willows")["parameters"]["mix"][0]  # type: ignore[no-any-return]


def test_what_stands_is_covered_and_hung_about(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    empty = picture(page)
    add(page, "On surfaces", "Sedge")
    page.until(lambda: "on" in scene.of("surfaces")["parameters"], "the layer")
    made = scene.of("surfaces")
    assert made["parameters"]["on"] == ["sedges"]  # what stands last, to begin with
    # on the willows instead, on faces that are upright
    page.one("[data-sentence] [aria-label^='on what']").click()
    for name in ("Sedges", "Willows"):
        choose(page, name)
    page.keys(Keys.ESCAPE)
    page.until(lambda: scene.layer(made["id"])["parameters"]["on"] == ["willows"], "on willows")
    page.until(lambda: "Cover Willows with Sedge" in sentence(page), "in words")
    page.until(lambda: scene.placed(made["id"]) > 20, "moss on trunks")
    assert differing(picture(page), empty) > 0.001

    # seeds in the air: chosen first, then the place is drawn
    add(page, "In the air", "Sedge")
    page.until(lambda: "finish" in page.text(), "what to draw")
    canvas = page.one("section canvas")
    ActionChains(page.driver).move_to_element_with_offset(canvas, 0, 40).click().perform()
    page.keys(Keys.ENTER)
    page.until(lambda: scene.of("air")["parameters"].get("points"), "the body of air")
    air = scene.of("air")["id"]
    page.until(lambda: "Hang 60 Sedge in a box" in sentence(page), "in words")
    assert scene.placed(air) == 60
    box = "path[stroke-dasharray='6 5']"
    page.until(lambda: len(page.all(box)) == 6, "its box over the view")
    page.one("[data-sentence] [aria-label^='dropped or left']").click()
    page.one("[data-sentence] [data-field='dropped'] input").click()
    page.keys(Keys.ESCAPE)
    page.until(lambda: scene.layer(air)["parameters"]["dropped"], "dropped")
    page.until(lambda: "dropped to the ground" in sentence(page), "in words")
    assert not page.errors()


def test_a_number_is_tried_at_five_values_and_one_is_kept(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    packet(page, "willows")
    before = picture(page)
    page.one("[aria-label='try Spacing']").click()
    page.until(lambda: len(page.all("[data-trial] img")) == 5, "five pictures", 200)
    counts = [
        int(c.text.split("\n")[1].split()[0].replace(",", "")) for c in page.all("[data-trial]")
    ]
    assert counts == sorted(counts, reverse=True) and counts[0] > counts[-1]
    assert [c.get_attribute("data-trial") for c in page.all("[data-trial]")][2] == "9.00 m"
    assert "as it is now" in page.all("[data-trial]")[2].text
    pictures = {c.get_attribute("src") for c in page.all("[data-trial] img")}
    assert len(pictures) == 5

    # pointed at, it is seen in the view; left, all is as it was
    page.rested()
    ActionChains(page.driver).move_to_element(page.all("[data-trial]")[0]).perform()
    assert differing(picture(page), before) > 0.01
    ActionChains(page.driver).move_to_element(page.one("header")).perform()
    assert scene.layer("willows")["parameters"]["spacing"] == 9

    # Escape keeps none
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("[data-trial]"), "the strip again")
    assert differing(picture(page), before) < 0.01
    assert scene.layer("willows")["parameters"]["spacing"] == 9

    # a number of the sentence's condition, three values; one is kept and undone
    page.one("[data-sentence] [aria-label^='fill']").click()
    page.one("[data-sentence] [aria-label='try Fill']").click()
    page.button("Three").click()
    page.until(lambda: len(page.all("[data-trial] img")) == 3, "three pictures", 200)
    chosen = page.all("[data-trial]")[0]
    assert chosen.get_attribute("data-trial") == "40 %"
    chosen.click()
    page.until(lambda: scene.layer("willows")["parameters"]["fill"] == 40, "kept")
    page.until(lambda: "filled to 40 %" in sentence(page), "in words")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: scene.layer("willows")["parameters"]["fill"] == 80, "undone")
    assert not page.errors()


def test_a_mix_is_kept_for_other_layers_and_a_tier_keeps_a_share(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    packet(page, "willows")
    page.one("[data-sentence] [aria-label^='what is scattered']").click()
    choose(page, "Sedge")
    page.keys(Keys.ESCAPE)
    page.until(lambda: len(scene.layer("willows")["parameters"]["mix"]) == 2, "two of them")
    total = scene.placed("willows")
    page.until(
        lambda: (
            sum(int(e.text.split("·")[1].replace(",", "")) for e in page.all("[data-entry] button"))
            == total
        ),
        "how many of each stand",
    )
    page.button("Keep as a mix…").click()
    page.one("[aria-label='name of the mix']").send_keys("Holt" + Keys.ENTER)
    page.until(lambda: "Scatter Holt over" in sentence(page), "the mix in words")
    page.until(lambda: len(scene.layer("willows")["parameters"]["mix"]) == 1, "the mix, kept")
    (entry,) = scene.layer("willows")["parameters"]["mix"]
    assert scene.placed("willows") == total
    # another layer places it, too
    packet(page, "sedges")
    page.one("[data-sentence] [aria-label^='what is scattered']").click()
    choose(page, "Holt (mix of 2)")
    page.keys(Keys.ESCAPE)
    page.until(
        lambda: entry["asset"] in {e["asset"] for e in scene.layer("sedges")["parameters"]["mix"]},
        "the mix in another layer",
    )
    # on a phone half of it is left
    page.driver.find_element(By.XPATH, "//section[@aria-label='in the game']/button").click()
    field = page.one("[aria-label='Kept on a phone, value']")
    field.send_keys(Keys.CONTROL + "a")
    field.send_keys("50" + Keys.ENTER)
    page.until(lambda: scene.layer("sedges")["game"]["phone"] == 50, "the share")
    assert not page.all("section[aria-label='in the game'] button[aria-label^='try']")
    assert page.all("aside button[aria-label='try Spacing']")
    whole = scene.placed("sedges")
    assert "50 % on phone" in page.text("section[aria-label='in the game']")
    page.until(lambda: page.all("footer select"), "the profiles")
    Select(page.all("footer select")[-1]).select_by_value("phone")
    page.until(lambda: abs(scene.placed("sedges") - whole / 2) < 0.1 * whole, "half of them")
    # taken apart by the last who places it, it is forgotten
    for layer, words in (
        ("sedges", "Take it apart here"),
        ("willows", "Take it apart and forget it"),
    ):
        packet(page, layer)
        page.one(f"[data-entry='{entry['asset']}'] > button").click()
        page.button(words).click()
        page.until(
            lambda layer=layer: (
                entry["asset"] not in {e["asset"] for e in scene.layer(layer)["parameters"]["mix"]}
            ),
            "its assets",
        )
    page.until(lambda: not scene.mixes(), "that it is forgotten")
    assert not page.errors()


def test_some_seeds_alone_some_mirrored_and_clear_of_crowns(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    packet(page, "sedges")
    free = scene.placed("sedges")
    page.until(lambda: "2.00 m from the stems of earlier layers" in sentence(page), "its room")
    page.one("[data-sentence] [aria-label^='how far from earlier layers']").click()
    Select(page.one("[data-sentence] [data-field='apart_from'] select")).select_by_value("crowns")
    page.keys(Keys.ESCAPE)
    page.until(lambda: "2.00 m from the crowns of" in sentence(page), "from crowns, in words")
    page.until(lambda: scene.placed("sedges") < 0.9 * free, "fewer of them")

    packet(page, "willows")
    total = scene.placed("willows")
    page.one("[data-entry='willow'] > button").click()
    boxes = "[data-entry='willow'] fieldset input"
    page.until(lambda: len(page.all(boxes)) == 2, "its seeds")
    page.all(boxes)[1].click()
    page.until(lambda: mix_of(scene)["seeds"] == [1], "one seed alone")
    page.all(boxes)[0].click()  # the last one stays
    assert [b.is_selected() for b in page.all(boxes)] == [True, False]
    page.until(lambda: "1 seed" in page.text("[data-entry='willow'] > button"), "in words")
    assert scene.placed("willows") == total
    page.one("[data-sentence] [aria-label^='turn:']").click()
    field = page.one("[data-sentence] [aria-label='Mirrored, value']")
    field.send_keys(Keys.CONTROL + "a")
    field.send_keys("40" + Keys.ENTER)
    page.keys(Keys.ESCAPE)
    page.until(lambda: "turned any way, 40 % mirrored" in sentence(page), "mirrored, in words")
    page.rested()
    told = sedge.get(f"{scene.address}/evaluation").json()["layers"]
    own = next(x for x in told if x["id"] == "willows")["placements"]
    counts = [v["count"] for v in own["variants"]]
    assert own["count"] == total and len(counts) == 2 and min(counts) > 0.2 * total
    assert not page.errors()


def test_a_layer_is_copied_by_the_clipboard(page: Page, sedge: httpx.Client, scene_id: str) -> None:
    scene = opened(page, sedge, scene_id)
    packet(page, "willows")
    page.button("Copy it").click()
    page.until(lambda: "Willows is copied" in page.text(), "that it is copied")
    before = len(scene.layers())
    page.one("section canvas").click()
    page.chord(Keys.CONTROL, "v")
    page.until(lambda: len(scene.layers()) == before + 1, "one more")
    page.until(lambda: "is put into Withy Hythe" in page.text(), "that it is there")
    names = [x["name"] for x in scene.layers()]
    assert names.count("Willows") == 2
    assert len(sedge.get(scene.address).json()["assets"]) == 2
    assert not page.errors()
