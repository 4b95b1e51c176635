"""Prints the API's description, from which the typed client is made: ``python -m honest_stave.api.describe``."""

import json

from fastapi.openapi.utils import get_openapi

from honest_stave.api.resources import make_api


def description() -> str:
    """The OpenAPI document as JSON."""
    api = make_api(None)
    document = get_openapi(title=api.title, version=api.version, routes=api.routes)
    return json.dumps(document, indent=1) + "\n"


if __name__ == "__main__":
    print(description(), end="")
