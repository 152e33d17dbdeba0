"""Accounts, passwords and sessions."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime, timedelta
from hashlib import sha256
from threading import Lock

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import delete, select
from sqlalchemy.orm import Session as Db

from plough.service.db.tables import Account, Member, Scene, Session
from plough.service.errors import NotAllowed, NotFound, NotSignedIn, TooMany

COOKIE = "plough_session"
_LIFETIME = timedelta(days=30)
_hasher = PasswordHasher(time_cost=2, memory_cost=19_456, parallelism=1)
_unknown = _hasher.hash(
    "nobody has this password"
)  # checked for unknown names, so that the time tells nothing
ROLES = {"viewer": 0, "editor": 1, "owner": 2}


class Attempts:
    """Counts failed sign-ins of a name, to slow guessing down."""

    def __init__(self, most: int = 10, window: timedelta = timedelta(minutes=5)) -> None:
        self.most, self.window = most, window
        self._failed: dict[str, list[datetime]] = {}
        self._lock = Lock()

    def check(self, name: str) -> None:
        """Raises `TooMany` when `name` has failed too often lately."""
        with self._lock:
            now = datetime.now(UTC)
            self._failed = {
                n: f
                for n, times in self._failed.items()
                if (f := [t for t in times if now - t < self.window])
            }
            if len(self._failed.get(name, ())) >= self.most:
                raise TooMany(
                    f"too many failed sign-ins for this name; try again in {self.window.seconds // 60} minutes"
                )

    def fail(self, name: str) -> None:
        """Count a failure."""
        with self._lock:
            self._failed.setdefault(name, []).append(datetime.now(UTC))


def _token_hash(token: str) -> str:
    return sha256(token.encode()).hexdigest()


def create_account(db: Db, name: str, password: str) -> Account:
    """A new account, or the existing one of that name with its password left as it is."""
    account = db.scalar(select(Account).where(Account.name == name))
    if account is None:
        account = Account(name=name, password_hash=_hasher.hash(password))
        db.add(account)
        db.flush()
    return account


def sign_in(db: Db, name: str, password: str) -> tuple[Account, str]:
    """The account and a new session's token. Raises `NotSignedIn`."""
    account = db.scalar(select(Account).where(Account.name == name))
    try:
        _hasher.verify(account.password_hash if account else _unknown, password)
    except (VerifyMismatchError, InvalidHashError):
        account = None
    if account is None:
        raise NotSignedIn("name or password is wrong")
    token = secrets.token_urlsafe(32)
    now = datetime.now(UTC)
    db.execute(delete(Session).where(Session.expires < now))
    db.add(Session(token_hash=_token_hash(token), account_id=account.id, expires=now + _LIFETIME))
    return account, token


def sign_out(db: Db, token: str) -> None:
    """End a session."""
    db.execute(delete(Session).where(Session.token_hash == _token_hash(token)))


def account_of(db: Db, token: str | None) -> Account:
    """The account of a session's token. Raises `NotSignedIn`."""
    if token:
        row = db.execute(
            select(Account, Session.expires)
            .join(Session, Session.account_id == Account.id)
            .where(Session.token_hash == _token_hash(token))
        ).first()
        if row is not None and row[1] > datetime.now(UTC):
            return row[0]
    raise NotSignedIn("sign in first")


def scene_for(
    db: Db, account: Account, scene_id: str, role: str = "viewer", lock: bool = False
) -> Scene:
    """The scene, when `account` is a member with at least `role`.

    Args:
        lock: hold the scene's row until the transaction ends, so that edits get their numbers one by one.

    Raises:
        NotFound: no such scene, or no member.
        NotAllowed: a member with a lesser role.
    """
    member = db.get(Member, (scene_id, account.id))
    scene = db.get(Scene, scene_id, with_for_update=lock) if member else None
    if member is None or scene is None:
        raise NotFound(f"there is no scene {scene_id!r}, or it is not shared with you")
    if ROLES[member.role] < ROLES[role]:
        raise NotAllowed(f"this needs the role {role}; you are {member.role} of this scene")
    return scene
