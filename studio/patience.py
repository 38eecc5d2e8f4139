"""How long the server waits for a request to be told."""

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

# So long may it take from a connection, or from the first byte of a further request, to the end of its head.
HEAD_SECONDS = 20


class PatientProtocol(HttpToolsProtocol):
    """Closes connections on which no request is told to the end of its head; bodies are waited for in asgi.py."""

    _head_timer = None

    def connection_made(self, transport):
        super().connection_made(transport)
        self._wait_for_head()

    def on_message_begin(self):
        super().on_message_begin()
        self._wait_for_head()

    def on_headers_complete(self):
        self._head_is_there()
        super().on_headers_complete()

    def connection_lost(self, exc):
        self._head_is_there()
        super().connection_lost(exc)

    def _wait_for_head(self):
        self._head_is_there()
        self._head_timer = self.loop.call_later(HEAD_SECONDS, self.transport.close)

    def _head_is_there(self):
        if self._head_timer is not None:
            self._head_timer.cancel()
            self._head_timer = None
