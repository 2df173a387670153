"""Forms that bring files: how they are described and read."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import Request
from starlette.datastructures import FormData, UploadFile
from starlette.exceptions import HTTPException
from starlette.formparsers import MultiPartException

from hyalen.web.errors import BadRequest

FILE: dict[str, Any] = {"type": "string", "format": "binary"}


def described(required: str, **fields: dict[str, Any]) -> dict[str, Any]:
    """A form for OpenAPI, which does not find it by itself where a request is read as it comes."""
    schema = {"type": "object", "required": [required], "properties": fields}
    return {"requestBody": {"required": True, "content": {"multipart/form-data": {"schema": schema}}}}


@asynccontextmanager
async def form_of(request: Request, most: int) -> AsyncIterator[FormData]:
    """The request's form with at most so many files, which go with the block.

    Raises
    ------
    BadRequest
        If it is none, or breaks off.
    """
    try:
        form = await request.form(max_files=most)
    except (HTTPException, MultiPartException) as error:
        raise BadRequest("No files", "The request is no form with files, or breaks off; send it again.") from error
    try:
        yield form
    finally:
        await form.close()


async def only_file(request: Request, largest: int) -> bytes:
    """The bytes of the one file that a form brings.

    Raises
    ------
    BadRequest
        If it brings none, or one of more bytes.
    """
    async with form_of(request, 1) as form:
        file = form.get("file")
        if not isinstance(file, UploadFile):
            raise BadRequest("No file", "The request brings no file.")
        data = await file.read(largest + 1)
    if len(data) > largest:
        raise BadRequest("Too large", f"The file is larger than {largest / 1e6:.0f} MB.", 413)
    return data


def name_of(file: UploadFile) -> str:
    """The file's own name without the folders that some browsers send."""
    return Path((file.filename or "unnamed").replace("\\", "/")).name or "unnamed"
