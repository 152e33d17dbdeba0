"""``./plough bench view``: the picture in a real browser, at the demo's instances and at 200,000."""

from __future__ import annotations

import statistics
import time
from typing import Any

import httpx
from rich.console import Console
from rich.table import Table
from sqlalchemy import text

from bench.served import served
from bench.table import row, table
from plough.core.demo import teasel_fen
from plough.core.scene.document import write_document
from plough.service.db.session import Database
from tests.browser.conftest import Page
from tests.conftest import signed_in

_TIMED = """
const [what, runs, done] = arguments;
const { stage } = window.plough;
const { renderer } = stage;
const empty = new stage.scene.constructor();
const works = {
  empty: () => renderer.sketch(empty, stage.camera, 1),
  moving: () => { stage.onPrepare(true); renderer.sketch(stage.scene, stage.camera, 1); },
  filled: () => stage.onPrepare(true), // without what the water mirrors
  hover: () => void window.plough.world.under({ x: stage.width * 0.4, y: stage.height * 0.6 }),
  click: () => window.plough.world.pick({ x: stage.width * 0.4, y: stage.height * 0.6 }),
  rest: () => {
    stage.atmosphere.light(renderer.plate.frames + 1, true);
    renderer.develop(stage.scene, stage.camera, 1, stage.lens);
  },
};
(async () => {
  const times = [];
  for (let k = 0; k <= runs; k++) {
    const began = performance.now();
    await works[what]();
    if (what === 'moving' || what === 'rest' || what === 'empty') await renderer.finished();
    if (k) times.push(performance.now() - began);
  }
  done(times);
})();
"""


def timed(page: Page, what: str, runs: int = 7) -> float:
    """Seconds, the median."""
    found: list[float] = page.driver.execute_async_script(_TIMED, what, runs)
    return statistics.median(found) / 1e3


def opening(page: Page, scene: str) -> tuple[float, float]:
    """Seconds from the address to the first picture of the whole scene, and to a picture at rest."""
    page.driver.get("about:blank")
    began = time.perf_counter()
    page.driver.get(f"{page.base}/#/scene/{scene}")
    page.one("[data-shown=true]")
    first = time.perf_counter() - began
    page.until(lambda: page.number("[data-developed]", "data-developed") == 1)
    return first, time.perf_counter() - began


def dense() -> dict[str, Any]:
    """The demo with so many tussocks that 200,000 things stand in it."""
    import orjson

    document: dict[str, Any] = orjson.loads(write_document(teasel_fen()))
    document["name"] = "Teasel Fen, dense"
    for layer in document["layers"]:
        if layer["id"] == "tussocks":
            layer["parameters"]["spacing"] = 0.58
    return document


def prepared(url: str) -> None:
    """Wait until the service has nothing left to prepare: what is measured runs alone."""
    store = Database(url)
    waiting = text("SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing')")
    end = time.monotonic() + 900
    while time.monotonic() < end:
        with store.session() as db:
            if not db.scalar(waiting):
                break
        time.sleep(1)
    store.close()


def measured(page: Page, client: httpx.Client, out: Table, name: str, scene: str) -> None:
    """Add the rows of one scene to the table."""
    cold, _ = opening(page, scene)
    opened = [opening(page, scene) for _ in range(3)]
    warm, rest = (statistics.median(times) for times in zip(*opened, strict=True))
    page.rested()
    layers = client.get(f"/api/scenes/{scene}/evaluation", timeout=300).json()["layers"]
    count = sum(
        v["count"]
        for layer in layers
        if layer["placements"]
        for v in layer["placements"]["variants"]
    )
    told = f"{name}, {count:,} instances"
    empty = timed(page, "empty")
    row(out, f"{told}: opened cold", cold, "an empty picture", empty, "≤ 8 s")
    row(out, f"{told}: opened warm", warm, "an empty picture", empty, "≤ 2 s")
    row(out, f"{told}: at rest, warm", rest, "an empty picture", empty)
    for what, words in (
        ("moving", "a picture while moving"),
        ("filled", "its lists filled"),
        ("rest", "a frame at rest"),
        ("hover", "the layer under the pointer"),
        ("click", "the placement at a pixel"),
    ):
        row(out, f"{told}: {words}", timed(page, what), "an empty picture", empty)


def main() -> None:
    """Measure the view and print the table."""
    out = table()
    with served() as service:
        client = signed_in(service.base, "sedge")
        cards = client.get("/api/scenes").json()
        demo = next(card["id"] for card in cards if card["name"] == teasel_fen().name)
        page = Page(service.base)
        page.driver.set_script_timeout(600)
        page.sign_in("sedge")
        made = None
        try:
            measured(page, client, out, "demo", demo)
            made = client.post(
                "/api/scenes", json={"name": "Dense", "document": dense()}, timeout=300
            )
            prepared(service.database_url)
            measured(page, client, out, "dense", made.raise_for_status().json()["id"])
        finally:
            page.close()
            if made is not None:
                client.delete(f"/api/scenes/{made.json()['id']}").raise_for_status()
    Console(width=170).print(out)
