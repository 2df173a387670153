"""What the routers need."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Request

from hyalen.store.records import PageRecord
from hyalen.store.store import Store
from hyalen.web.errors import BadRequest
from hyalen.work.attendant import Attendant
from hyalen.work.bundling import Bundling
from hyalen.work.foreman import Foreman
from hyalen.work.inbox import InboxKeeper
from hyalen.work.preview import Scanned
from hyalen.work.scanning import Scanning


@dataclass(frozen=True)
class Services:
    """`showing` makes what is looked at, apart from the foreman's attendant: no odd file holds up the screen."""

    store: Store
    foreman: Foreman
    showing: Attendant
    scanning: Scanning
    inboxes: InboxKeeper
    bundling: Bundling

    def scanned(self, page: PageRecord) -> Scanned:
        """A page's original for previews (raises BadRequest where it is not here yet)."""
        if page.original_blob is None:
            raise BadRequest("Not here yet", "The page has not been brought in yet.", 409)
        path = str(self.store.blobs.path(page.original_blob))
        languages = self.store.pages.languages(page)
        return Scanned(
            page.original_blob,
            path,
            page.dpi,
            page.stated_turn,
            page.half,
            page.cleaned,
            page.cleaning_print,
            languages,
        )


def _services(request: Request) -> Services:
    services: Services = request.app.state.services
    return services


Given = Annotated[Services, Depends(_services)]
