"""Scenes, who may open them, and the edits of them."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Header, Request, Response
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session as Db

from plough.core.demo import teasel_fen
from plough.core.errors import ParameterError
from plough.core.kinds import get_kind
from plough.core.parameters import build
from plough.core.scene.document import LayerGame, SceneDocument, Settings, read_document
from plough.core.scene.registry import get_layer_kind
from plough.service import documents, scenes
from plough.service.accounts import scene_for
from plough.service.api.context import Me, Session
from plough.service.api.models import (
    PROBLEMS,
    AssetOut,
    EditOut,
    LayerOut,
    MemberIn,
    MemberOut,
    NewScene,
    SceneCard,
    SceneEdit,
    SceneOut,
)
from plough.service.api.releases import find_release, release_out
from plough.service.db.tables import Account, Edit, Layer, Member, Release, Scene
from plough.service.demo.load import create_demo_scene
from plough.service.errors import NotFound
from plough.service.fields import flatten
from plough.service.releases import enqueue_preparing
from plough.service.scenes import Editing, Subject
from plough.service.taken_back import take_back

router = APIRouter(prefix="/api/scenes", tags=["scenes"], responses=PROBLEMS)


def scene_out(db: Db, scene: Scene, me: Account, **more: Any) -> SceneOut:
    """The scene, whole, as `me` sees it."""
    undo, redo = scenes.can_step(db, scene, me)
    layers = [
        LayerOut(
            id=r.id,
            kind=r.kind,
            name=r.name,
            hidden=r.hidden,
            locked=r.locked,
            shadow=r.shadow,
            notes=r.notes,
            game=build(LayerGame, r.game, "game"),
            version=r.version,
            parameters=build(get_layer_kind(r.kind).parameters, r.parameters).model_dump(
                mode="json"
            ),
        )
        for r in documents.layers_of(db, scene.id)
    ]
    assets = [
        AssetOut(
            id=a.id,
            kind=a.kind,
            name=a.name,
            seeds=a.seeds,
            tags=a.tags,
            images=a.images,
            notes=a.notes,
            version=a.version,
            parameters=build(get_kind(a.kind).parameters, a.parameters).model_dump(mode="json"),
        )
        for a in documents.assets_of(db, scene.id)
    ]
    members = [
        MemberOut(name=name, role=role)
        for name, role in db.execute(
            select(Account.name, Member.role)
            .join(Member, Member.account_id == Account.id)
            .where(Member.scene_id == scene.id)
            .order_by(Account.name)
        )
    ]
    role = next(m.role for m in members if m.name == me.name)
    return SceneOut(
        id=scene.id,
        name=scene.name,
        role=role,
        version=scene.version,
        edits=scene.edits,
        settings=Settings.model_validate(scene.settings),
        layers=layers,
        assets=assets,
        members=members,
        undo=undo,
        redo=redo,
        **more,
    )


class Replayed(Exception):
    """An edit that was made already has been sent again; `answer` is the scene as it is now."""

    def __init__(self, answer: SceneOut) -> None:
        super().__init__("made already")
        self.answer = answer


EditKey = Annotated[
    str | None,
    Header(
        alias="Idempotency-Key",
        max_length=64,
        description="Tells this edit from any other of the scene: sent again, it is made once.",
    ),
]


EditJoined = Annotated[
    bool,
    Header(
        alias="Edit-Joined",
        description="Undone and redone together with one's own edit before it, as one.",
    ),
]


def edited(
    scene_id: str, db: Session, me: Me, key: EditKey = None, joined: EditJoined = False
) -> Scene:
    """The scene to be edited, locked until the edit is done.

    Raises:
        Replayed: an edit with this key was made before.
    """
    scene = scene_for(db, me, scene_id, "editor", lock=True)
    if key is not None:
        made = scenes.edit_of_key(db, scene, key)
        if made is not None:
            created = made.target_id if made.inverse is None and made.kind == "edit" else None
            raise Replayed(scene_out(db, scene, me, created_id=created))
        db.info[scenes.EDIT_KEY] = key
    db.info[scenes.EDIT_JOINED] = joined
    return scene


Edited = Annotated[Scene, Depends(edited)]


@router.get("")
def list_scenes(db: Session, me: Me) -> list[SceneCard]:
    """The scenes that the account may open, last changed first."""
    rows = db.execute(
        select(Scene, Member.role)
        .join(Member, Member.scene_id == Scene.id)
        .where(Member.account_id == me.id)
        .order_by(Scene.updated.desc())
    ).all()
    cards = []
    for scene, role in rows:
        members = db.scalars(
            select(Account.name)
            .join(Member, Member.account_id == Account.id)
            .where(Member.scene_id == scene.id)
            .order_by(Account.name)
        )
        last = db.scalar(
            select(Release)
            .where(Release.scene_id == scene.id)
            .order_by(Release.number.desc())
            .limit(1)
        )
        layers = (
            db.scalar(select(func.count()).select_from(Layer).where(Layer.scene_id == scene.id))
            or 0
        )
        picture = f"/api/scenes/{scene.id}/picture?v={scene.edits}" if scene.picture else None
        cards.append(
            SceneCard(
                id=scene.id,
                name=scene.name,
                role=role,
                members=list(members),
                layers=layers,
                updated=scene.updated,
                picture=picture,
                release=release_out(db, last) if last else None,
            )
        )
    return cards


@router.post("", status_code=201)
def create_scene(body: NewScene, db: Session, me: Me) -> SceneOut:
    """A new scene, owned by the account."""
    if body.document is not None:
        document = read_document(body.document)
    elif body.start == "demo":
        document = teasel_fen()
    else:
        ground: dict[str, Any] = {
            "id": "ground",
            "kind": "ground",
            "name": "Ground",
            "parameters": {},
        }
        view = {"id": "start", "name": "Start", "eye": [-60, 38, 78], "target": [0, 2, 0]}
        document = read_document(
            {
                "version": 1,
                "name": body.name,
                "settings": {"viewpoints": [view]},
                "layers": [
                    ground,
                    {"id": "bake", "kind": "bake", "name": "Bake", "parameters": {}},
                ],
            }
        )
    document = document.model_copy(update={"name": body.name})
    create = create_demo_scene if body.start == "demo" else documents.create_scene
    scene = create(db, me, document)
    enqueue_preparing(db, scene.id)
    return scene_out(db, scene, me)


@router.get("/{scene_id}")
def read_scene(scene_id: str, db: Session, me: Me) -> SceneOut:
    """A scene, whole."""
    return scene_out(db, scene_for(db, me, scene_id), me)


@router.get("/{scene_id}/document")
def read_scene_document(scene_id: str, db: Session, me: Me) -> SceneDocument:
    """The scene's document, as a file that another Plough reads."""
    return documents.document_of(db, scene_for(db, me, scene_id))


