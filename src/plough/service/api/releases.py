"""Bakes and the releases that come of them."""

from __future__ import annotations

import re

from fastapi import APIRouter
from fastapi.responses import StreamingResponse
from sqlalchemy import func, select
from sqlalchemy.orm import Session as Db
from stream_zip import ZIP_64, stream_zip

from plough.core.scene.document import read_document
from plough.service import releases, scenes
from plough.service.accounts import scene_for
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.models import PROBLEMS, ReleaseOut
from plough.service.db.tables import Account, Release, ReleaseFile
from plough.service.errors import NotFound, Stale

router = APIRouter(prefix="/api/scenes/{scene_id}/releases", tags=["releases"], responses=PROBLEMS)


def release_out(db: Db, release: Release) -> ReleaseOut:
    """A release as it travels."""
    author = db.get_one(Account, release.account_id).name
    names = (
        "number",
        "state",
        "done",
        "known",
        "part",
        "bytes",
        "error",
        "created",
        "finished",
        "manifest",
    )
    return ReleaseOut(author=author, **{n: getattr(release, n) for n in names})


def _release(db: Db, scene_id: str, number: int) -> Release:
    found = db.scalar(select(Release).where(Release.scene_id == scene_id, Release.number == number))
    if found is None:
        raise NotFound(f"there is no release {number} of this scene")
    return found


@router.get("")
def list_releases(scene_id: str, db: Session, me: Me) -> list[ReleaseOut]:
    """All releases of the scene, newest first."""
    scene_for(db, me, scene_id)
    rows = db.scalars(
        select(Release)
        .where(Release.scene_id == scene_id)
        .order_by(Release.number.desc())
        .limit(200)
    )
    return [release_out(db, r) for r in rows]


@router.post("", status_code=202)
def start_bake(scene_id: str, db: Session, me: Me) -> ReleaseOut:
    """Bake the scene as it is now; a worker takes it up."""
    scene = scene_for(db, me, scene_id, "editor", lock=True)
    running = db.scalar(
        select(Release.number).where(Release.scene_id == scene_id, Release.state.in_(releases.OPEN))
    )
    if running is not None:
        raise Stale(
            f"release {running} of this scene is still being baked; wait for it or cancel it first"
        )
    document = scenes.document_of(db, scene)
    read_document(document.model_dump(mode="json"))
    number = (
        db.scalar(select(func.max(Release.number)).where(Release.scene_id == scene_id)) or 0
    ) + 1
    release = Release(
        scene_id=scene_id,
        number=number,
        account_id=me.id,
        state="queued",
        part="waiting for a worker",
        document=document.model_dump(mode="json"),
    )
    release.done, release.known, release.bytes, release.error = 0, 0, 0, ""
    db.add(release)
    db.flush()
    releases.tell(db, release)
    releases.enqueue(db, release.id)
    return release_out(db, release)


@router.get("/{number}")
def read_release(scene_id: str, number: int, db: Session, me: Me) -> ReleaseOut:
    """One release."""
    scene_for(db, me, scene_id)
    return release_out(db, _release(db, scene_id, number))


@router.post("/{number}/cancel")
def cancel(scene_id: str, number: int, db: Session, me: Me) -> ReleaseOut:
    """Stop a bake after the part it is at."""
    scene_for(db, me, scene_id, "editor")
    release = _release(db, scene_id, number)
    cancelled = releases.cancel(db, release.id)
    if cancelled is None:
        db.refresh(release)
        raise Stale(f"release {number} has ended already: it is {release.state}")
    return release_out(db, cancelled)


@router.get(
    "/{number}/bundle.zip",
    response_class=StreamingResponse,
    responses={200: {"content": {"application/zip": {}}}},
)
def download(scene_id: str, number: int, db: Session, me: Me, ctx: Ctx) -> StreamingResponse:
    """All files of a finished release, zipped as they are sent."""
    scene = scene_for(db, me, scene_id)
    release = _release(db, scene_id, number)
    if release.state != "done":
        raise NotFound(f"release {number} is {release.state}; only finished ones can be downloaded")
    files = db.scalars(
        select(ReleaseFile)
        .where(ReleaseFile.release_id == release.id)
        .order_by(ReleaseFile.ordinal)
    ).all()
    when = release.finished or release.created
    name = re.sub(r"[^A-Za-z0-9]+", "-", scene.name).strip("-").lower() or "scene"
    members = (
        (f.path, when, 0o644, ZIP_64, ctx.results.read_pieces(list(f.pieces))) for f in files
    )
    body = stream_zip(members)
    headers = {"Content-Disposition": f'attachment; filename="{name}-{number}.zip"'}
    return StreamingResponse(body, media_type="application/zip", headers=headers)
