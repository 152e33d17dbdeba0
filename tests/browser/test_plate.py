"""The picture at rest: it develops, is well exposed, comes out the same, and then nothing is drawn."""

from __future__ import annotations

import copy
import io
import time
from collections.abc import Iterator

import httpx
import numpy as np
import pytest
from PIL import Image
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page
from tests.conftest import SMALL, Running

SHARP = 0.6  #: pixels drawn for one of the page: pictures develop in less time


@pytest.fixture
def fine(running: Running) -> Iterator[Page]:
    """A small window in which pictures develop to their end."""
    window = Page(running.base, quality="fine")
    size = {"width": 1000, "height": 560, "deviceScaleFactor": SHARP, "mobile": False}
    window.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    yield window
    window.close()


def developed(page: Page) -> None:
    page.until(
        lambda: page.number("[data-developed]", "data-developed") == 1, "a developed picture", 240
    )


def seen(page: Page) -> np.ndarray:
    """(h, w, 3) the view's picture without what lies over it, 0 to 1."""
    canvas = page.one("section canvas")
    image = Image.open(io.BytesIO(canvas.screenshot_as_png)).convert("RGB")
    array = np.asarray(image, np.float64) / 255.0
    return array[round(92 * SHARP) : -round(60 * SHARP)]


def go(page: Page, viewpoint: str) -> None:
    frame = page.number("[data-frame]", "data-frame")
    page.button(viewpoint).click()
    page.until(lambda: page.number("[data-frame]", "data-frame") > frame, "a new picture")
    developed(page)


def quality(page: Page, name: str) -> None:
    page.button("clouds, mist and quality").click()
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
        assert 0.22 < luminance.mean() < 0.64, f"{name} is too dark or too light"
        assert luminance.std() > 0.075, f"{name} is flat"
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


def test_lamps_shine_when_it_is_dark_and_not_by_day(fine: Page, sedge: httpx.Client) -> None:
    def scene(lamp: dict[str, float]) -> str:
        document = copy.deepcopy(SMALL)
        document["assets"][0]["parameters"]["game"] = {"lamp": {"height": 2.5, **lamp}}
        made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": document})
        assert made.status_code == 201, made.text
        return str(made.json()["id"])

    def under(elevation: float) -> np.ndarray:
        script = """const {stage} = window.plough;
        stage.atmosphere.set({azimuth: 250, elevation: arguments[0], cover: 0.2, mist: 0});
        stage.refresh();"""
        fine.driver.execute_script(script, elevation)
        fine.until(lambda: fine.number("[data-developed]", "data-developed") < 1, "a new picture")
        developed(fine)
        return seen(fine)

    pictures = {}
    fine.sign_in("sedge")
    for name, lamp in {
        "dark": {},
        "light": {"lumens": 6000.0, "radius": 0.0},
        "globe": {"lumens": 6000.0, "radius": 0.3},
    }.items():
        made = scene(lamp)
        fine.open_scene(made)
        developed(fine)
        pictures[name] = under(-14), under(30)
        sedge.delete(f"/api/scenes/{made}")
    (dark, day), (lit, lit_by_day), (globes, globes_by_day) = pictures.values()
    light = lit - dark
    assert 0.2 < (light.mean(axis=2) > 0.1).mean() < 0.9, "what is about the lamps, not all"
    red, _, blue = light[light.mean(axis=2) > 0.1].mean(axis=0)
    assert red > 1.5 * blue, "their light is warm"
    assert light.mean() > 0.02
    # no lighter than without; the shadows of leaves may fall a little otherwise in another scene
    assert abs((lit_by_day - day).mean()) < 0.003, "by day they are out"
    assert 0.0005 < ((globes - lit).mean(axis=2) > 0.2).mean() < 0.02, "globes glow"
    standing = np.abs(globes_by_day - day).mean(axis=2)
    assert (standing > 0.2).mean() > 0.0005, "they stand there by day, too"
    assert abs((globes_by_day - day).mean()) < 0.003, "and do not shine"
    assert not fine.errors()


