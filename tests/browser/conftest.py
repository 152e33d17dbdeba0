"""A real browser on the running service."""

from __future__ import annotations

import io
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from PIL import Image, ImageChops
from selenium import webdriver
from selenium.webdriver import Chrome
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from plough.service.demo.load import ACCOUNTS
from tests.conftest import SMALL, Running

_FLAGS = [
    "--headless=new",
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-gl=angle",
    "--use-angle=gl-egl",
    "--ignore-gpu-blocklist",
    "--disable-dev-shm-usage",
]
PATIENCE = 90  #: seconds; the renderer is software


def chromium() -> Chrome:
    """A browser."""
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in _FLAGS:
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    return webdriver.Chrome(
        options=options, service=webdriver.ChromeService("/usr/bin/chromedriver")
    )


class Page:
    """A window, used as a person uses it: of a browser that others use after it, or of one of its own."""

    def __init__(self, base: str, quality: str = "coarse", driver: Chrome | None = None) -> None:
        self.base = base
        self.downloads = Path(tempfile.mkdtemp(prefix="plough-downloads-"))
        self.own = driver is None
        self.driver = driver or chromium()
        self.driver.switch_to.new_window("tab")
        for log in ("browser", "performance"):
            self.driver.get_log(log)  # what others did
        self.driver.execute_cdp_cmd(
            "Browser.setDownloadBehavior",
            {"behavior": "allow", "downloadPath": str(self.downloads)},
        )
        self.driver.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False},
        )
        # most tests ask what is drawn, not how well
        self.driver.execute_cdp_cmd(
            "Page.addScriptToEvaluateOnNewDocument",
            {"source": f"localStorage.setItem('plough.quality', {quality!r})"},
        )

    def until(self, found: Callable[[], Any], what: str = "", seconds: float = PATIENCE) -> Any:
        """The first truthy answer of `found`."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            try:
                answer = found()
            except Exception as error:
                answer, what = None, what or str(error)
            if answer:
                return answer
            time.sleep(0.15)
        self.driver.save_screenshot("/tmp/plough-browser-test.png")
        raise AssertionError(f"waited in vain for {what}")

    def all(self, css: str) -> list[WebElement]:
        return self.driver.find_elements(By.CSS_SELECTOR, css)

    def one(self, css: str) -> WebElement:
        return self.until(lambda: self.all(css), css)[0]  # type: ignore[no-any-return]

    def button(self, text: str) -> WebElement:
        path = f"//*[self::button or self::a][normalize-space()={text!r} or @aria-label={text!r}]"
        return self.until(
            lambda: self.driver.find_elements(By.XPATH, path), f"the button {text!r}"
        )[0]  # type: ignore[no-any-return]

    def text(self, css: str = "body") -> str:
        return self.one(css).text

    def sign_in(self, name: str) -> None:
        self.driver.get(self.base)
        self.one("input[autocomplete=username]").send_keys(name)
        self.one("input[type=password]").send_keys(ACCOUNTS[name][0] + Keys.ENTER)
        self.one("main ul li a")

    def open_scene(self, scene: str) -> None:
        self.driver.get(f"{self.base}/#/scene/{scene}")
        self.loaded()

    def loaded(self) -> None:
        """Until the view shows what it should."""
        self.until(lambda: self.all("[data-loaded=true]"), "a loaded view", 240)

    def rested(self) -> None:
        """Until the full picture is drawn and nothing is computed any more."""

        def still() -> bool:
            frame = self.one("[data-frame]").get_attribute("data-frame")
            time.sleep(1.0)
            host = self.one("[data-frame]")
            return (
                host.get_attribute("data-moving") == "false"
                and host.get_attribute("data-computing") != "true"
                and host.get_attribute("data-developed") == "1"
                and host.get_attribute("data-frame") == frame
            )

        self.until(still, "a picture at rest")

    def settled(self, value: Callable[[], Any]) -> Any:
        """What `value` gives once it has stayed the same for a while."""

        def same() -> bool:
            before = value()
            time.sleep(1.2)
            return bool(value() == before)

        self.until(same, "a value that stays")
        return value()

    def number(self, css: str, attribute: str) -> float:
        return float(self.one(css).get_attribute(attribute) or 0)

    def keys(self, *keys: str) -> None:
        webdriver.ActionChains(self.driver).send_keys(*keys).perform()

    def chord(self, *held_then_key: str) -> None:
        actions = webdriver.ActionChains(self.driver)
        for key in held_then_key[:-1]:
            actions.key_down(key)
        actions.send_keys(held_then_key[-1])
        for key in reversed(held_then_key[:-1]):
            actions.key_up(key)
        actions.perform()

    def drag(self, element: WebElement, dx: int, dy: int = 0) -> None:
        actions = (
            webdriver.ActionChains(self.driver, duration=80)
            .move_to_element(element)
            .click_and_hold()
        )
        for _ in range(4):
            actions.move_by_offset(dx // 4, dy // 4)
        actions.release().perform()

    def hosts(self) -> set[str]:
        """Hosts that pages have asked anything of."""
        import json
        from urllib.parse import urlsplit

        out = set()
        for entry in self.driver.get_log("performance"):
            message = json.loads(entry["message"])["message"]
            if message["method"] == "Network.requestWillBeSent":
                out.add(urlsplit(message["params"]["request"]["url"]).netloc)
        return {h for h in out if h}

    def errors(self) -> list[str]:
        """Errors in the console, but for the first question who is signed in."""
        return [
            e["message"]
            for e in self.driver.get_log("browser")
            if e["level"] == "SEVERE" and "/api/session" not in e["message"]
        ]

    def close(self) -> None:
        """Leave nothing behind for whoever uses the browser next."""
        if self.own:
            self.driver.quit()
            return
        self.driver.execute_cdp_cmd(
            "Storage.clearDataForOrigin", {"origin": self.base, "storageTypes": "all"}
        )
        self.driver.delete_all_cookies()
        self.driver.close()
        self.driver.switch_to.window(self.driver.window_handles[0])


@pytest.fixture(scope="session")
def browser() -> Iterator[Chrome]:
    """A browser for one test after another."""
    driver = chromium()
    yield driver
    driver.quit()


@pytest.fixture
def page(running: Running, browser: Chrome) -> Iterator[Page]:
    """A window."""
    window = Page(running.base, driver=browser)
    yield window
    window.close()


@pytest.fixture
def other_page(running: Running) -> Iterator[Page]:
    """Another person's window."""
    window = Page(running.base)
    yield window
    window.close()


