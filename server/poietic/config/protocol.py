"""HTTP as uvicorn reads it, with a time for the head of a request to arrive in."""

import asyncio
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

#: from the connection, or the first byte of a request, to the end of its headers [s]
HEAD_SECONDS = 10


class PatientProtocol(HttpToolsProtocol):
    """Ends connections whose request never gets a whole head; uvicorn would wait for ever."""

    _head_due: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        """Begin to wait for the first request."""
        super().connection_made(transport)
        self._await_head()

    def on_message_begin(self) -> None:
        """Begin to wait for the rest of a head."""
        super().on_message_begin()
        self._await_head()

    def on_headers_complete(self) -> None:
        """Stop waiting: the body has a time of its own."""
        self._forget_head()
        super().on_headers_complete()

    def connection_lost(self, exc: Exception | None) -> None:
        """Stop waiting for somebody who is gone."""
        self._forget_head()
        super().connection_lost(exc)

    def _await_head(self) -> None:
        self._forget_head()
        self._head_due = self.loop.call_later(HEAD_SECONDS, self.transport.close)

    def _forget_head(self) -> None:
        if self._head_due is not None:
            self._head_due.cancel()
            self._head_due = None
