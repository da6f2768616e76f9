"""The one table from error code to HTTP status, and the wire form of a refusal."""

from __future__ import annotations

import secrets
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from tickstone.calculations.registry import refusal
from tickstone.errors import TickStoneError, TooLarge
from tickstone.supervised import LOG

STATUS = {
    "bad-input": 422,
    "too-large": 413,
    "forbidden": 403,
    "no-key": 401,
    "not-found": 404,
    "conflict": 409,
    "not-connected": 409,
    "source-lost": 409,  # the board is away, and not the server
    "store-away": 503,
    "disk-full": 507,
    "set-up": 500,
    "error": 500,
}


UNEXPECTED = (
    "Something went wrong that Tick Stone did not expect: look for error {} in its data folder's log."
)
MOST_BODY = 8_000_000  # bytes of a body, but for files that are handed over


class Refusal(BaseModel):
    """What the wire says when something is refused: a stable code, the field (or empty), a sentence."""

    code: str
    path: str
    message: str


# What every route may answer instead, with any status of the table.
REFUSALS: dict[int | str, dict[str, Any]] = {"default": {"model": Refusal}}


def answer(error: TickStoneError) -> JSONResponse:
    """A refusal as a response."""
    body = Refusal(code=error.code, path=error.path, message=error.message)
    return JSONResponse(body.model_dump(), status_code=STATUS[error.code])


def too_large() -> JSONResponse:
    """The refusal of a body that is too large."""
    return answer(TooLarge(f"This is larger than {MOST_BODY / 1e6:g} MB: nothing of it was taken in."))


def add_handlers(app: FastAPI) -> None:
    """Let every refusal leave the app in one form; FastAPI's own would echo NaN and fail."""

    @app.exception_handler(TickStoneError)
    def refused(_: Request, error: TickStoneError) -> JSONResponse:
        return answer(error)

    @app.exception_handler(HTTPException)
    def nowhere(request: Request, error: HTTPException) -> JSONResponse:
        if error.status_code == STATUS[TooLarge.code]:
            return too_large()
        body = Refusal(
            code="not-found", path="", message=f"Nothing here answers {request.method} {request.url.path}."
        )
        return JSONResponse(body.model_dump(), status_code=error.status_code, headers=error.headers)

    @app.exception_handler(Exception)
    def unexpected(request: Request, error: Exception) -> JSONResponse:
        number = secrets.token_hex(3)
        LOG.error(
            "error %s: a request failed, %s %s", number, request.method, request.url.path, exc_info=error
        )
        body = Refusal(code="error", path="", message=UNEXPECTED.format(number))
        return JSONResponse(body.model_dump(), status_code=STATUS["error"])

    @app.exception_handler(RequestValidationError)
    def malformed(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        where = [part for part in first["loc"] if part not in ("body", "query", "path")]
        return answer(refusal(where, first["type"], first["msg"], first.get("ctx")))
