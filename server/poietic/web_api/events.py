"""Live updates: what a command changed, told to every open page within the second."""

import asyncio
import json
from collections.abc import AsyncIterator

import psycopg
from django.db import connection
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse

from .errors import NotSignedIn, problem

CHANNEL = "poietic_changes"
KEEP_ALIVE_SECONDS = 15
WAITING_MOST = 50
THINGS_MOST = 100


def publish(*, change: int, title: str, person: str, things: list[str]) -> None:
    """Tell all pages what changed; delivered when the transaction commits, and only then."""
    told = things if len(things) <= THINGS_MOST else []
    message = {"change": change, "title": title, "person": person, "things": told}
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, json.dumps(message)])


def publish_job(number: int) -> None:
    """Tell all pages that a background job has come further; delivered at the commit."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, json.dumps({"job": number})])


class Hub:
    """The one LISTEN connection of a server process, and the pages that wait on it."""

    def __init__(self) -> None:
        self._pages: set[asyncio.Queue[str]] = set()
        self._task: asyncio.Task[None] | None = None
        self._listening = asyncio.Event()

    async def join(self) -> "asyncio.Queue[str]":
        """Return a queue of messages, once nothing can be missed any more."""
        if self._task is None or self._task.done():
            self._listening = asyncio.Event()
            self._task = asyncio.create_task(self._listen(self._listening))
        await asyncio.wait_for(self._listening.wait(), 10)
        page: asyncio.Queue[str] = asyncio.Queue(WAITING_MOST)
        self._pages.add(page)
        return page

    def leave(self, page: "asyncio.Queue[str]") -> None:
        """Forget a page; the connection stays for the next one."""
        self._pages.discard(page)

    async def _listen(self, listening: asyncio.Event) -> None:
        settings = connection.settings_dict  # at run time: tests use another database
        link = await psycopg.AsyncConnection.connect(
            host=settings["HOST"],
            port=settings["PORT"],
            user=settings["USER"],
            password=settings["PASSWORD"],
            dbname=settings["NAME"],
            autocommit=True,
        )
        try:
            async with link:
                await link.execute(f"LISTEN {CHANNEL}")
                listening.set()
                async for notice in link.notifies():
                    for page in self._pages:
                        _put(page, notice.payload)
        finally:
            for page in self._pages:
                _put(page, "")  # ends the stream: the browser connects again by itself


def _put(page: "asyncio.Queue[str]", message: str) -> None:
    """Queue a message; a slow page loses the oldest, and each message makes it fetch anew."""
    if page.full():
        page.get_nowait()
    page.put_nowait(message)


hub = Hub()


async def events(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Return the stream of changes as server-sent events."""
    person = await request.auser()
    if not person.is_authenticated:
        return problem(NotSignedIn())
    answer = StreamingHttpResponse(_stream(), content_type="text/event-stream")
    answer["Cache-Control"] = "no-store"
    answer["X-Accel-Buffering"] = "no"
    return answer


async def _stream() -> AsyncIterator[str]:
    page = await hub.join()
    try:
        yield "event: ready\ndata: {}\n\n"
        while True:
            try:
                message = await asyncio.wait_for(page.get(), KEEP_ALIVE_SECONDS)
            except TimeoutError:
                yield ": keep-alive\n\n"
                continue
            if not message:
                return
            yield f"data: {message}\n\n"
    finally:
        hub.leave(page)
