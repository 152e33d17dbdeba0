"""A PostgreSQL cluster of its own for each test process, and a running service on it."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from xdist.scheduler import LoadScopeScheduling

from plough.service.db.cluster import Cluster, free_port
from plough.service.db.session import Database, migrate
from plough.service.demo.load import ACCOUNTS, load_demo
from tests.library import Outside, outside


class BrowserInOne(LoadScopeScheduling):
    """One process drives the browser, test after test, while the others share the rest: a renderer in software needs a core for itself."""

    def _split_scope(self, nodeid: str) -> str:
        return "browser" if nodeid.startswith("tests/browser/") else nodeid


def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> BrowserInOne:
    """Who runs what, when tests run in several processes."""
    return BrowserInOne(config, log)


@pytest.fixture(scope="session")
def database_url() -> Iterator[str]:
    """A migrated database with the demo in it; gone afterwards."""
    if given := os.environ.get("PLOUGH_DATABASE_URL"):
        import psycopg

        name = f"plough_test_{os.getpid()}"
        with psycopg.connect(given, autocommit=True) as connection:
            connection.execute(f"CREATE DATABASE {name}")  # type: ignore[arg-type]
        url = given.rsplit("/", 1)[0] + f"/{name}"
        migrate(url)
        _load(url)
        yield url
        with psycopg.connect(given, autocommit=True) as connection:
            connection.execute(f"DROP DATABASE {name} WITH (FORCE)")  # type: ignore[arg-type]
        return
    folder = Path(tempfile.mkdtemp(prefix="plough-test-", dir="/tmp"))
    folder.chmod(0o755)
    cluster = Cluster.at(folder / "postgres", durable=False)
    cluster.start()
    try:
        url = cluster.ensure()
        migrate(url)
        _load(url)
        yield url
    finally:
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def _load(url: str) -> None:
    database = Database(url)
    load_demo(database)
    database.close()


class Running:
    """The web service and a worker, as processes."""

    def __init__(self, url: str, library: str = "") -> None:
        self.database_url = url
        self.port = free_port()
        self.base = f"http://127.0.0.1:{self.port}"
        self.environment = os.environ | {"PLOUGH_DATABASE_URL": url, "PLOUGH_LIBRARY": library}
        self.service = self._start("serve", "--port", str(self.port))

    def _start(self, *arguments: str) -> subprocess.Popen[bytes]:
        return subprocess.Popen([sys.executable, "-m", "plough", *arguments], env=self.environment)

    def wait(self) -> None:
        """Until it answers."""
        for _ in range(300):
            try:
                if httpx.get(f"{self.base}/api/health", timeout=5).status_code == 200:
                    return
            except httpx.HTTPError:
                pass
            assert self.service.poll() is None, "the service has ended"
            time.sleep(0.1)
        raise AssertionError("the service does not answer")

    def stop(self) -> None:
        """Stop it, and with it its worker."""
        self.service.terminate()
        self.service.wait(30)

    def restart(self) -> None:
        """Stop and start again at the same port."""
        self.stop()
        self.service = self._start("serve", "--port", str(self.port))
        self.wait()


@pytest.fixture(scope="session")
def elsewhere() -> Iterator[Outside]:
    """An asset library outside, whose answers can be made wrong."""
    with outside() as made:
        yield made


@pytest.fixture
def library(elsewhere: Outside, running: Running) -> Iterator[Outside]:
    """The asset library that the service is connected to, once all it offers is made."""
    httpx.get(f"{elsewhere.base}/items", timeout=120)
    elsewhere.asked.clear()
    yield elsewhere
    elsewhere.wrong.clear()


@pytest.fixture(scope="session")
def running(database_url: str, elsewhere: Outside) -> Iterator[Running]:
    """The service with its worker, connected to an asset library."""
    service = Running(database_url, elsewhere.base)
    service.wait()
    yield service
    service.stop()


def signed_in(base: str, name: str) -> httpx.Client:
    """A client with the session of a demo account."""
    client = httpx.Client(base_url=base, timeout=120)
    answer = client.post("/api/session", json={"name": name, "password": ACCOUNTS[name][0]})
    assert answer.status_code == 200, answer.text
    return client


@pytest.fixture
def sedge(running: Running) -> Iterator[httpx.Client]:
    """The owner of the demo scene."""
    client = signed_in(running.base, "sedge")
    yield client
    client.close()


@pytest.fixture
def tansy(running: Running) -> Iterator[httpx.Client]:
    """An editor of the demo scene."""
    client = signed_in(running.base, "tansy")
    yield client
    client.close()


@pytest.fixture
def burdock(running: Running) -> Iterator[httpx.Client]:
    """A viewer of the demo scene."""
    client = signed_in(running.base, "burdock")
    yield client
    client.close()


@pytest.fixture
def demo_id(sedge: httpx.Client) -> str:
    """The id of the shared demo scene."""
    return next(card["id"] for card in sedge.get("/api/scenes").json() if len(card["members"]) == 3)


SMALL = {
    "version": 1,
    "name": "Withy Hythe",
    "assets": [
        {
            "id": "willow",
            "name": "Willow",
            "kind": "tree",
            "seeds": [1, 2],
            "parameters": {
                "texture_size": "128",
                "first": {"count": 8},
                "second": {"count": 4},
                "third": {"count": 0},
            },
        },
        {
            "id": "sedge",
            "name": "Sedge",
            "kind": "tuft",
            "parameters": {"blades": 12},
            "seeds": [4],
        },
    ],
    "layers": [
        {
            "id": "ground",
            "kind": "ground",
            "name": "Ground",
            "parameters": {"size": 128, "resolution": 4, "relief": 5, "feature": 60},
        },
        {
            "id": "dyke",
            "kind": "path",
            "name": "Dyke",
            "parameters": {"points": [[-60, 5], [0, -8], [60, 10]], "width": 3},
        },
        {
            "id": "holt",
            "kind": "area",
            "name": "Holt",
            "parameters": {"corners": [[-50, -40], [45, -45], [50, 40], [-45, 45]]},
        },
        {
            "id": "willows",
            "kind": "scatter",
            "name": "Willows",
            "parameters": {
                "seed": 3,
                "mix": [{"asset": "willow"}],
                "areas": ["holt"],
                "paths": ["dyke"],
                "clearance": 5,
                "spacing": 9,
                "fill": 80,
            },
        },
        {
            "id": "sedges",
            "kind": "scatter",
            "name": "Sedges",
            "parameters": {
                "seed": 8,
                "mix": [{"asset": "sedge"}],
                "spacing": 4,
                "fill": 60,
                "apart": 2,
            },
        },
        {"id": "bake", "kind": "bake", "name": "Bake", "parameters": {}},
    ],
}
"""A scene that is computed quickly."""
