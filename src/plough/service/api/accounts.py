"""Signing in and out."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Cookie, Request, Response

from plough.service import accounts
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.models import PROBLEMS, AccountOut, Problem, SignIn
from plough.service.errors import NotSignedIn

router = APIRouter(prefix="/api", tags=["accounts"])


@router.get("/health")
def health(db: Session) -> dict[str, str]:
    """Whether the service and its database answer."""
    from sqlalchemy import text

    db.execute(text("SELECT 1"))
    return {"status": "well"}


@router.post(
    "/session",
    responses={
        401: PROBLEMS[401],
        429: {"model": Problem, "description": "Too many failed tries."},
    },
)
def sign_in(
    body: SignIn, db: Session, ctx: Ctx, request: Request, response: Response
) -> AccountOut:
    """Sign in; the answer sets the session's cookie."""
    ctx.attempts.check(body.name)
    try:
        account, token = accounts.sign_in(db, body.name, body.password)
    except NotSignedIn:
        ctx.attempts.fail(body.name)
        raise
    secure = request.url.scheme == "https"
    response.set_cookie(
        accounts.COOKIE,
        token,
        max_age=30 * 86_400,
        httponly=True,
        samesite="lax",
        secure=secure,
        path="/",
    )
    return AccountOut(name=account.name)


@router.get("/session", responses={401: PROBLEMS[401]})
def who(me: Me) -> AccountOut:
    """Who is signed in."""
    return AccountOut(name=me.name)


@router.delete("/session", status_code=204, responses={401: PROBLEMS[401]})
def sign_out(
    me: Me,
    db: Session,
    response: Response,
    plough_session: Annotated[str, Cookie(alias=accounts.COOKIE, include_in_schema=False)] = "",
) -> None:
    """Sign out."""
    accounts.sign_out(db, plough_session)
    response.delete_cookie(accounts.COOKIE, path="/")