def test_a_viewpoint_has_a_lens_of_its_own(fine: Page, scene_id: str, sedge: httpx.Client) -> None:
    fine.sign_in("sedge")
    fine.open_scene(scene_id)
    go(fine, "Dyke")
    sharp = seen(fine)

    def through(**values: str) -> np.ndarray:
        fine.button("clouds, mist and quality").click()
        for label, value in values.items():
            name = label.replace("_", " ")
            field = fine.one(f"[aria-label=sky] input[aria-label^='{name}']")
            field.clear()
            field.send_keys(value + "\ue007")
        fine.until(lambda: "saved" in fine.text("header [role=status]"), "saved")
        fine.button("clouds, mist and quality").click()
        time.sleep(0.5)
        go(fine, "Dyke")
        return seen(fine)

    def detail(picture: np.ndarray) -> float:
        return float(np.abs(np.diff(picture.mean(axis=2), axis=1)).mean())

    soft = through(Lens="200", Sharp_at="3")
    assert detail(soft) < 0.95 * detail(sharp), "what is far is out of focus"
    dark = through(Exposure="-2")
    assert dark.mean() < 0.75 * soft.mean(), "two stops less are darker"
    (kept,) = sedge.get(f"/api/scenes/{scene_id}").json()["settings"]["viewpoints"]
    assert (kept["lens"], kept["focus"], kept["exposure"]) == (200, 3, -2)
    viewpoint = fine.one("[aria-label=viewpoints] [aria-pressed]")
    assert viewpoint.get_attribute("aria-pressed") == "true"
    fine.drag(fine.one("[data-frame]"), 40)
    fine.rested()
    assert viewpoint.get_attribute("aria-pressed") == "false", "the camera has left it"
    developed(fine)
    assert seen(fine).mean() > 1.2 * dark.mean(), "and has its lens no longer"


def test_a_still_is_developed_at_its_own_size_and_can_be_cancelled(
    fine: Page, scene_id: str
) -> None:
    fine.sign_in("sedge")
    fine.open_scene(scene_id)
    developed(fine)
    before = seen(fine)
    fine.button("make a still").click()
    Select(fine.one("#still-frames")).select_by_visible_text("256")
    fine.button("Make the still").click()
    fine.button("Cancel").click()
    fine.until(
        lambda: fine.driver.find_elements("xpath", "//button[contains(., 'Make the still')]"),
        "the end of it",
    )
    assert not list(fine.downloads.iterdir())
    Select(fine.one("#still-frames")).select_by_visible_text("4")
    Select(fine.one("#still-size")).select_by_value("0")
    fine.button("Make the still").click()
    fine.until(lambda: list(fine.downloads.glob("*.png")), "the file")
    picture = Image.open(next(fine.downloads.glob("*.png"))).convert("RGB")
    assert picture.size == (1280, 720)
    pixels = np.asarray(picture, np.float64) / 255.0
    assert 0.15 < pixels.mean() < 0.75 and pixels.std() > 0.08
    sky, ground = (
        pixels[:120].reshape(-1, 3).mean(axis=0),
        pixels[-120:].reshape(-1, 3).mean(axis=0),
    )
    assert sky[2] > ground[2], "it stands upright"
    fine.keys("\ue00c")
    time.sleep(1)
    developed(fine)
    assert np.abs(seen(fine) - before).mean() < 0.006, "the view is as it was"


def test_each_surface_of_a_path_is_seen_in_the_ground(
    fine: Page, scene_id: str, sedge: httpx.Client
) -> None:
    layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
    dyke = next(x for x in layers if x["id"] == "dyke")
    x, z = dyke["parameters"]["points"][0]
    fine.sign_in("sedge")
    fine.open_scene(scene_id)
    fine.driver.execute_script(
        """
        const [x, z] = arguments, {stage, world} = window.plough, y = world.height(x, z);
        stage.look({x: x + 1, y: y + 9, z: z + 6}, {x, y, z});
        """,
        x,
        z,
    )
    pictures = []
    for surface in ("earth", "gravel", "stone", "grass"):
        version = next(
            n["version"]
            for n in sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
            if n["id"] == "dyke"
        )
        body = {"version": version, "parameters": {"surface": surface}}
        assert sedge.patch(f"/api/scenes/{scene_id}/layers/dyke", json=body).status_code == 200
        time.sleep(3)  # until the other window hears of it
        fine.driver.execute_script("window.plough.stage.refresh()")
        time.sleep(1)
        developed(fine)
        pictures.append(seen(fine))
    for k, one in enumerate(pictures):
        for other in pictures[:k]:
            assert np.abs(one - other).mean() > 0.004


def test_data_are_shown_as_they_are(fine: Page, scene_id: str) -> None:
    """A channel's values are the same whatever the light; what has a colour is not."""
    fine.sign_in("sedge")
    fine.driver.get(f"{fine.base}/#/scene/{scene_id}/asset/willow")
    fine.loaded()

    def under(elevation: float, look: str) -> np.ndarray:
        choice = next(s for s in fine.all("section select") if "flutter" in s.text)
        Select(choice).select_by_value(look)
        fine.driver.execute_script(
            """
            const {stage} = window.plough;
            stage.atmosphere.set({azimuth: 200, elevation: arguments[0], cover: 0, mist: 0});
            stage.refresh();
            """,
            elevation,
        )
        fine.rested()
        return seen(fine)

    high, low = under(50, "occlusion"), under(3, "occlusion")
    assert np.abs(high - low).mean() < 1 / 255
    grey = np.ptp(high, axis=2) < 0.01
    assert (grey & (high[..., 0] > 0.9)).any(), "the free end of the stem is wholly open"
    assert np.abs(under(50, "lit") - under(3, "lit")).mean() > 5 / 255
