"""Lists come in pages."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from django.db.models import QuerySet
from rest_framework.pagination import PageNumberPagination
from rest_framework.response import Response
from rest_framework.serializers import BaseSerializer
from rest_framework.views import APIView


class Pages(PageNumberPagination):
    """``?page=2&page_size=100``; the answer has ``count``, ``next``, ``previous`` and ``results``."""

    page_size = 100
    page_size_query_param = "page_size"
    max_page_size = 1000

    def get_paginated_response_schema(self, schema: dict[str, Any]) -> dict[str, Any]:
        """The schema of a page, as OpenAPI 3.1 writes it."""
        address = {"type": ["string", "null"], "format": "uri"}
        return {
            "type": "object",
            "required": ["count", "next", "previous", "results"],
            "properties": {
                "count": {"type": "integer", "description": "Of all pages."},
                "next": {**address, "description": "The next page; null on the last."},
                "previous": {**address, "description": "The page before; null on the first."},
                "results": schema,
            },
        }


class PagedView(APIView):
    """A view whose ``get`` answers with a list."""

    pagination_class = Pages

    def page_of(
        self,
        rows: QuerySet[Any] | Sequence[Any],
        serializer: type[BaseSerializer[Any]],
        shown: Callable[[list[Any]], Sequence[Any]] = list,
        **context: object,
    ) -> Response:
        """The requested page of the rows. ``shown`` adds what only the rows of the page need; ``context`` is the
        serializer's."""
        pages = self.pagination_class()
        page = shown(pages.paginate_queryset(rows, self.request, view=self) or [])
        return pages.get_paginated_response(serializer(page, many=True, context=context).data)
