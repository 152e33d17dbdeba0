"""A person builds a street: along a path that is then bent, with one house touched by hand."""

from __future__ import annotations

from typing import Any

import httpx
import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page, differing, packet, picture
from tests.browser.test_hand import Hand
from tests.browser.test_placing import opened, sentence
from tests.browser.test_stone import add_preset

pytestmark = pytest.mark.browser

SPOT = """
const {stage, world} = window.plough;
for (let y = 0.85; y > 0.1; y -= 0.02) for (let x = 0.15; x < 0.85; x += 0.02)
  if (world.standsAt({x: x * stage.width, y: y * stage.height}, arguments[0])) return [x, y];
"""


def test_a_street_is_built_bent_by_a_knot_and_one_house_touched(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    scene = opened(page, sedge, scene_id)
    page.rested()
    before = picture(page)
    add_preset(page, "Street", "Fen cottage")
    page.until(lambda: scene.of("street").get("id"), "the street")
    street = scene.of("street")["id"]
    page.until(lambda: scene.placed(street) > 3, "houses stand")
    page.until(lambda: "a plot every" in sentence(page), "in words")
    page.rested()
    assert differing(picture(page), before) > 0.003, "they are seen"

    def houses() -> Any:
        layers = sedge.get(f"{scene.address}/evaluation").json()["layers"]
        return next(x["placements"] for x in layers if x["id"] == street)

    def touches() -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = scene.layer(street)["parameters"].get("touches", [])
        return found

    # one house is taken up and set down elsewhere
    page.button("take up").click()
    page.rested()
    spot = page.until(lambda: page.driver.execute_script(SPOT, street), "a house in view")
    hand = Hand(page)
    hand.at(*spot).click().perform()
    page.until(lambda: "put it back" in page.text(), "a house in hand")
    hand.at(0.5, 0.85).click().perform()
    page.until(lambda: len(touches()) == 1, "a touch")
    assert touches()[0]["at"]
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("[aria-label='in hand'] button"), "nothing in hand")

    # the path is bent by a knot: the street goes along, and the touch stays
    straight = houses()
    path = scene.of("path")
    packet(page, path["id"])
    page.rested()
    page.drag(page.until(lambda: page.all("[data-mark='point 1']"), "its marks")[0], 0, 40)
    page.until(lambda: scene.of("path")["parameters"] != path["parameters"], "dragged")
    page.until(lambda: houses() != straight, "houses have gone along")
    assert len(touches()) == 1
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: houses() == straight, "undone")

    # its way is paved from the sentence
    packet(page, street)
    page.until(lambda: page.all("[data-sentence-more] [aria-label^='paving']"), "the paving")[
        0
    ].click()
    page.until(lambda: page.all("[data-field='paved'] select"), "its patterns")
    page.driver.execute_script(
        "const s = arguments[0]; s.value = 'flags'; s.dispatchEvent(new Event('change', {bubbles: true}));",
        page.all("[data-field='paved'] select")[0],
    )
    page.until(lambda: scene.of("street")["parameters"].get("paved") == "flags", "flags")
    page.until(lambda: "paved with flags" in page.text("[data-sentence-more]"), "in words")
    assert not page.errors()
