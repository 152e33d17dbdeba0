"""Releases as a state machine.

A release is queued, running, stopping, and at last done, failed or cancelled. It changes its state
only by `move`, from a state that allows it, in one conditional statement; a final state never
changes. It is put in the job queue in the transaction that makes it.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import orjson
from sqlalchemy import select, text, update
from sqlalchemy.orm import Session as Db

from plough.service.db.tables import Release
from plough.service.scenes import notify

TASK, QUEUE = "plough.bake", "bake"
PREPARE = "plough.prepare"  #: the task, and its queue
OPEN = ("queued", "running", "stopping")
FINAL = ("done", "failed", "cancelled")
_FROM = {
    "queued": ("running",),
    "running": ("queued", "running"),
    "stopping": ("running",),
    "done": ("running",),
    "failed": ("queued", "running"),
    "cancelled": OPEN,
}
_SILENT = 20  #: seconds without a heartbeat after which a worker is taken for dead

_DEFER = text(
    "SELECT procrastinate_defer_jobs_v1(ARRAY[ROW("
    ":queue, :task, 0, :lock, NULL, CAST(:args AS jsonb), NULL)::procrastinate_job_to_defer_v1])"
)
_WORKED_ON = text(
    "SELECT EXISTS (SELECT 1 FROM procrastinate_jobs j JOIN procrastinate_workers w ON w.id = j.worker_id"
    " WHERE j.lock = :lock AND j.status = 'doing'"
    " AND w.last_heartbeat > now() - make_interval(secs => :silent))"
)
_LEFT = text(
    "SELECT r.id FROM release r WHERE r.state = ANY(:open) AND NOT EXISTS (SELECT 1"
    " FROM procrastinate_jobs j WHERE j.lock = 'release ' || r.id AND j.status IN ('todo', 'doing'))"
    " ORDER BY r.id FOR UPDATE OF r SKIP LOCKED"
)


def move(db: Db, release_id: int, state: str, **values: Any) -> Release | None:
    """Give a release another state, and other values, and tell everyone who looks at its scene.

    Returns:
        None when it is gone, or in a state from which there is no way to `state`; nothing is changed then.
    """
    if state in FINAL:
        values = {"part": "", "finished": datetime.now(UTC), **values}
    moved = db.execute(
        update(Release)
        .where(Release.id == release_id, Release.state.in_(_FROM[state]))
        .values(state=state, **values)
        .returning(Release.id)
    ).first()
    if moved is None:
        return None
    release = db.get_one(Release, release_id, populate_existing=True)
    tell(db, release)
    return release


def tell(db: Db, release: Release, state: str | None = None) -> None:
    """Tell everyone who looks at the scene how far the release is, or in which other `state`."""
    progress = {n: getattr(release, n) for n in ("state", "done", "known", "part")}
    if state is not None:
        progress["state"] = state
    notify(db, release.scene_id, {"type": "release", "release": release.number, **progress})


def state_of(db: Db, release_id: int) -> str:
    """The state of a release; one that is gone with its scene counts as cancelled."""
    return db.scalar(select(Release.state).where(Release.id == release_id)) or "cancelled"


def enqueue(db: Db, release_id: int) -> None:
    """Put the bake of a release in the queue, in the transaction of `db`."""
    _defer(db, QUEUE, TASK, f"release {release_id}", {"release_id": release_id})


def enqueue_preparing(db: Db, scene_id: str) -> None:
    """Let a worker make what an opening of the scene asks for."""
    _defer(db, PREPARE, PREPARE, f"prepare {scene_id}", {"scene_id": scene_id})


def _defer(db: Db, queue: str, task: str, lock: str, args: dict[str, Any]) -> None:
    job = {"queue": queue, "task": task, "lock": lock, "args": orjson.dumps(args).decode()}
    db.execute(_DEFER, job)


def cancel(db: Db, release_id: int) -> Release | None:
    """Stop a bake: after the part it is at where a worker is at it, else at once. None when it has ended already."""
    values = {"lock": f"release {release_id}", "silent": _SILENT}
    if db.scalar(_WORKED_ON, values):
        stopping = move(db, release_id, "stopping", part="stopping")
        if stopping is not None:
            return stopping
        if state_of(db, release_id) == "stopping":
            return db.get_one(Release, release_id, populate_existing=True)
    return move(db, release_id, "cancelled")


def reconcile(db: Db) -> int:
    """Take up releases that are open but have no job any more; the number of them."""
    left = list(db.scalars(_LEFT, {"open": list(OPEN)}))
    for release_id in left:
        if state_of(db, release_id) == "stopping":
            move(db, release_id, "cancelled")
            continue
        move(db, release_id, "queued", part="waiting for a worker")
        enqueue(db, release_id)
    return len(left)