@router.delete("/{scene_id}", status_code=204)
def delete_scene(scene_id: str, db: Session, me: Me) -> None:
    """Delete a scene with its releases; only its owner may."""
    scene_for(db, me, scene_id, "owner", lock=True)
    db.execute(delete(Scene).where(Scene.id == scene_id))


@router.patch("/{scene_id}")
def edit_scene(scene: Edited, body: SceneEdit, db: Session, me: Me) -> SceneOut:
    """Change the name, or parts of the settings: sun, sky, wind, profile, viewpoints."""
    scenes.check_version(
        scene, body.version, lambda: scene_out(db, scene, me).model_dump(mode="json")
    )
    fields: dict[str, Any] = {"name": body.name} if body.name is not None else {}
    fields |= flatten(body.settings or {}, "settings")
    parts = sorted({k.split(".")[1] if "." in k else k for k in fields})
    scenes.change(
        Editing(db, scene, me),
        Subject("scene", scene.id),
        fields,
        f"{', '.join(parts)} of the scene",
    )
    return scene_out(db, scene, me)


@router.put(
    "/{scene_id}/picture",
    status_code=204,
    openapi_extra={"requestBody": {"content": {"image/jpeg": {}}, "required": True}},
)
async def put_picture(scene_id: str, request: Request) -> Response:
    """The picture on the scene's card: a JPEG of at most 300 kB."""
    from starlette.concurrency import run_in_threadpool

    data = await request.body()
    if not data.startswith(b"\xff\xd8\xff"):
        raise ParameterError("picture", "must be a JPEG image", limit="image/jpeg")
    await run_in_threadpool(_keep_picture, request, scene_id, data)
    return Response(status_code=204)


