"""The picture at rest: it develops, is well exposed, comes out the same, and then nothing is drawn."""

from __future__ import annotations

import io
import time
from collections.abc import Iterator

import numpy as np
import pytest
from PIL import Image

from tests.browser.conftest import Page
from tests.conftest import Running


@pytest.fixture
def fine(running: Running) -> Iterator[Page]:
    """A small window in which pictures develop to their end."""
    window = Page(running.base, quality="fine")
    size = {"width": 1000, "height": 560, "deviceScaleFactor": 1, "mobile": False}
    window.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    yield window
    window.close()


def developed(page: Page) -> None:
    page.until(
        lambda: page.number("[data-developed]", "data-developed") == 1, "a developed picture", 240
    )


def seen(page: Page) -> np.ndarray:
    """(h, w, 3) the view's picture without what lies over it, 0 to 1."""
    canvas = page.one("section[aria-label=view] canvas")
    image = Image.open(io.BytesIO(canvas.screenshot_as_png)).convert("RGB")
    array = np.asarray(image, np.float64) / 255.0
    return array[92:-60]


def go(page: Page, viewpoint: str) -> None:
    frame = page.number("[data-frame]", "data-frame")
    page.button(viewpoint).click()
    page.until(lambda: page.number("[data-frame]", "data-frame") > frame, "a new picture")
    developed(page)


def quality(page: Page, name: str) -> None:
    page.button("clouds, mist and quality").click()
    from selenium.webdriver.support.ui import Select

    Select(page.one("[aria-label=sky] select")).select_by_value(name)
    page.button("clouds, mist and quality").click()


def test_the_viewpoints_of_the_demo_are_well_exposed_and_come_out_the_same(
    fine: Page, demo_id: str
) -> None:
    fine.sign_in("sedge")
    fine.open_scene(demo_id)
    pictures = {}
    for name in ("Down the causeway", "Orchard corner", "From above"):
        go(fine, name)
        picture = pictures[name] = seen(fine)
        luminance = picture @ np.array([0.2126, 0.7152, 0.0722])
        assert 0.22 < luminance.mean() < 0.62, f"{name} is too dark or too light"
        assert luminance.std() > 0.09, f"{name} is flat"
        assert (luminance < 0.02).mean() < 0.12, f"{name} has black shadows"
        assert (luminance > 0.97).mean() < 0.05, f"{name} is burnt out"
        low = picture[picture.shape[0] * 2 // 3 :].reshape(-1, 3).mean(axis=0)
        assert low[1] > 1.08 * low[2], f"the meadow in {name} is not green"
    # nothing is drawn while nothing changes
    frame = fine.number("[data-frame]", "data-frame")
    time.sleep(2)
    assert fine.number("[data-frame]", "data-frame") == frame
    # once more from the first viewpoint
    go(fine, "Down the causeway")
    again = np.abs(seen(fine) - pictures["Down the causeway"])
    assert again.mean() < 0.002
    assert not fine.errors()


def test_sixteen_frames_are_as_good_as_sixty_four(fine: Page, scene_id: str) -> None:
    fine.sign_in("sedge")
    fine.open_scene(scene_id)
    developed(fine)
    sixteen = seen(fine)
    quality(fine, "finest")
    fine.until(lambda: fine.number("[data-developed]", "data-developed") < 1, "more to do")
    developed(fine)
    assert np.abs(seen(fine) - sixteen).mean() < 0.015
    quality(fine, "coarse")


def test_the_sun_makes_the_light_and_not_the_theme(fine: Page, scene_id: str) -> None:
    fine.sign_in("sedge")
    fine.open_scene(scene_id)
    quality(fine, "coarse")
    developed(fine)
    day = seen(fine)
    fine.one('button[aria-label="dusk theme"]').click()
    developed(fine)
    assert np.abs(seen(fine) - day).mean() < 0.004
    fine.one('button[aria-label="light theme"]').click()
    dial = fine.one('[role=slider][aria-label="sun"]')
    frame = fine.number("[data-frame]", "data-frame")
    dial.click()
    for _ in range(60):
        dial.send_keys("\ue015")  # arrow down: under the horizon
    fine.until(
        lambda: "under the horizon" in (dial.get_attribute("aria-valuetext") or ""), "the night"
    )
    fine.until(lambda: fine.number("[data-frame]", "data-frame") > frame, "a new picture")
    fine.until(lambda: "saved" in fine.text("header [role=status]"), "saved")
    time.sleep(1)
    developed(fine)
    night = seen(fine)
    assert night.mean() < 0.55 * day.mean()
    above = night[: night.shape[0] // 6].reshape(-1, 3).mean(axis=0)
    assert above[2] > 1.2 * above[0], "the sky of a night is blue"
