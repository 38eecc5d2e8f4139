"""CSRF checks for every view, the API's included."""

from django.core.exceptions import RequestDataTooBig
from django.http import JsonResponse
from django.middleware.csrf import CsrfViewMiddleware
from django.views.csrf import csrf_failure


def _never_exempt():
    """Stands in for views that frameworks mark as exempt."""


def refused(request, reason=""):
    """Answer a request without its token: in words for programs, by a page for people."""
    if request.path.startswith("/api/"):
        return JsonResponse({"message": f"{reason} Send the cookie csrftoken as the header X-CSRFToken."}, status=403)
    return csrf_failure(request, reason)


class EveryViewCsrfMiddleware(CsrfViewMiddleware):
    """The API has no tokens of its own, so it is protected like any form."""

    def process_view(self, request, callback, callback_args, callback_kwargs):
        try:
            return super().process_view(request, _never_exempt, callback_args, callback_kwargs)
        except RequestDataTooBig:
            # The token is looked for in forms.
            return JsonResponse({"message": "the body is too large"}, status=413)
