"""The page that stands in until the studio can answer."""

import socket
import urllib.error
import urllib.request

import pytest
from django.core.management import CommandError, call_command

from studio.waiting import waiting
from tests.browser.conftest import free_port


def asked(port, method="GET"):
    """What is answered there: status, how long to wait, text."""
    request = urllib.request.Request(f"http://127.0.0.1:{port}/scenes/3/", method=method)
    with pytest.raises(urllib.error.HTTPError) as answer:
        urllib.request.urlopen(request, timeout=10)
    return answer.value.code, answer.value.headers["Retry-After"], answer.value.read().decode()


def test_it_says_what_is_being_done_and_comes_again_by_itself():
    port = free_port()
    with waiting(port) as say:
        code, again, text = asked(port)
        assert (code, again) == (503, "4")
        assert "Getting ready, for 0 s" in text
        assert '<noscript><meta http-equiv="refresh" content="4"></noscript>' in text
        say("Storing <the demo>")
        assert "Storing &lt;the demo&gt;, for" in asked(port)[2]
        assert asked(port, "POST")[0] == 503
        assert asked(port, "HEAD")[2] == ""
    # Then the port is free for who answers.
    with socket.socket() as one:
        one.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        one.bind(("127.0.0.1", port))


def test_a_port_that_is_taken_is_told_before_anything_is_done():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        with pytest.raises(CommandError, match="cannot be served: Address already in use"):
            call_command("start", port=taken.getsockname()[1])
