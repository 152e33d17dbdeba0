"""Lamps along a path, as a person sets them: chosen, spread, kept off its ends on the strip map, following the path."""

from __future__ import annotations

from typing import Any

import httpx
import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page, add, differing, packet, picture

pytestmark = pytest.mark.browser


def test_lamps_are_set_along_a_path_and_follow_it(
    page: Page, sedge: httpx.Client, scene_id: str
) -> None:
    page.sign_in("sedge")
    page.open_scene(scene_id)
    page.rested()
    empty = picture(page)
    add(page, "Along paths", "Willow")

    def posts() -> dict[str, Any]:
        layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
        return next((x["parameters"] for x in layers if x["kind"] == "along"), {})

    page.until(lambda: posts().get("paths") == ["dyke"], "along the path that is there")
    page.until(lambda: "along Dyke" in page.text("[data-sentence]").replace("\n", " "), "in words")

    def stands() -> int:
        return len(page.all("figure[aria-label='strip map of Dyke'] circle"))

    page.until(lambda: stands() == 26, "13 on each side of 126 m")
    page.rested()
    assert differing(picture(page), empty) > 0.002

    # spread otherwise, in the sentence
    page.one("[data-sentence] [aria-label^='sides']").click()
    Select(page.one("[data-sentence] [data-field='sides'] select")).select_by_value("alternate")
    page.until(lambda: stands() == 13, "by turns")
    page.keys(Keys.ESCAPE)

    # its start is left free by dragging, then by keys
    page.rested()
    handle = page.one("[aria-label='free at its start']")
    page.drag(handle, 60, 0)
    free = page.until(lambda: posts()["free_start"], "the start, free")
    assert 15 < free < 35
    page.until(lambda: stands() < 13, "fewer")
    page.one("[aria-label='free at its start']").send_keys(Keys.ARROW_RIGHT)
    page.until(lambda: posts()["free_start"] == pytest.approx(free + 2, abs=0.6), "a step on")

    # the path is dragged in the view; they go with it
    page.rested()
    before = picture(page)
    packet(page, "dyke")
    page.rested()
    page.drag(page.one("[data-mark='point 1']"), 0, 60)
    page.rested()
    assert differing(picture(page), before) > 0.002

    # locked, it stays as it is; double, it has a twin; both are undone
    made = next(
        x["id"]
        for x in sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
        if x["kind"] == "along"
    )
    packet(page, made)
    page.button("Lock it").click()
    page.until(lambda: "Locked:" in page.text("aside"), "that it is locked")
    assert not page.button("Remove this layer").is_enabled()
    page.button("Double it").click()
    page.until(lambda: " again" in page.one("aside input").get_attribute("value"), "its twin")
    layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
    at = next(k for k, x in enumerate(layers) if x["id"] == made)
    assert layers[at]["locked"] and not layers[at + 1]["locked"]
    assert layers[at + 1]["parameters"] == layers[at]["parameters"]
    assert not page.errors()
