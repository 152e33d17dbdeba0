"""Bakes and the releases that come of them."""

from __future__ import annotations

import io
import re
from dataclasses import asdict
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Header, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse
from PIL import Image
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db
from stream_zip import ZIP_64, stream_zip

from plough.core.arrays import Float32
from plough.core.bake.compare import Baked, compare, read_table
from plough.core.bake.frame import Frame
from plough.core.errors import ParameterError, TooLargeError
from plough.core.hashing import digest
from plough.core.scene.document import read_document
from plough.service import documents, releases
from plough.service.accounts import scene_for
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.models import (
    PROBLEMS,
    AssetChangeOut,
    ComparedOut,
    LayerChangeOut,
    PartOut,
    ReleaseEdit,
    ReleaseOut,
    StillOut,
    WeightChangeOut,
)
from plough.service.db.tables import Account, Release, ReleaseFile, ReleasePart, ReleaseStill
from plough.service.errors import NotFound, Stale
from plough.service.results import PIECE

_MEDIA = {
    "glb": "model/gltf-binary",
    "png": "image/png",
    "webp": "image/webp",
    "json": "application/json",
    "jsonl": "application/jsonl",
    "csv": "text/csv",
    "parquet": "application/vnd.apache.parquet",
}
MOST_PART = 4 * PIECE  #: bytes of a file that one request by range is given
MOST_TABLE = 150_000_000  #: bytes of a table of placements that is compared
MOST_PLACES = 4000  #: that are told of a comparison, of each sort
MOST_WIDE, MOST_TALL = 3840, 2160  #: pixels of a still
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
        "notes",
        "pinned",
    )
    return ReleaseOut(
        author=author, stills=_stills(db, release), **{n: getattr(release, n) for n in names}
    )


def _viewpoints(release: Release) -> dict[str, str]:
    """Names of the viewpoints that the release has, by id."""
    found = release.document.get("settings", {}).get("viewpoints", [])
    return {v["id"]: v["name"] for v in found}


def _stills(db: Db, release: Release) -> list[StillOut]:
    rows = db.execute(
        select(ReleaseStill.viewpoint, ReleaseStill.hash).where(
            ReleaseStill.release_id == release.id
        )
    )
    hashes: dict[str, str] = dict(rows.tuples().all())
    base = f"/api/scenes/{release.scene_id}/releases/{release.number}/stills"
    return [
        StillOut(viewpoint=v, name=name, picture=f"{base}/{v}?v={hashes[v][:12]}")
        for v, name in _viewpoints(release).items()
        if v in hashes
    ]


