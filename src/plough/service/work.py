"""The job queue and its tasks.

A bake is resumable: it is computed from the document that the release holds, its files are written one by one under their hashes, and a
worker that takes the job again after a restart writes the same bytes.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import math
import signal
import time
from collections.abc import Callable, Sequence
from typing import Any

import orjson
import psycopg
from procrastinate import App, JobContext, PsycopgConnector, RetryStrategy
from procrastinate.exceptions import ConnectorException
from sqlalchemy import select, update
from sqlalchemy.exc import DBAPIError

from plough.core.bake.bundle import Baker
from plough.core.bake.graph import Graph
from plough.core.bake.workers import Threads, Workers
from plough.core.cache import Cache
from plough.core.errors import PloughError
from plough.core.formats.images import jpeg
from plough.core.hashing import key_of
from plough.core.kernels import core_key
from plough.core.library import Library
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.picture import draw_scene
from plough.service import documents, releases
from plough.service.db.session import Database
from plough.service.db.tables import Scene
from plough.service.meshes import prepare
from plough.service.pieces import DatabaseOpener, DatabasePieces
from plough.service.results import Results, file_loader

CARD = (640, 360)  #: pixels of the picture on a scene's card
log = logging.getLogger("plough.work")
_RETRY = RetryStrategy(max_attempts=5, exponential_wait=2, retry_exceptions={ConnectionError})
_LOST = (psycopg.Error, ConnectorException, DBAPIError, OSError)  #: the database cannot be reached


class Stopped(PloughError):
    """The person has cancelled the bake."""


class Interrupted(ConnectionError):
    """The worker is shutting down, or has lost the database; the job is taken up again."""


def run_bake(
    database: Database,
    results: Results,
    library: Library,
    release_id: int,
    interrupted: Callable[[], bool] = lambda: False,
    workers: Workers | None = None,
) -> None:
    """Bake a release and keep its files; one that has ended is left as it is.

    Args:
        interrupted: called now and then; True ends the run, so that another can take it up.
        workers: who makes its parts; by default threads of this process.

    Raises:
        Interrupted: it is to be taken up again.
    """
    try:
        with database.session() as db:
            release = releases.move(db, release_id, "running", part="growing and placing")
            if release is None:
                if releases.state_of(db, release_id) == "stopping":
                    releases.move(db, release_id, "cancelled")
                return
            document = release.document
        try:
            _bake(
                database, results, library, release_id, document, interrupted, workers or Threads()
            )
        except Stopped:
            _end(database, release_id, "cancelled")
        except PloughError as error:
            _end(database, release_id, "failed", error=str(error)[:1000])
        except (Interrupted, *_LOST):
            raise
        except Exception as error:
            log.exception("release %s failed", release_id)
            _end(database, release_id, "failed", error=f"unexpected: {error}"[:1000])
    except Interrupted:
        _end(database, release_id, "queued", part="waiting for a worker")
        raise
    except _LOST as error:
        raise Interrupted(f"the database was lost: {error}") from error


def run_preparing(
    database: Database,
    results: Results,
    library: Library,
    scene_id: str,
    stop: Callable[[], bool] = lambda: False,
) -> None:
    """Make and keep what an opening of the scene asks for, and say how far it is."""
    with database.session() as db:
        scene = db.get(Scene, scene_id)
        if scene is None:
            return
        document = documents.document_of(db, scene)
    told = -1

    def say(done: int, known: int) -> None:
        nonlocal told
        tenth = 10 * done // known
        if tenth > told:
            told = tenth
            print(f"Preparing {document.name}: {done} of {known}", flush=True)

    try:
        evaluation = Evaluator(library).evaluate(document)
        prepare(results, library, evaluation, say, stop)
        if not stop():
            _picture(database, scene_id, evaluation, library)
    except PloughError as error:
        print(f"Preparing {document.name} ended: {error}", flush=True)


def _picture(database: Database, scene_id: str, evaluation: Evaluation, library: Library) -> None:
    """Give a scene's card a picture where it has none; one that a person's view gave it stays."""
    without = (Scene.id == scene_id) & Scene.picture.is_(None)
    with database.session() as db:
        if db.scalar(select(Scene.id).where(without)) is None:
            return
    data = jpeg(draw_scene(evaluation, library, CARD), 86)
    with database.session() as db:
        db.execute(update(Scene).where(without).values(picture=data))


def _end(database: Database, release_id: int, state: str, **values: Any) -> None:
    with database.session() as db:
        if releases.move(db, release_id, state, **values) is None:
            releases.move(db, release_id, "cancelled")  # it was to be stopped meanwhile


_EVERY = 0.25  #: seconds between two looks at whether a bake is wanted still, and two reports


def _bake(
    database: Database,
    results: Results,
    library: Library,
    release_id: int,
    document: dict[str, object],
    interrupted: Callable[[], bool],
    workers: Workers,
) -> None:
    looked = -math.inf

    def check() -> None:
        nonlocal looked
        now = time.monotonic()
        if now - looked < _EVERY:
            return
        looked = now
        with database.session() as db:
            state = releases.state_of(db, release_id)
        if state != "running":
            raise Stopped("cancelled")
        if interrupted():
            raise Interrupted("the worker is shutting down")

    def say(fresh: Sequence[int] = (), **values: Any) -> None:
        with database.session() as db:
            if releases.move(db, release_id, "running", fresh, **values) is None:
                raise Stopped("cancelled")

    pieces = DatabasePieces(database)
    # what is the same to the last value comes to the same files
    key = key_of(core_key(), "bake", document)
    whole = pieces.known([key]).get(key)
    if whole is not None:
        results.give_files(release_id, whole.files)
        manifest = orjson.loads(pieces.read(whole.files["manifest.json"]))
        size = sum(s.bytes for s in whole.files.values())
        say(known=1, done=1, part="manifest.json", bytes=size)
        _end(database, release_id, "done", manifest=manifest)
        return
    evaluation = Evaluator(library).evaluate(read_document(document), check)
    baker = Baker(evaluation, library, (), pieces, workers, check)
    names = baker.parts()
    parts = releases.Parts(release_id, names)
    with database.session() as db:
        parts.begin(db)
    say(known=len(names), done=0)
    total, told = 0, time.monotonic()
    for done, (name, new) in enumerate(baker.run(), start=1):
        total += sum(stored.bytes for stored in new.values())
        parts.done(baker.done.get(name), name)
        if time.monotonic() - told > _EVERY or done == len(names):
            told = time.monotonic()
            with database.session() as db:
                fresh = parts.write(db)
            say(fresh, done=done, part=name[:120], bytes=total)
    results.give_files(release_id, baker.files)
    findings = (f for layer in evaluation.layers for f in layer.output.findings)
    if not any(f.code == "missing-file" for f in findings):  # it may be brought along later
        pieces.keep(key, baker.files)
    _end(database, release_id, "done", manifest=orjson.loads(baker.read("manifest.json")))


async def _rescue(app: App, database: Database, every: float = 5.0) -> None:
    """Give jobs of workers that have died back to the queue, and take up releases that lost theirs."""
    while True:
        for job in await app.job_manager.get_stalled_jobs(
            queue=releases.QUEUE, seconds_since_heartbeat=15
        ):
            log.warning("job %s was left by a worker that died; it is taken up again", job.id)
            await app.job_manager.retry_job(job)
        await asyncio.to_thread(_reconcile, database)
        await asyncio.sleep(every)


def _reconcile(database: Database) -> None:
    with database.session() as db:
        left = releases.reconcile(db)
    if left:
        log.warning("%d releases had lost their jobs; they are taken up again", left)


async def work(url: str, processes: int = 0, scheduler: str = "") -> None:
    """Take jobs until asked to stop; when the database goes away, begin anew once it is back.

    Args:
        processes: that make the parts of bakes; 0 for threads of this one.
        scheduler: the address of a dask scheduler whose workers make them.
    """
    stopping = asyncio.Event()
    loop = asyncio.get_running_loop()
    for name in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(name, stopping.set)
    database = Database(url)
    results = Results(database, 100_000_000)
    library = Library(Cache(1_000_000_000), file_loader(database))
    own = processes or scheduler
    workers = Graph(DatabaseOpener(url), scheduler, processes) if own else Threads()
    while not stopping.is_set():
        try:
            await _work(url, database, results, library, stopping, workers)
        except _LOST as error:
            log.warning("the database was lost (%s); trying again", error)
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(stopping.wait(), 2)
    await asyncio.to_thread(workers.close)
    database.close()


async def _work(
    url: str,
    database: Database,
    results: Results,
    library: Library,
    stopping: asyncio.Event,
    workers: Workers,
) -> None:
    app = App(connector=PsycopgConnector(conninfo=url, min_size=1, max_size=4))
    await asyncio.to_thread(results.tidy)

    @app.task(name=releases.TASK, queue=releases.QUEUE, retry=_RETRY, pass_context=True)
    async def bake(context: JobContext, release_id: int) -> None:
        def interrupted() -> bool:
            return stopping.is_set() or context.should_abort()

        await asyncio.to_thread(
            run_bake, database, results, library, release_id, interrupted, workers
        )

    @app.task(name=releases.PREPARE, queue=releases.PREPARE)
    async def prepare_scene(scene_id: str) -> None:
        await asyncio.to_thread(
            run_preparing, database, results, library, scene_id, stopping.is_set
        )

    async with app.open_async():
        tasks = [
            asyncio.create_task(_rescue(app, database)),
            asyncio.create_task(
                app.run_worker_async(
                    queues=[releases.QUEUE, releases.PREPARE],
                    concurrency=2,
                    install_signal_handlers=False,
                    update_heartbeat_interval=3,
                    stalled_worker_timeout=15,
                    delete_jobs="successful",
                )
            ),
            asyncio.create_task(stopping.wait()),
        ]
        done, _ = await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        for task in done:
            if not task.cancelled() and (error := task.exception()) is not None:
                raise error
