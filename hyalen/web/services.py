"""What the routers need."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Request

from hyalen.store.store import Store
from hyalen.work.foreman import Foreman
from hyalen.work.preview import Previews


@dataclass(frozen=True)
class Services:
    store: Store
    foreman: Foreman
    previews: Previews


def _services(request: Request) -> Services:
    services: Services = request.app.state.services
    return services


Given = Annotated[Services, Depends(_services)]
