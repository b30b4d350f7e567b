"""Long lists in pages: a cursor stands for a place in the list, whatever is added meanwhile."""

from __future__ import annotations

from typing import TypeVar
from urllib.parse import urlsplit

from django.db.models import Model, QuerySet
from rest_framework.pagination import CursorPagination
from rest_framework.request import Request

PAGE = 500
Row = TypeVar("Row", bound=Model)


class Pages(CursorPagination):
    cursor_query_param = "page"
    page_size = PAGE

    def __init__(self, ordering: tuple[str, ...]) -> None:
        self.ordering = ordering

    def next_path(self) -> str | None:
        link = self.get_next_link()
        if link is None:
            return None
        parts = urlsplit(link)
        return f"{parts.path}?{parts.query}"


def page_of(query: QuerySet[Row], request: Request, *ordering: str) -> tuple[list[Row], str | None]:
    """One page, and the path of the next one, None after the last. The ordering names a unique field last."""
    pages = Pages(ordering)
    found = pages.paginate_queryset(query, request) or []
    return list(found), pages.next_path()
