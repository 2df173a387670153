"""Errors as problem documents (RFC 9457)."""

from __future__ import annotations

import sqlite3
from http import HTTPStatus
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from hyalen.core.decisions.requests import EditError
from hyalen.core.formats.source import SourceError
from hyalen.core.model.text import fit_lines
from hyalen.store.outcome import Stale
from hyalen.store.records import NotFound
from hyalen.store.treatments import NameTaken
from hyalen.work.attendant import JobFailed
from hyalen.work.trouble import is_full

NO_SPACE = "The disk is full. What runs rests, nothing is lost, and all goes on by itself when there is room again."


def problem(status: int, title: str, detail: str, **more: Any) -> JSONResponse:
    """A response of type application/problem+json."""
    body = {"type": "about:blank", "title": title, "status": status, "detail": fit_lines(detail), **more}
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

    @app.exception_handler(JobFailed)
    @app.exception_handler(SourceError)
    def undone(_: Request, error: ValueError) -> JSONResponse:
        return problem(422, "It cannot be shown", str(error))

    @app.exception_handler(BadRequest)
    def bad(_: Request, error: BadRequest) -> JSONResponse:
        return problem(error.status, error.title, str(error))

    @app.exception_handler(RequestValidationError)
    def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"][1:])
        return problem(422, "The request is not valid", (f"{where}: {first['msg'].removeprefix('Value error, ')}"))

    @app.exception_handler(HTTPException)
    def other(_: Request, error: HTTPException) -> JSONResponse:
        says = {404: "There is no such address.", 405: "That cannot be done with this address."}
        answer = problem(
            error.status_code, HTTPStatus(error.status_code).phrase, says.get(error.status_code, error.detail)
        )
        answer.headers.update(error.headers or {})
        return answer

    @app.exception_handler(OSError)
    @app.exception_handler(sqlite3.OperationalError)
    def full(_: Request, error: Exception) -> JSONResponse:
        if isinstance(error, FileNotFoundError):
            return problem(
                404, "Gone", "A file of this page is missing from the data directory; bring the document in again."
            )
        if not is_full(error):
            raise error
        return problem(507, "No space left", NO_SPACE)

    @app.exception_handler(UnicodeEncodeError)
    def half(_: Request, error: UnicodeEncodeError) -> JSONResponse:
        return problem(422, "The request is not valid", "A text holds half a character (a lone surrogate).")

    @app.exception_handler(Exception)
    def fault(_: Request, error: Exception) -> JSONResponse:
        return problem(500, "A fault in the program", "The log says where. Nothing that was saved is lost; try again.")


class BadRequest(Exception):
    """Something the server will not do, with the reason."""

    def __init__(self, title: str, detail: str, status: int = 422) -> None:
        super().__init__(detail)
        self.title = title
        self.status = status
