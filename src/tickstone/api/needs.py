"""What handlers need, by annotation: the workshop."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends
from starlette.requests import HTTPConnection

from tickstone.actions.workshop import Workshop


def _workshop(connection: HTTPConnection) -> Workshop:
    workshop: Workshop = connection.app.state.workshop
    return workshop


Shop = Annotated[Workshop, Depends(_workshop)]
