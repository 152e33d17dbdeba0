"""Puts the demo accounts and the demo scene into the database, once."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session as Db

from plough.core.demo import demo_meshes, teasel_fen
from plough.core.scene.document import SceneDocument
from plough.service.accounts import create_account
from plough.service.db.session import Database
from plough.service.db.tables import Account, Member, Scene
from plough.service.documents import create_scene
from plough.service.results import keep_model

ACCOUNTS = {
    "sedge": ("water-mint", "owner"),
    "tansy": ("yellow-flag", "editor"),
    "burdock": ("marsh-thistle", "viewer"),
}
"""Name: password and role in the demo scene."""


def keep_demo_meshes(db: Db, owner: Account) -> None:
    """The demo's meshes, as if `owner` had brought them."""
    for name, data in demo_meshes().items():
        keep_model(db, owner.id, f"{name}.glb", data)


def create_demo_scene(db: Db, owner: Account, document: SceneDocument) -> Scene:
    """A scene of `owner` with the demo's meshes."""
    keep_demo_meshes(db, owner)
    return create_scene(db, owner, document)


def load_demo(database: Database) -> str:
    """Make what is missing of the demo; the demo scene's id."""
    with database.session() as db:
        accounts = {
            name: create_account(db, name, password) for name, (password, _) in ACCOUNTS.items()
        }
        found = db.scalar(
            select(Scene)
            .join(Member, Member.scene_id == Scene.id)
            .where(Member.account_id == accounts["sedge"].id, Member.role == "owner")
            .order_by(Scene.created)
            .limit(1)
        )
        if found is not None:
            return found.id
        scene = create_demo_scene(db, accounts["sedge"], teasel_fen())
        for name, (_, role) in ACCOUNTS.items():
            if role != "owner":
                db.add(Member(scene_id=scene.id, account_id=accounts[name].id, role=role))
        return scene.id
