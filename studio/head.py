"""HEAD for every address that answers GET: the same answer without its body."""

from asgiref.sync import iscoroutinefunction, markcoroutinefunction


class HeadMiddleware:
    """Lets views see a GET; the server sends no body in answer to a HEAD."""

    sync_capable = async_capable = True

    def __init__(self, get_response):
        self.get_response = get_response
        if iscoroutinefunction(get_response):
            markcoroutinefunction(self)

    def __call__(self, request):
        if request.method == "HEAD":
            request.method = "GET"
        return self.get_response(request)