@pytest.fixture
def scene_id(sedge: httpx.Client) -> Iterator[str]:
    """A small scene that belongs to sedge, with a viewpoint."""
    view = {"id": "v", "name": "Dyke", "eye": [-40, 12, 40], "target": [0, 2, 0]}
    made = sedge.post(
        "/api/scenes",
        json={"name": "Withy Hythe", "document": {**SMALL, "settings": {"viewpoints": [view]}}},
    )
    yield str(made.json()["id"])
    sedge.delete(f"/api/scenes/{made.json()['id']}")


def packet(page: Page, layer: str) -> None:
    page.one(f'[data-packet="{layer}"]').click()


def picture(page: Page) -> Image.Image:
    page.rested()
    return Image.open(io.BytesIO(page.one("section canvas").screenshot_as_png)).convert("RGB")


def differing(a: Image.Image, b: Image.Image) -> float:
    """Share of pixels that differ visibly."""
    difference = ImageChops.difference(a, b).convert("L").point(lambda v: 255 if v > 24 else 0)
    return difference.histogram()[255] / (a.width * a.height)


def begin(page: Page, kind: str) -> None:
    """Ask for a new layer of a kind."""
    page.button("add a layer").click()
    row = f"//li//button[contains(., '{kind}')]"
    page.until(lambda: page.driver.find_elements(By.XPATH, row), kind)[0].click()


def add(page: Page, kind: str, *assets: str) -> None:
    """Add a layer of a kind over assets of the scene."""
    begin(page, kind)
    page.until(lambda: page.all("dialog[open] img"), "pictures")
    for asset in assets:
        page.one(f"dialog[open] button[aria-label='place {asset}']").click()
    page.button("Add the layer").click()


def draw(page: Page, kind: str, *offsets: tuple[int, int]) -> None:
    """Add a layer that is drawn, by clicks in the view so far from its middle."""
    page.rested()  # there is ground to click on
    begin(page, kind)
    page.until(lambda: "finish" in page.text(), "what to draw")
    canvas = page.one("section canvas")
    for x, y in offsets:
        ActionChains(page.driver).move_to_element_with_offset(canvas, x, y).click().perform()
    page.keys(Keys.ENTER)
