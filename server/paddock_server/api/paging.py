"""Lists come in pages."""

from rest_framework.pagination import PageNumberPagination


class Pages(PageNumberPagination):
    """``?page=2&page_size=100``; the answer has ``count``, ``next``, ``previous`` and ``results``."""

    page_size = 100
    page_size_query_param = "page_size"
    max_page_size = 1000
