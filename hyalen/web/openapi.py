"""Prints the OpenAPI document, from which the browser's types are generated."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

from hyalen.web.app import make_app


def document() -> str:
    """The OpenAPI document as JSON."""
    with tempfile.TemporaryDirectory() as directory:
        return json.dumps(make_app(Path(directory)).openapi(), indent=1) + "\n"


if __name__ == "__main__":
    print(document(), end="")
