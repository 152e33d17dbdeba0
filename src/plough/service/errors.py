"""What can go wrong in the service, each with a sentence that says what to do."""

from __future__ import annotations

from typing import Any

from plough.core.errors import PloughError


class SetupError(PloughError):
    """Plough cannot start."""


class ServiceError(PloughError):
    """An answer other than success; becomes an RFC 9457 problem."""

    status = 400
    title = "Bad request"

    def __init__(self, detail: str, **more: Any) -> None:
        super().__init__(detail)
        self.detail = detail
        self.more = more


class NotSignedIn(ServiceError):
    """No valid session."""

    status = 401
    title = "Not signed in"


class NotAllowed(ServiceError):
    """The account may not do this."""

    status = 403
    title = "Not allowed"


class NotFound(ServiceError):
    """There is no such thing, or the account may not see it."""

    status = 404
    title = "Not found"


class Stale(ServiceError):
    """The edit was made against an older version; `current` holds the present state."""

    status = 409
    title = "Changed meanwhile"


class TooMany(ServiceError):
    """Too many tries in a short time."""

    status = 429
    title = "Too many tries"
