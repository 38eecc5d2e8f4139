"""The API: its routers, how bodies are read, and how mistakes are answered: always in words, never by a page."""

import logging

from django.core.exceptions import ObjectDoesNotExist, RequestDataTooBig
from django.db import OperationalError
from django.shortcuts import render
from django.views.decorators.http import require_GET
from ninja import NinjaAPI
from ninja.errors import HttpError
from ninja.parser import Parser

from pirouette.data import Cancelled, Problem, ProblemError
from pirouette.document.read import parse_json
from studio.phrases.api import router as phrases
from studio.renders.api import router as renders
from studio.scenes.api import router as scenes
from studio.scenes.services import Conflict, Gone, history
from studio.shelf.api import router as assets

log = logging.getLogger(__name__)


class ObjectParser(Parser):
    """Reads bodies as strictly as scene files: objects of JSON, without NaN, Infinity or runaway nesting."""

    def parse_body(self, request):
        try:
            body = parse_json(request.body.decode("utf-8"))
        except UnicodeDecodeError:
            raise ProblemError(Problem("", "the body is not text in UTF-8", "body.text")) from None
        if not isinstance(body, dict):
            raise ProblemError(Problem("", "the body must be a JSON object", "body.object"))
        return body


api = NinjaAPI(title="Pirouette", version="1", docs_url=None, parser=ObjectParser())
api.add_router("", scenes)
api.add_router("", phrases)
api.add_router("", renders)
api.add_router("", assets)


@api.exception_handler(ProblemError)
def problem(request, error):
    problems = [{"path": p.path, "where": p.where, "message": p.message, "code": p.code} for p in error.problems]
    return api.create_response(request, {"problems": problems}, status=422)


@api.exception_handler(Conflict)
def conflict(request, error):
    answer = {"message": str(error), "document": error.scene.document, **history(error.scene)}
    return api.create_response(request, answer, status=409)


@api.exception_handler(Cancelled)
def cancelled(request, error):
    return api.create_response(request, {"message": "a newer request took its place"}, status=410)


@api.exception_handler(Gone)
def gone(request, error):
    return api.create_response(request, {"message": str(error)}, status=404)


@api.exception_handler(ObjectDoesNotExist)
def missing(request, error):
    return api.create_response(request, {"message": "it is not there, or not any more"}, status=404)


@api.exception_handler(OperationalError)
def busy(request, error):
    log.warning("%s %s: %s", request.method, request.path, error)
    return api.create_response(request, {"message": "The database is busy, or the disk is full."}, status=503)


@api.exception_handler(RequestDataTooBig)
def too_large(request, error):
    return api.create_response(request, {"message": "the body is too large"}, status=413)


@api.exception_handler(MemoryError)
def no_memory(request, error):
    """Others hold what there is for now; scenes that are too large themselves are told of as such."""
    return api.create_response(request, {"message": "There is no memory left for this now."}, status=503)


@api.exception_handler(HttpError)
def refused(request, error):
    """What a parser raises arrives as the cause of another error."""
    if isinstance(error.__cause__, ProblemError):
        return problem(request, error.__cause__)
    if isinstance(error.__cause__, RequestDataTooBig):
        return too_large(request, error.__cause__)
    return api.create_response(request, {"message": error.message}, status=error.status_code)


@api.exception_handler(Exception)
def unexpected(request, error):
    log.exception("%s %s", request.method, request.path, exc_info=error)
    return api.create_response(request, {"message": "Something unexpected went wrong here."}, status=500)


@require_GET
def docs(request):
    """The page of the API: each address with what it does and takes, out of its own description."""
    described = api.get_openapi_schema()
    operations = [
        {"method": method.upper(), "path": path, **operation, "body": _fields(described, operation)}
        for path, methods in described["paths"].items()
        for method, operation in methods.items()
    ]
    return render(request, "studio/api.html", {"operations": operations})


def _fields(described, operation) -> list[dict]:
    """The fields of an operation's body."""
    content = operation.get("requestBody", {}).get("content", {})
    for kind in content.values():
        schema = kind["schema"]
        if "$ref" in schema:
            schema = described["components"]["schemas"][schema["$ref"].rsplit("/", 1)[1]]
        required = schema.get("required", ())
        return [
            {"name": name, "sort": _sort(field), "default": field.get("default"), "required": name in required}
            for name, field in schema.get("properties", {}).items()
        ]
    return []


def _sort(field) -> str:
    if "anyOf" in field:
        return " or ".join(_sort(one) for one in field["anyOf"])
    low, high = (field.get(name) for name in ("minimum", "maximum"))
    allowed = f" {low:,.15g} to {high:,.15g}" if low is not None and high is not None else ""
    return field.get("format") or field.get("type", "anything") + allowed