def _keep_picture(request: Request, scene_id: str, data: bytes) -> None:
    from plough.service.accounts import COOKIE, account_of
    from plough.service.api.context import context

    with context(request).database.session() as db:
        scene_for(db, account_of(db, request.cookies.get(COOKIE)), scene_id, "editor")
        db.execute(Scene.__table__.update().where(Scene.id == scene_id).values(picture=data))  # type: ignore[attr-defined]


@router.get(
    "/{scene_id}/picture", response_class=Response, responses={200: {"content": {"image/jpeg": {}}}}
)
def get_picture(scene_id: str, db: Session, me: Me) -> Response:
    """The picture on the scene's card."""
    scene = scene_for(db, me, scene_id)
    if scene.picture is None:
        raise NotFound("the scene has no picture yet")
    return Response(
        scene.picture,
        media_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=31536000"},
    )


@router.put("/{scene_id}/members")
def put_member(scene_id: str, body: MemberIn, db: Session, me: Me) -> SceneOut:
    """Let an account in, or change its role; only an owner may, and one owner stays."""
    scene = scene_for(db, me, scene_id, "owner", lock=True)
    account = db.scalar(select(Account).where(Account.name == body.name))
    if account is None:
        raise ParameterError("name", f"there is no account {body.name!r}", value=body.name)
    member = db.get(Member, (scene_id, account.id))
    if member is None:
        db.add(Member(scene_id=scene_id, account_id=account.id, role=body.role))
    else:
        member.role = body.role
    _check_owner(db, scene_id)
    scenes.notify(db, scene_id, {"type": "members"})
    return scene_out(db, scene, me)


@router.delete("/{scene_id}/members/{name}")
def remove_member(scene_id: str, name: str, db: Session, me: Me) -> SceneOut:
    """Take an account out of the scene; only an owner may, and one owner stays."""
    scene = scene_for(db, me, scene_id, "owner", lock=True)
    account = db.scalar(select(Account).where(Account.name == name))
    if account is None or db.get(Member, (scene_id, account.id)) is None:
        raise NotFound(f"{name!r} is not in this scene")
    if account.id == me.id:
        raise ParameterError("name", "you cannot take yourself out; another owner can", value=name)
    db.execute(delete(Member).where(Member.scene_id == scene_id, Member.account_id == account.id))
    scenes.notify(db, scene_id, {"type": "members"})
    return scene_out(db, scene, me)


def _check_owner(db: Db, scene_id: str) -> None:
    db.flush()
    if not db.scalar(
        select(func.count())
        .select_from(Member)
        .where(Member.scene_id == scene_id, Member.role == "owner")
    ):
        raise ParameterError(
            "role",
            "a scene keeps one owner; make somebody else an owner first",
            limit="one owner or more",
        )


@router.post("/{scene_id}/undo")
def undo(scene: Edited, db: Session, me: Me) -> SceneOut:
    """Take back one's own last edit; what another has changed since stays."""
    note = scenes.step(db, scene, me, "undo")
    return scene_out(db, scene, me, note=note)


@router.post("/{scene_id}/redo")
def redo(scene: Edited, db: Session, me: Me) -> SceneOut:
    """Do again what was undone last."""
    note = scenes.step(db, scene, me, "redo")
    return scene_out(db, scene, me, note=note)


@router.post("/{scene_id}/releases/{number}/take-back")
def take_scene_back(number: int, scene: Edited, db: Session, me: Me) -> SceneOut:
    """Make the scene what it was when a release was baked, its name excepted; all of it is undone as one."""
    document = read_document(find_release(db, scene.id, number).document)
    take_back(Editing(db, scene, me), document, f"back to release {number}")
    return scene_out(db, scene, me)


@router.get("/{scene_id}/edits")
def list_edits(
    scene_id: str, db: Session, me: Me, before: int = 2**31 - 1, most: int = 100
) -> list[EditOut]:
    """The edit log, newest first, in pages of at most 200."""
    scene_for(db, me, scene_id)
    rows = db.execute(
        select(Edit, Account.name)
        .join(Account, Account.id == Edit.account_id)
        .where(Edit.scene_id == scene_id, Edit.number < before)
        .order_by(Edit.number.desc())
        .limit(max(1, min(most, 200)))
    )
    return [
        EditOut(
            number=e.number,
            author=name,
            at=e.at,
            kind=e.kind,
            title=e.title,
            target=e.target,
            target_id=e.target_id,
        )
        for e, name in rows
    ]
