"""Before Django: a body has a size and a time to arrive in, and nothing of a larger one is stored."""

import asyncio
from collections.abc import Awaitable, Callable
from contextlib import suppress
from http.cookies import CookieError, SimpleCookie
from importlib import import_module
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings
from django.db import DatabaseError, connection
from poietic_core.errors import DomainError

from .edge import TAKE_FILES
from .errors import problem
from .http_errors import TooLarge, TooSlow

#: how much somebody may send who is not signed in, somebody who is, and as a file [bytes]
OF_STRANGERS, OF_PERSONS, OF_FILES = 64_000, 4_000_000, 25_000_000
#: how long a body may take to arrive [s]
BODY_SECONDS = 30
#: how long somebody may go on sending who was refused
LINGER_SECONDS = 2

Scope = dict[str, Any]
Receive = Callable[[], Awaitable[dict[str, Any]]]
Send = Callable[[dict[str, Any]], Awaitable[None]]


class _Refused(Exception):
    """Ends a request whose body is not taken."""

    def __init__(self, error: DomainError) -> None:
        super().__init__(error.code)
        self.error = error


class Gate:
    """An ASGI application before another one."""

    def __init__(self, application: Callable[[Scope, Receive, Send], Awaitable[None]]) -> None:
        self._application = application

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Hand on a request whose body stays within its limits; refuse every other."""
        if scope["type"] != "http":
            await self._application(scope, receive, send)
            return
        is_begun = False

        async def begun(message: dict[str, Any]) -> None:
            nonlocal is_begun
            is_begun = True
            await send(message)

        try:
            body = await _Body.of(scope, receive)
            await self._application(scope, body.receive, begun)
        except _Refused as refused:
            if not is_begun:
                await _answer(receive, send, refused.error)


class _Body:
    """The body of a request as it arrives, counted and timed."""

    def __init__(self, scope: Scope, receive: Receive) -> None:
        self._scope, self._receive = scope, receive
        self._most = OF_STRANGERS
        self._is_known = False
        self._taken = 0
        self._is_whole = False
        self._until = asyncio.get_running_loop().time() + BODY_SECONDS

    @classmethod
    async def of(cls, scope: Scope, receive: Receive) -> "_Body":
        """Begin to take a body; refuse one that says it is too large."""
        body = cls(scope, receive)
        said = dict(scope["headers"]).get(b"content-length", b"0")
        await body._require(int(said) if said.isdigit() else 0)
        return body

    async def receive(self) -> dict[str, Any]:
        """Return the next part."""
        if self._is_whole:
            return await self._receive()
        left = self._until - asyncio.get_running_loop().time()
        try:
            message = await asyncio.wait_for(self._receive(), max(left, 0))
        except TimeoutError:
            raise _Refused(TooSlow(BODY_SECONDS)) from None
        self._taken += len(message.get("body", b""))
        self._is_whole = not message.get("more_body", False)
        await self._require(self._taken)
        return message

    async def _require(self, size: int) -> None:
        if size > self._most and not self._is_known:
            self._is_known = await sync_to_async(_is_signed_in, thread_sensitive=False)(self._scope)
            if self._is_known:
                takes_files = self._scope["path"].startswith(TAKE_FILES)
                self._most = OF_FILES if takes_files else OF_PERSONS
        if size > self._most:
            raise _Refused(TooLarge(f"{self._most / 1000:,.0f} kB"))


def _is_signed_in(scope: Scope) -> bool:
    """Tell whether the request comes from a session of a person."""
    cookies: SimpleCookie = SimpleCookie()
    try:
        cookies.load(dict(scope["headers"]).get(b"cookie", b"").decode("latin-1"))
    except CookieError:
        return False
    found = cookies.get(settings.SESSION_COOKIE_NAME)
    if found is None:
        return False
    store = import_module(settings.SESSION_ENGINE).SessionStore(found.value)
    try:
        return "_auth_user_id" in store
    except DatabaseError:
        return False
    finally:
        connection.close()


async def _answer(receive: Receive, send: Send, error: DomainError) -> None:
    """Refuse, and read on for a moment: whoever is still sending would lose the answer otherwise."""
    said = problem(error)
    headers = [
        (b"content-type", said["Content-Type"].encode()),
        (b"content-length", str(len(said.content)).encode()),
        (b"connection", b"close"),  # what is still on its way is not waited for
    ]
    await send({"type": "http.response.start", "status": said.status_code, "headers": headers})
    await send({"type": "http.response.body", "body": said.content, "more_body": True})
    with suppress(TimeoutError):
        async with asyncio.timeout(LINGER_SECONDS):
            while (await receive()).get("more_body"):
                pass
    await send({"type": "http.response.body", "body": b""})
