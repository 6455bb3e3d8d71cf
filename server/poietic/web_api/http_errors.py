"""What is wrong with a request before any rule of the shop speaks, or with the server that gets it."""

from dataclasses import dataclass
from typing import ClassVar

from poietic_core.errors import DomainError

TRY_AGAIN = "Try again; nothing of this was posted."


@dataclass(eq=False)
class NotUnderstood(DomainError):
    """A request that can't be read."""

    reason: str
    code: ClassVar[str] = "request.not_understood"
    what: ClassVar[str] = "The request can't be read."
    why: ClassVar[str] = "{reason}"
    fix: ClassVar[str] = "Send it as the interface's OpenAPI document describes it."


@dataclass(eq=False)
class FromElsewhere(DomainError):
    """A request that lacks the token of our own pages."""

    code: ClassVar[str] = "request.from_elsewhere"
    what: ClassVar[str] = "The request was not taken."
    why: ClassVar[str] = "It does not carry the token of this application's own pages."
    fix: ClassVar[str] = "Load the page again and repeat what you did."


@dataclass(eq=False)
class NoSuchAddress(DomainError):
    """Nothing answers at an address."""

    address: str
    code: ClassVar[str] = "request.no_such_address"
    what: ClassVar[str] = "Nothing answers at {address}."
    why: ClassVar[str] = "The interface has no such address."
    fix: ClassVar[str] = "Look it up in the interface's OpenAPI document."


@dataclass(eq=False)
class MethodNotAllowed(DomainError):
    """An address that is asked in a way it doesn't answer."""

    method: str
    address: str
    code: ClassVar[str] = "request.method_not_allowed"
    what: ClassVar[str] = "{address} does not answer to {method}."
    why: ClassVar[str] = "Queries are read with GET, commands are sent with POST."
    fix: ClassVar[str] = "Use the method that the interface's OpenAPI document names."


@dataclass(eq=False)
class TooSlow(DomainError):
    """A request that does not arrive whole in time."""

    seconds: int
    code: ClassVar[str] = "request.too_slow"
    what: ClassVar[str] = "The request did not arrive whole."
    why: ClassVar[str] = "A request has {seconds} seconds to arrive."
    fix: ClassVar[str] = TRY_AGAIN


@dataclass(eq=False)
class TooLarge(DomainError):
    """A request that is larger than its address takes."""

    most: str
    code: ClassVar[str] = "request.too_large"
    what: ClassVar[str] = "The request is too large."
    why: ClassVar[str] = "At most {most} are taken here."
    fix: ClassVar[str] = "Sign in if you are not, or send it in smaller parts."


@dataclass(eq=False)
class WrongKind(DomainError):
    """A body of a kind that the address doesn't take."""

    kind: str
    taken: str
    code: ClassVar[str] = "request.wrong_kind"
    what: ClassVar[str] = "A body of the kind {kind} is not taken here."
    why: ClassVar[str] = "This address takes {taken}."
    fix: ClassVar[str] = "Send it as that, with the Content-Type that says so."


@dataclass(eq=False)
class Failed(DomainError):
    """A defect of the application."""

    number: str
    code: ClassVar[str] = "service.failed"
    what: ClassVar[str] = "The application failed; this is a defect of it."
    why: ClassVar[str] = "What happened is in its log under {number}. Nothing of this was posted."
    fix: ClassVar[str] = "Tell whoever looks after the application this number."


@dataclass(eq=False)
class Unavailable(DomainError):
    """The database does not answer, or everybody waits for it."""

    code: ClassVar[str] = "service.unavailable"
    what: ClassVar[str] = "The application can't answer at this moment."
    why: ClassVar[str] = "Its database does not answer, or too many wait for it."
    fix: ClassVar[str] = "It is tried again; what is entered here is kept. Nothing is half posted."
