"""The application that the server runs, and how long and how much it listens to those who ask."""

import asyncio
import json
import os
import threading

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")

# So long may the parts of a body be apart, and so large may it be: more than the largest file that can be taken in.
BODY_SECONDS = 20
MAX_BODY = 160 << 20

_django = get_asgi_application()


class _Refused(Exception):
    """A request that is not listened to any longer, with its status and words."""


async def application(scope, receive, send):
    """Answer a request; while it is worked on, scope["left"] tells whether its client has gone away."""
    if scope["type"] != "http":
        return await _django(scope, receive, send)
    body = _Body(receive)
    scope["left"] = body.left
    try:
        if int(dict(scope["headers"]).get(b"content-length", b"0")) > MAX_BODY:
            raise _too_large()
        return await _django(scope, body.receive, send)
    except _Refused as error:
        return await _refuse(send, *error.args)


class _Body:
    """What comes of a request: waited for so long, and taken up to so much."""

    def __init__(self, receive):
        self._receive = receive
        self._size = 0
        self._is_whole = False
        self.left = threading.Event()

    async def receive(self):
        if self._is_whole:
            # Who has asked may wait for as long as the answer takes.
            message = await self._receive()
        else:
            try:
                message = await asyncio.wait_for(self._receive(), BODY_SECONDS)
            except TimeoutError:
                raise _Refused(408, "the request was not told to its end in time") from None
        if message["type"] == "http.disconnect":
            self.left.set()
        self._size += len(message.get("body", b""))
        if self._size > MAX_BODY:
            raise _too_large()
        self._is_whole = self._is_whole or not message.get("more_body", False)
        return message


def _too_large():
    return _Refused(413, f"the request is larger than {MAX_BODY >> 20} MB")


async def _refuse(send, status, words):
    body = json.dumps({"message": words}).encode()
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode())]
    # What may still come of the request is not listened to.
    headers.append((b"connection", b"close"))
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
