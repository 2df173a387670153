"""The HTTP interface does what its own OpenAPI document promises, whatever is asked (Schemathesis)."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

import pytest
import requests
import schemathesis
from hypothesis import HealthCheck, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from hyalen.core.model.content import Role
from hyalen.store.store import Store
from hyalen.web.openapi import document
from tests.conftest import ContentMaker
from tests.helpers import Server, read_document

PROMISES = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A server with a document of three pages."""
    data = tmp_path_factory.mktemp("openapi")
    store = Store(data)
    read_document(store, [ContentMaker().add(Role.PARAGRAPH, f"Number {n} of the lights").page() for n in range(3)])
    store.close()
    made = Server(data)
    yield made
    made.kill()


@pytest.fixture(scope="module")
def session() -> Iterator[requests.Session]:
    """One connection for all that is asked, and no look for a proxy each time: thousands of questions are."""
    with requests.Session() as made:
        made.trust_env = False
        yield made


# What speaks to the address that it is given, or to the network, is not asked with made-up addresses.
SPEAKING = {"/api/events", "/api/scanners", "/api/scanners/find"}


def without_tuples(told: Any) -> Any:
    """Tuples as lists of any of their items: schemathesis at times makes a list of `prefixItems` that it then refuses."""
    if isinstance(told, list):
        return [without_tuples(each) for each in told]
    if not isinstance(told, dict):
        return told
    made = {key: without_tuples(value) for key, value in told.items() if key != "prefixItems"}
    return made | ({"items": {"anyOf": without_tuples(told["prefixItems"])}} if "prefixItems" in told else {})


# These take a treatment as `/api/pages/{page_id}/treatment` does, where each of its values is tried at its bounds.
TREATING = ["/api/pages/{page_id}/patches", "/api/pages/{page_id}/preview", "/api/treatments"]
config = schemathesis.Config.from_dict(
    {"operations": [{"include-path": TREATING, "phases": {"coverage": {"enabled": False}}}]}
)
schema = schemathesis.openapi.from_dict(without_tuples(json.loads(document())), config=config)
schema = schema.exclude(path=sorted(SPEAKING))


@schema.parametrize()
@settings(max_examples=8, deadline=None, suppress_health_check=list(HealthCheck))
def test_every_answer_is_one_that_is_promised(
    case: schemathesis.Case, server: Server, session: requests.Session
) -> None:
    case.call_and_validate(base_url=f"http://127.0.0.1:{server.port}", checks=PROMISES, session=session)
