"""Every error the core raises on purpose."""

from __future__ import annotations


class PloughError(Exception):
    """Base of all errors that carry a message for the person who caused them."""


class ParameterError(PloughError):
    """A parameter is unknown, out of its limits or contradicts another one.

    `field` is a dotted path to it, `limit` what would be right, `value` what was given.
    """

    def __init__(self, field: str, message: str, *, limit: str = "", value: object = None) -> None:
        super().__init__(f"{field}: {message}")
        self.field = field
        self.message = message
        self.limit = limit
        self.value = value


class DocumentError(PloughError):
    """A scene document cannot be read: wrong version, broken reference, wrong shape."""


class FormatError(PloughError):
    """A file of a known format is damaged or holds something that cannot be read."""


class TooLargeError(ParameterError):
    """The result would exceed a stated limit; `field` is what to lower, the message says the limit."""


class Superseded(PloughError):
    """A newer request has taken this one's place; its result is no longer wanted."""
