"""The API: its routers, and how mistakes are answered."""

from ninja import NinjaAPI

from pirouette.data import Cancelled, ProblemError
from studio.renders.api import router as renders
from studio.scenes.api import router as scenes
from studio.scenes.services import Conflict, Gone
from studio.shelf.api import router as assets

api = NinjaAPI(title="Pirouette", version="1", docs_url="/docs")
api.add_router("", scenes)
api.add_router("", renders)
api.add_router("", assets)


@api.exception_handler(ProblemError)
def problem(request, error):
    problems = [{"path": p.path, "message": p.message, "code": p.code} for p in error.problems]
    return api.create_response(request, {"problems": problems}, status=422)


@api.exception_handler(Conflict)
def conflict(request, error):
    answer = {"message": str(error), "revision": error.revision, "document": error.document}
    return api.create_response(request, answer, status=409)


@api.exception_handler(Cancelled)
def cancelled(request, error):
    return api.create_response(request, {"message": "a newer request took its place"}, status=410)


@api.exception_handler(Gone)
def gone(request, error):
    return api.create_response(request, {"message": str(error)}, status=404)