def find_release(db: Db, scene_id: str, number: int) -> Release:
    """A release by its number; raises `NotFound`."""
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
    document = documents.document_of(db, scene)
    read_document(document.model_dump(mode="json"))
    scene.releases += 1
    release = Release(
        scene_id=scene_id,
        number=scene.releases,
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
    return release_out(db, find_release(db, scene_id, number))


@router.patch("/{number}")
def edit_release(scene_id: str, number: int, body: ReleaseEdit, db: Session, me: Me) -> ReleaseOut:
    """Write notes on a release, or keep it from being deleted."""
    scene_for(db, me, scene_id, "editor")
    release = find_release(db, scene_id, number)
    for name, value in body.model_dump(exclude_none=True).items():
        setattr(release, name, value)
    db.flush()
    releases.tell(db, release)
    return release_out(db, release)


@router.delete("/{number}", status_code=204)
def delete_release(scene_id: str, number: int, db: Session, me: Me) -> None:
    """Delete a release that has ended and is not pinned, with its files and stills; its number is not used again."""
    scene_for(db, me, scene_id, "editor", lock=True)
    release = find_release(db, scene_id, number)
    if release.state in releases.OPEN:
        raise Stale(f"release {number} is still {release.state}; cancel it first")
    if release.pinned:
        raise Stale(f"release {number} is pinned; take the pin out first")
    releases.tell(db, release, "deleted")
    db.delete(release)


@router.get("/{number}/compare/{other}")
def compare_releases(scene_id: str, number: int, other: int, me: Me, ctx: Ctx) -> ComparedOut:
    """What differs in release `number` from release `other`: layers, assets, placements by id, weight."""
    with ctx.database.session() as db:
        scene_for(db, me, scene_id)
        found = [_finished(db, scene_id, n) for n in (other, number)]
        told = [(r.id, r.document, r.manifest or {}, _table_path(db, r)) for r in found]

    def baked(release_id: int, document: Any, manifest: dict[str, Any], path: str) -> Baked:
        data = b"".join(ctx.results.read_pieces(ctx.results.pieces_of(release_id, path)))
        return Baked(
            read_document(document), manifest, read_table(data, path, Frame.told(manifest))
        )

    made = compare(*(baked(*t) for t in told))
    return ComparedOut(
        before=other,
        after=number,
        layers=[LayerChangeOut.model_validate(asdict(x)) for x in made.layers],
        assets=[AssetChangeOut.model_validate(asdict(x)) for x in made.assets],
        weight=[WeightChangeOut(what=w, before=a, after=b) for w, a, b in made.weight],
        **{name: _some(getattr(made, name)) for name in ("added", "removed", "moved")},
    )


def _some(places: Float32) -> list[Any]:
    """Rows as they travel: of very many every so manieth."""
    step = -(-len(places) // MOST_PLACES) or 1
    rows: list[Any] = np.round(places[::step].astype(np.float64), 2).tolist()
    return rows


def _finished(db: Db, scene_id: str, number: int) -> Release:
    release = find_release(db, scene_id, number)
    if release.state != "done":
        raise NotFound(f"release {number} is {release.state}; only finished ones can be compared")
    return release


def _table_path(db: Db, release: Release) -> str:
    """The path of a release's table, which is not too large to be compared."""
    found = db.scalar(
        select(ReleaseFile).where(
            ReleaseFile.release_id == release.id, ReleaseFile.path.like("placements.%")
        )
    )
    if found is None:
        raise NotFound(f"release {release.number} has no table of placements")
    if found.bytes > MOST_TABLE:
        raise TooLargeError(
            "number",
            f"the table of release {release.number} has {found.bytes:,} bytes; at most {MOST_TABLE:,} are compared here",
            limit=f"{MOST_TABLE} bytes",
            value=found.bytes,
        )
    return found.path


@router.get("/{number}/parts")
def list_parts(scene_id: str, number: int, db: Session, me: Me) -> list[PartOut]:
    """How far each part of a bake is, in the order of the files; empty where all was there before."""
    scene_for(db, me, scene_id)
    release = find_release(db, scene_id, number)
    own = ReleasePart.release_id == release.id
    rows = db.scalars(select(ReleasePart).where(own).order_by(ReleasePart.ordinal))
    names = ("name", "state", "seconds", "place")
    return [PartOut(**{n: getattr(row, n) for n in names}) for row in rows]


@router.post("/{number}/cancel")
def cancel(scene_id: str, number: int, db: Session, me: Me) -> ReleaseOut:
    """Stop a bake after the part it is at."""
    scene_for(db, me, scene_id, "editor")
    release = find_release(db, scene_id, number)
    cancelled = releases.cancel(db, release.id)
    if cancelled is None:
        db.refresh(release)
        raise Stale(f"release {number} has ended already: it is {release.state}")
    return release_out(db, cancelled)


@router.put(
    "/{number}/stills/{viewpoint}",
    openapi_extra={"requestBody": {"content": {"image/jpeg": {}}, "required": True}},
)
async def put_still(
    scene_id: str, number: int, viewpoint: str, request: Request, me: Me, ctx: Ctx
) -> ReleaseOut:
    """Keep with a release what one of its viewpoints shows: a JPEG of at most 4 MB and 3840 x 2160 pixels."""
    data = await request.body()  # limited while it comes

    def keep() -> ReleaseOut:
        with ctx.database.session() as db:
            scene_for(db, me, scene_id, "editor")
            release = find_release(db, scene_id, number)
            if viewpoint not in _viewpoints(release):
                raise NotFound(f"release {number} has no viewpoint {viewpoint!r}")
            _check_still(data)
            values = {"hash": digest(data), "picture": data}
            row = {"release_id": release.id, "viewpoint": viewpoint, **values}
            db.execute(
                insert(ReleaseStill)
                .values(**row)
                .on_conflict_do_update(index_elements=["release_id", "viewpoint"], set_=values)
            )
            releases.tell(db, release)
            return release_out(db, release)

    return await run_in_threadpool(keep)


def _check_still(data: bytes) -> None:
    """Raises `ParameterError` unless `data` is a whole JPEG of a size that a still may have."""
    try:
        with Image.open(io.BytesIO(data), formats=("JPEG",)) as image:
            width, height = image.size
            if width > MOST_WIDE or height > MOST_TALL:
                raise ParameterError(
                    "still",
                    f"is {width} x {height} pixels; the limit is {MOST_WIDE} x {MOST_TALL}",
                    limit=f"{MOST_WIDE} x {MOST_TALL} pixels",
                )
            image.load()
    except ParameterError:
        raise
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        raise ParameterError("still", "is no JPEG that can be read", limit="image/jpeg") from None


@router.get(
    "/{number}/stills/{viewpoint}",
    response_class=Response,
    responses={200: {"content": {"image/jpeg": {}}}},
)
def get_still(scene_id: str, number: int, viewpoint: str, db: Session, me: Me) -> Response:
    """What a viewpoint showed when the release was baked."""
    scene_for(db, me, scene_id)
    release = find_release(db, scene_id, number)
    found = db.get(ReleaseStill, (release.id, viewpoint))
    if found is None:
        raise NotFound(f"release {number} has no still of {viewpoint!r}")
    forever = {"Cache-Control": "private, max-age=31536000, immutable"}
    return Response(found.picture, media_type="image/jpeg", headers=forever)


@router.get(
    "/{number}/files/{path:path}",
    response_class=Response,
    responses={
        200: {"content": {"application/octet-stream": {}}},
        206: {"description": "The part that `Range` asks for."},
        416: {"description": "There is no such part."},
    },
)
def get_file(
    scene_id: str,
    number: int,
    path: str,
    me: Me,
    ctx: Ctx,
    range_: Annotated[str | None, Header(alias="Range")] = None,
) -> Response:
    """One file of a finished release, or a part of it (`Range: bytes=FIRST-LAST`)."""
    with ctx.database.session() as db:
        scene_for(db, me, scene_id)
        release = find_release(db, scene_id, number)
        file = db.get(ReleaseFile, (release.id, path)) if release.state == "done" else None
        if file is None:
            raise NotFound(f"release {number} has no file {path!r}")
        size, pieces = file.bytes, list(file.pieces)
    headers = {
        "Cache-Control": "private, max-age=31536000, immutable",
        "Accept-Ranges": "bytes",
        "Content-Encoding": "identity",  # as long as it says, and packed already
        "ETag": f'"{digest(*(p.encode() for p in pieces))}"',
    }
    media = _MEDIA.get(path.rsplit(".", maxsplit=1)[-1], "application/octet-stream")
    part = _part_of(range_, size)
    if part is None:
        headers["Content-Length"] = str(size)
        read = ctx.results.read_pieces(pieces)
        return StreamingResponse(read, media_type=media, headers=headers)
    first, last = part
    if first > last:
        return Response(status_code=416, headers={"Content-Range": f"bytes */{size}"})
    a, b = first // PIECE, last // PIECE
    data = b"".join(ctx.results.read_pieces(pieces[a : b + 1]))
    headers["Content-Range"] = f"bytes {first}-{last}/{size}"
    return Response(data[first - a * PIECE : last + 1 - a * PIECE], 206, headers, media)


def _part_of(asked: str | None, size: int) -> tuple[int, int] | None:
    """First and last byte that a range asks for, of at most `MOST_PART` bytes; None for all, last before first where there is none."""
    found = re.fullmatch(r"bytes=(\d{0,18})-(\d{0,18})", (asked or "").strip())
    if found is None or not any(found.groups()):
        return None
    first, last = found.groups()
    if not first:
        return max(0, size - int(last)), size - 1
    return int(first), min(size - 1, int(last or size), int(first) + MOST_PART - 1)


@router.get(
    "/{number}/bundle.zip",
    response_class=StreamingResponse,
    responses={200: {"content": {"application/zip": {}}}},
)
def download(scene_id: str, number: int, db: Session, me: Me, ctx: Ctx) -> StreamingResponse:
    """All files of a finished release, zipped as they are sent."""
    scene = scene_for(db, me, scene_id)
    release = find_release(db, scene_id, number)
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
