"""Errors as problem documents (RFC 9457)."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse

from hyalen.core.decisions.requests import EditError
from hyalen.store.outcome import Stale
from hyalen.store.records import NotFound
from hyalen.store.treatments import NameTaken


def problem(status: int, title: str, detail: str, **more: Any) -> JSONResponse:
    """A response of type application/problem+json."""
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, **more}
    return JSONResponse(body, status, media_type="application/problem+json")


def install(app: FastAPI) -> None:
    """Turn what the layers below raise into problem documents."""

    @app.exception_handler(NotFound)
    def not_found(_: Request, error: NotFound) -> JSONResponse:
        return problem(404, "Not found", str(error.args[0]))

    @app.exception_handler(Stale)
    def stale(_: Request, error: Stale) -> JSONResponse:
        return problem(409, "Changed meanwhile", str(error))

    @app.exception_handler(EditError)
    def refused(_: Request, error: EditError) -> JSONResponse:
        return problem(422, "The change cannot be made", str(error))

    @app.exception_handler(NameTaken)
    def taken(_: Request, error: NameTaken) -> JSONResponse:
        return problem(409, "The name is taken", str(error))

    @app.exception_handler(BadRequest)
    def bad(_: Request, error: BadRequest) -> JSONResponse:
        return problem(error.status, error.title, str(error))

    @app.exception_handler(RequestValidationError)
    def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"][1:])
        return problem(422, "The request is not valid", f"{where}: {first['msg']}")


class BadRequest(Exception):
    """Something the server will not do, with the reason."""

    def __init__(self, title: str, detail: str, status: int = 422) -> None:
        super().__init__(detail)
        self.title = title
        self.status = status
