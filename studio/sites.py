"""What other sites may ask of this one: to be visited, and nothing else."""

from asgiref.sync import iscoroutinefunction
from django.http import HttpResponseForbidden
from django.utils.decorators import sync_and_async_middleware

FROM_ELSEWHERE = ("cross-site", "same-site")


def _refusal(request):
    """Return the answer to what another site's page asks for; None for anything else.

    A picture in a page elsewhere would make this machine draw it. A person who follows a link comes as a navigation.
    Raises DisallowedHost for other names than this server's, static files among it.
    """
    request.get_host()
    headers = request.headers
    if headers.get("Sec-Fetch-Site") in FROM_ELSEWHERE and headers.get("Sec-Fetch-Mode") != "navigate":
        return HttpResponseForbidden("other sites cannot use this one", content_type="text/plain")
    return None


def _kept_here(response):
    response["Cross-Origin-Resource-Policy"] = "same-origin"
    return response


@sync_and_async_middleware
def same_site(get_response):
    """Refuse what other sites' pages ask for, before any work is done, and let none of them hold what is here."""
    if iscoroutinefunction(get_response):

        async def middleware(request):
            return _kept_here(_refusal(request) or await get_response(request))
    else:

        def middleware(request):
            return _kept_here(_refusal(request) or get_response(request))

    return middleware
