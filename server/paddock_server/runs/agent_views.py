"""Where agents put the files that are kept of their attempts, piece by piece."""

from __future__ import annotations

from django.http import HttpResponse, JsonResponse
from rest_framework.request import Request

from ..errors import Invalid, KeyUnknown
from ..hosts.join_view import ForAgents
from ..hosts.queries import bearer_of, host_with_key
from ..rest.reading import whole_number
from .actions.record_outputs import PIECE, save_piece


class OutputPieceView(ForAgents):
    """With the agent's key: the bytes of one announced file from ``offset`` on."""

    throttle_classes = []

    def post(self, request: Request, attempt: str, number: int) -> HttpResponse:
        host = host_with_key(bearer_of(request))
        if host is None:
            raise KeyUnknown("The server does not know this agent's key: the host was turned away or retired.")
        data = request._request.body
        if len(data) > PIECE:
            raise Invalid(f"A piece has at most {PIECE} bytes; this one has {len(data)}.")
        have, whole = save_piece(host, attempt, number, whole_number(request, "offset") or 0, data)
        return JsonResponse({"have": have, "whole": whole})
