"""Stone as an artist makes it: a rock from preset to scatter, a pile, a jar whose outline is dragged."""

from __future__ import annotations

from typing import Any

import httpx
import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page, differing, picture
from tests.browser.test_placing import Scene, opened, sentence

pytestmark = pytest.mark.browser


def add(page: Page, kind: str, preset: str) -> None:
    """Add a layer of a kind with a preset to place."""
    page.button("add a layer").click()
    path = f"//li//button[contains(., '{kind}')]"
    page.until(lambda: page.driver.find_elements(By.XPATH, path), kind)[0].click()
    page.until(lambda: len(page.all("dialog[open] img")) >= 15, "pictures")
    page.one('input[aria-label="search what can be placed"]').send_keys(preset)
    page.button(f"place the preset {preset}").click()
    page.button("Add the layer").click()


def parameters(scene: Scene, kind: str) -> dict[str, Any]:
    found: dict[str, Any] = scene.of(kind)["parameters"]
    return found


def test_a_rock_goes_from_a_preset_over_the_bench_into_a_scatter(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    page.rested()
    before, layers = picture(page), len(scene.layers())
    add(page, "Scatter", "Field boulder")
    page.until(lambda: len(scene.layers()) == layers + 1, "the layer")
    made = next(x for x in scene.layers() if x["name"] == "New scatter")
    page.until(lambda: scene.placed(made["id"]) > 20, "boulders stand")
    page.rested()
    assert differing(picture(page), before) > 0.0005, "they are seen"
    # on the bench it is made more angular: other triangles, and the scene has it so
    path = "//section[.//h2='Make on the bench']//button[contains(., 'Field boulder')]"
    there = page.until(lambda: page.driver.find_elements(By.XPATH, path), "it is on the shelf")[0]
    page.driver.execute_script("arguments[0].click()", there)
    page.until(lambda: page.all("[data-triangles]"), "the bench")
    page.rested()
    seen = picture(page)
    field = page.one("input[aria-label='Angular, value']")
    field.click()
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("1" + Keys.ENTER)

    def angularity() -> float:
        assets = sedge.get(scene.address).json()["assets"]
        return next(
            float(a["parameters"]["angularity"]) for a in assets if a["name"] == "Field boulder"
        )

    page.until(lambda: angularity() == 1, "it is kept")
    page.rested()
    assert differing(picture(page), seen) > 0.003
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: angularity() != 1, "undone")
    assert not page.errors()


def test_a_pile_is_dropped_where_it_is_pointed_at_and_moved(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    add(page, "Pile", "Scree")
    canvas = page.one('section[aria-label="view"] canvas')
    ActionChains(page.driver).move_to_element_with_offset(canvas, 0, 60).click().perform()
    page.keys(Keys.ENTER)
    page.until(lambda: parameters(scene, "pile").get("points"), "the pile")
    pile = scene.of("pile")
    page.until(lambda: scene.placed(pile["id"]) == 40, "forty stones")
    page.until(lambda: "dropped and settled" in sentence(page), "in words")
    page.one("[data-sentence] [aria-label^='how many']").click()
    field = page.one("[data-sentence] [role=dialog] input")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("12" + Keys.ENTER)
    page.until(lambda: scene.placed(pile["id"]) == 12, "twelve stones")
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: scene.placed(pile["id"]) == 40, "forty again")
    assert not page.errors()
