"""The job queue and its tasks.

A bake is resumable: it is computed from the document that the release holds, its files are written one by one under their hashes, and a
worker that takes the job again after a restart writes the same bytes.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import signal
from datetime import UTC, datetime
from typing import Any

import orjson
from procrastinate import App, JobContext, PsycopgConnector, RetryStrategy, SyncPsycopgConnector

from plough.core.bake.bundle import Baker
from plough.core.cache import Cache
from plough.core.errors import PloughError
from plough.core.scene import Evaluator, read_document
from plough.service.db.session import Database
from plough.service.db.tables import Release
from plough.service.results import Results, picture_loader
from plough.service.scenes import notify

log = logging.getLogger("plough.work")
TASK = "plough.bake"
_RETRY = RetryStrategy(max_attempts=3, exponential_wait=2, retry_exceptions={ConnectionError, OSError})


class Stopped(PloughError):
    """The person has cancelled the bake."""


class Interrupted(ConnectionError):
    """The worker is shutting down; the job is taken up again."""


def queue(url: str) -> App:
    """The queue for putting jobs in, from ordinary threads."""
    return App(connector=SyncPsycopgConnector(conninfo=url))


def defer_bake(app: App, release_id: int) -> None:
    """Put the bake of a release in the queue."""
    app.configure_task(TASK, queue="bake", lock=f"release {release_id}").defer(release_id=release_id)


def report(database: Database, release_id: int, **values: Any) -> Release:
    """Change a release's row and tell everyone who looks at its scene."""
    with database.session() as db:
        release = db.get_one(Release, release_id)
        for name, value in values.items():
            setattr(release, name, value)
        db.flush()
        progress = {"release": release.number, "state": release.state, "done": release.done, "known": release.known, "part": release.part}
        notify(db, release.scene_id, {"type": "release", **progress})
        return release


def _state(database: Database, release_id: int) -> str:
    with database.session() as db:
        release = db.get(Release, release_id)
        return release.state if release else "stopping"


def run_bake(database: Database, results: Results, cache: Cache, release_id: int, interrupted: Any = lambda: False) -> None:
    """Bake a release and keep its files.

    Args:
        interrupted: called between parts; True ends the run, so that another can take it up.
    """
    if _state(database, release_id) not in ("queued", "running"):
        report(database, release_id, state="cancelled", finished=datetime.now(UTC))
        return
    release = report(database, release_id, state="running", part="growing and placing")

    def check() -> None:
        if _state(database, release_id) == "stopping":
            raise Stopped("cancelled")
        if interrupted():
            raise Interrupted("the worker is shutting down")

    try:
        evaluator = Evaluator(cache, picture_loader(database))
        evaluation = evaluator.evaluate(read_document(release.document), check)
        baker = Baker(evaluation, evaluator)
        known, total = len(baker.parts()), 0
        report(database, release_id, known=known, done=0)
        ordinal = 0
        for done, (name, made) in enumerate(baker.run(), start=1):
            check()
            for path, data in made.items():
                results.write_file(release_id, ordinal, path, data)
                ordinal, total = ordinal + 1, total + len(data)
            report(database, release_id, done=done, part=name, bytes=total)

        manifest = orjson.loads(baker.files["manifest.json"])
        report(database, release_id, state="done", manifest=manifest, part="", finished=datetime.now(UTC))
    except Stopped:
        report(database, release_id, state="cancelled", part="", finished=datetime.now(UTC))
    except Interrupted:
        report(database, release_id, state="queued", part="waiting for a worker")
        raise
    except PloughError as error:
        report(database, release_id, state="failed", error=str(error)[:1000], part="", finished=datetime.now(UTC))
    except Exception as error:
        log.exception("release %s failed", release_id)
        report(database, release_id, state="failed", error=f"unexpected: {error}"[:1000], part="", finished=datetime.now(UTC))


async def _rescue(app: App, every: float = 5.0) -> None:
    """Give jobs of workers that have died back to the queue."""
    while True:
        for job in await app.job_manager.get_stalled_jobs(queue="bake", seconds_since_heartbeat=15):
            log.warning("job %s was left by a worker that died; it is taken up again", job.id)
            await app.job_manager.retry_job(job)
        await asyncio.sleep(every)


async def work(url: str) -> None:
    """Take jobs until asked to stop."""
    app = App(connector=PsycopgConnector(conninfo=url, min_size=1, max_size=4))
    database = Database(url)
    results, cache = Results(database, 100_000_000), Cache(1_000_000_000)
    stopping = asyncio.Event()
    results.tidy()

    @app.task(name=TASK, queue="bake", retry=_RETRY, pass_context=True)
    async def bake(context: JobContext, release_id: int) -> None:
        await asyncio.to_thread(run_bake, database, results, cache, release_id, lambda: stopping.is_set() or context.should_abort())

    loop = asyncio.get_running_loop()
    for name in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(name, stopping.set)
    async with app.open_async():
        rescue = asyncio.create_task(_rescue(app))
        runner = asyncio.create_task(
            app.run_worker_async(
                queues=["bake"],
                install_signal_handlers=False,
                update_heartbeat_interval=3,
                stalled_worker_timeout=15,
                delete_jobs="successful",
            )
        )
        await asyncio.wait({asyncio.create_task(stopping.wait()), runner}, return_when=asyncio.FIRST_COMPLETED)
        rescue.cancel()
        runner.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await runner
    database.close()
