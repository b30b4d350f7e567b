"""The API's description says of every operation what an error looks like, too."""

from __future__ import annotations

from typing import Any

TEXT = {"type": "string"}
ERROR = {
    "type": "object",
    "properties": {
        "error": {
            "type": "object",
            "properties": {"code": TEXT, "message": TEXT, "try": TEXT},
            "required": ["code", "message", "try"],
        }
    },
    "required": ["error"],
}
ANY_ERROR = {
    "description": "What happened, what was not changed, what to try",
    "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Error"}}},
}


def with_errors(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """For the generator of descriptions: the one form of errors is every operation's other answer."""
    result["components"]["schemas"]["Error"] = ERROR
    for operations in result["paths"].values():
        for operation in operations.values():
            operation["responses"]["default"] = ANY_ERROR
    return result
