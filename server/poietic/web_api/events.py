"""Live updates: what a command changed, told to every open page within the second."""

import asyncio
import hashlib
import json
from collections.abc import AsyncIterator, Iterable
from dataclasses import dataclass, field
from weakref import WeakSet

import psycopg
from asgiref.sync import sync_to_async
from django.db import connection
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse

from .errors import NotSignedIn, problem
from .http_errors import Unavailable

CHANNEL = "poietic_changes"
KEEP_ALIVE_SECONDS = 15
WAITING_MOST = 50
THINGS_MOST = 100


def publish(
    *, change: int, title: str, person: str, things: list[str], readers: Iterable[str]
) -> None:
    """Tell the pages of those who hold one of the roles what changed.

    Delivered when the transaction commits, and only then.
    """
    told = things if len(things) <= THINGS_MOST else []
    message = {"change": change, "title": title, "person": person, "things": told}
    _notify({"readers": sorted(readers), "message": message})


def publish_job(number: int, person: int, readers: Iterable[str]) -> None:
    """Tell the pages of a person, and of those who hold a role, how far a job has come; at the commit."""
    _notify({"readers": sorted(readers), "person": person, "message": {"job": number}})


def publish_end(*, session: str = "", person: int = 0) -> None:
    """End the streams of a session, or all of a person's; delivered at the commit."""
    _notify({"ended": session_mark(session) if session else person})


def _notify(told: dict[str, object]) -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, json.dumps(told)])


def session_mark(key: str) -> str:
    """Return what tells a session from others and does not open it."""
    return hashlib.sha256(key.encode()).hexdigest()[:16]


@dataclass(eq=False)
class Page:
    """An open page: whose it is, in which session, and what it was not told yet."""

    person: int
    roles: frozenset[str]
    session: str
    waiting: asyncio.Queue[str] = field(default_factory=lambda: asyncio.Queue(WAITING_MOST))

    def put(self, message: str) -> None:
        """Queue a message; a slow page loses the oldest, and each message makes it fetch anew."""
        if self.waiting.full():
            self.waiting.get_nowait()
        self.waiting.put_nowait(message)


class Hub:
    """The one LISTEN connection of a server process, and the pages that wait on it."""

    def __init__(self) -> None:
        #: a page whose answer was never begun goes with its answer
        self._pages: WeakSet[Page] = WeakSet()
        self._task: asyncio.Task[None] | None = None
        self._listening = asyncio.Event()

    async def join(self, page: Page) -> None:
        """Tell a page from now on; raises ConnectionError where the database tells nothing."""
        if self._task is None or self._task.done():
            self._listening = asyncio.Event()
            self._task = asyncio.create_task(self._listen(self._listening))
        ready = asyncio.create_task(self._listening.wait())
        await asyncio.wait({self._task, ready}, timeout=10, return_when=asyncio.FIRST_COMPLETED)
        ready.cancel()
        if not self._listening.is_set():
            raise ConnectionError("no LISTEN connection")
        self._pages.add(page)

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
                    self._tell(notice.payload)
        finally:
            for page in list(self._pages):
                page.put("")  # ends the stream: the browser connects again by itself

    def _tell(self, payload: str) -> None:
        told = json.loads(payload)
        if "ended" in told:
            for page in list(self._pages):
                if told["ended"] in (page.session, page.person):
                    page.put("")
            return
        readers, message = set(told["readers"]), json.dumps(told["message"])
        for page in list(self._pages):
            if readers & page.roles or told.get("person") == page.person:
                page.put(message)


hub = Hub()


async def events(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Return the stream of changes as server-sent events."""
    page = await sync_to_async(_page_of)(request)
    if page is None:
        return problem(NotSignedIn())
    try:
        await hub.join(page)
    except ConnectionError:
        return problem(Unavailable())
    answer = StreamingHttpResponse(_stream(page), content_type="text/event-stream")
    answer["Cache-Control"] = "no-store"
    answer["X-Accel-Buffering"] = "no"
    return answer


def _page_of(request: HttpRequest) -> Page | None:
    """Return the page of somebody signed in; while it waits it keeps no connection to the database."""
    try:
        person = request.user
        if not person.is_authenticated or person.pk is None:
            return None
        roles = frozenset(getattr(person, "roles", ()))
        return Page(person.pk, roles, session_mark(request.session.session_key or ""))
    finally:
        connection.close()


async def _stream(page: Page) -> AsyncIterator[str]:
    yield "event: ready\ndata: {}\n\n"
    while True:
        try:
            message = await asyncio.wait_for(page.waiting.get(), KEEP_ALIVE_SECONDS)
        except TimeoutError:
            yield ": keep-alive\n\n"
            continue
        if not message:
            return
        yield f"data: {message}\n\n"
