"""Puts the demo accounts and the demo scene into the database, once."""

from __future__ import annotations

from sqlalchemy import select

from plough.core.demo import teasel_fen
from plough.service.accounts import create_account
from plough.service.db.session import Database
from plough.service.db.tables import Member, Scene
from plough.service.documents import create_scene

ACCOUNTS = {
    "sedge": ("water-mint", "owner"),
    "tansy": ("yellow-flag", "editor"),
    "burdock": ("marsh-thistle", "viewer"),
}
"""Name: password and role in the demo scene."""


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
        scene = create_scene(db, accounts["sedge"], teasel_fen())
        for name, (_, role) in ACCOUNTS.items():
            if role != "owner":
                db.add(Member(scene_id=scene.id, account_id=accounts[name].id, role=role))
        return scene.id
