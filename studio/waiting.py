"""What browsers see before the studio can answer: a page that says what is being done, and asks again by itself."""

import threading
import time
from collections.abc import Callable
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

from django.template.loader import render_to_string

ASK_AGAIN_SECONDS = 4


@contextmanager
def waiting(port: int):
    """Answer everything on a port of this machine by a page that says to wait; yields a function that takes the words.

    Raises OSError if the port is taken
    """
    began = time.monotonic()
    words = ["Getting ready"]

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self):  # noqa: N802 - http.server calls it so
            about = {
                "words": words[0],
                "seconds": int(time.monotonic() - began),
                "again": ASK_AGAIN_SECONDS,
            }
            page = render_to_string("studio/waiting.html", about).encode()
            self.send_response(503)
            self.send_header("Content-Type", "text/html; charset=utf-8")
            self.send_header("Content-Length", str(len(page)))
            self.send_header("Cache-Control", "no-store")
            self.send_header("Retry-After", str(ASK_AGAIN_SECONDS))
            self.end_headers()
            if self.command != "HEAD":
                self.wfile.write(page)

        do_HEAD = do_POST = do_GET  # noqa: N815 - http.server calls them so

        def log_message(self, *_):
            """Nobody reads that."""

    server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
    server.daemon_threads = True
    answering = threading.Thread(target=server.serve_forever, daemon=True)
    answering.start()
    say: Callable[[str], None] = lambda text: words.__setitem__(0, text)  # noqa: E731
    try:
        yield say
    finally:
        server.shutdown()
        server.server_close()
        answering.join()
