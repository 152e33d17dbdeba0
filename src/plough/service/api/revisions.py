"""Pictures and kept versions of assets."""

from __future__ import annotations

from fastapi import APIRouter, Response
from sqlalchemy import func, select
from sqlalchemy.orm import Session as Db

from plough.core.errors import ParameterError
from plough.core.hashing import key_of
from plough.core.kinds import get_kind
from plough.core.library import resolve
from plough.core.scene.document import Asset as AssetModel
from plough.service import documents, scenes
from plough.service.accounts import scene_for
from plough.service.api.bench import asset_picture
from plough.service.api.bench_models import RevisionIn, RevisionOut
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.models import PROBLEMS, SceneOut
from plough.service.api.scenes import scene_out
from plough.service.db.tables import Account, Asset, Revision
from plough.service.errors import NotFound
from plough.service.fields import flatten
from plough.service.scenes import Editing, Subject

router = APIRouter(prefix="/api/scenes", tags=["scenes"], responses=PROBLEMS)
MOST_REVISIONS = 400


@router.get(
    "/{scene_id}/assets/{asset_id}/picture",
    response_class=Response,
    responses={200: {"content": {"image/jpeg": {}}}},
)
def read_asset_picture(
    scene_id: str, asset_id: str, db: Session, me: Me, ctx: Ctx, v: int = 0
) -> Response:
    """An asset's picture; `v`, its version, makes the address another one when the asset changes."""
    document = documents.document_of(db, scene_for(db, me, scene_id))
    db.commit()  # no transaction is held while the picture is drawn
    assets = {a.id: a for a in document.assets}
    if asset_id not in assets:
        raise NotFound(f"there is no asset {asset_id!r} in this scene; it may have been removed")
    asset = assets[asset_id]
    parameters = resolve(asset, assets, asset.id).parameters
    key = key_of(
        "asset picture",
        asset.kind,
        get_kind(asset.kind).version,
        parameters,
        asset.seeds[0],
        asset.images,
    )
    names = ctx.results.result(key, lambda: {"jpeg": asset_picture(ctx, asset, assets)}, True)
    return Response(
        ctx.results.get(names["jpeg"]),
        media_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=3600"},
    )


def _revision_out(row: Revision, author: str) -> RevisionOut:
    picture = f"/api/scenes/{row.scene_id}/assets/{row.asset_id}/revisions/{row.number}/picture"
    return RevisionOut(
        number=row.number,
        author=author,
        at=row.at,
        note=row.note,
        parameters=row.parameters,
        seeds=row.seeds,
        images=row.images,
        picture=picture,
    )


def _revisions(db: Db, scene_id: str, asset_id: str) -> list[RevisionOut]:
    rows = db.execute(
        select(Revision, Account.name)
        .join(Account, Account.id == Revision.account_id)
        .where(Revision.scene_id == scene_id, Revision.asset_id == asset_id)
        .order_by(Revision.number.desc())
    )
    return [_revision_out(row, name) for row, name in rows]


@router.get("/{scene_id}/assets/{asset_id}/revisions")
def list_revisions(scene_id: str, asset_id: str, db: Session, me: Me) -> list[RevisionOut]:
    """The kept versions of an asset, newest first."""
    scene_for(db, me, scene_id)
    return _revisions(db, scene_id, asset_id)


@router.post("/{scene_id}/assets/{asset_id}/revisions", status_code=201)
def keep_revision(
    scene_id: str, asset_id: str, body: RevisionIn, db: Session, me: Me, ctx: Ctx
) -> list[RevisionOut]:
    """Keep the present version of an asset, with a picture."""
    scene = scene_for(db, me, scene_id, "editor")
    document = documents.document_of(db, scene)
    assets = {a.id: a for a in document.assets}
    if asset_id not in assets:
        raise NotFound(f"there is no asset {asset_id!r} in this scene; it may have been removed")
    asset = assets[asset_id]
    db.commit()  # no transaction is held while the picture is drawn
    picture = asset_picture(ctx, asset, assets)
    with ctx.database.session() as again:
        return _keep(again, me, scene_id, asset, body.note, picture)


def _keep(
    db: Db, me: Account, scene_id: str, asset: AssetModel, note: str, picture: bytes
) -> list[RevisionOut]:
    scene_for(db, me, scene_id, "editor", lock=True)
    asset_id = asset.id
    last = (
        db.scalar(
            select(func.max(Revision.number)).where(
                Revision.scene_id == scene_id, Revision.asset_id == asset_id
            )
        )
        or 0
    )
    if last >= MOST_REVISIONS:
        raise ParameterError(
            "note", f"an asset keeps at most {MOST_REVISIONS} versions", limit=str(MOST_REVISIONS)
        )
    db.add(
        Revision(
            scene_id=scene_id,
            asset_id=asset_id,
            number=last + 1,
            account_id=me.id,
            note=note,
            parameters=asset.parameters,
            seeds=list(asset.seeds),
            images=dict(asset.images),
            picture=picture,
        )
    )
    db.flush()
    return _revisions(db, scene_id, asset_id)


def _revision(db: Db, scene_id: str, asset_id: str, number: int) -> Revision:
    row = db.get(Revision, (scene_id, asset_id, number))
    if row is None:
        raise NotFound(f"there is no version {number} of this asset")
    return row


@router.get(
    "/{scene_id}/assets/{asset_id}/revisions/{number}/picture",
    response_class=Response,
    responses={200: {"content": {"image/jpeg": {}}}},
)
def revision_picture(scene_id: str, asset_id: str, number: int, db: Session, me: Me) -> Response:
    """The picture of a kept version."""
    scene_for(db, me, scene_id)
    picture = _revision(db, scene_id, asset_id, number).picture
    return Response(
        picture,
        media_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=31536000, immutable"},
    )


@router.post("/{scene_id}/assets/{asset_id}/revisions/{number}/return")
def return_to_revision(scene_id: str, asset_id: str, number: int, db: Session, me: Me) -> SceneOut:
    """Make a kept version the present one; this can be undone."""
    scene = scene_for(db, me, scene_id, "editor", lock=True)
    asset: Asset = scenes.get(db, scene, "asset", asset_id)
    row = _revision(db, scene_id, asset_id, number)
    gone = dict.fromkeys(flatten(asset.parameters, "parameters"))
    fields = {
        **gone,
        **flatten(row.parameters, "parameters"),
        "seeds": row.seeds,
        "images": row.images,
    }
    title = f"return to version {number} of {asset.name}"
    scenes.change(Editing(db, scene, me), Subject("asset", asset_id), fields, title)
    return scene_out(db, scene, me)
