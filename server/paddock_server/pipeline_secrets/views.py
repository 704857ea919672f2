from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..people.actor import person
from ..rest.paging import PagedView
from .actions.save_secret import remove_secret, save_secret, visible_secrets
from .models import PipelineSecret


class SecretSerializer(serializers.ModelSerializer[PipelineSecret]):
    """A secret without its value, which is never shown again. ``given_to`` is the attempt that had it last."""

    pipelines = serializers.ListField(child=serializers.CharField())
    paddocks = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = PipelineSecret
        fields = [
            "name", "purpose", "pipelines", "paddocks", "sources_only", "made_by", "made_at", "changed_by",
            "changed_at", "given_at", "given_to",
        ]  # fmt: skip
        read_only_fields = fields


class KeepSecretSerializer(serializers.Serializer[Any]):
    """Without ``value`` that of a secret that is there stays."""

    name = serializers.CharField(max_length=100)
    value = serializers.CharField(max_length=8000, trim_whitespace=False, required=False, write_only=True)
    purpose = serializers.CharField(max_length=200, allow_blank=True, default="")
    pipelines = serializers.ListField(child=serializers.CharField(max_length=100), max_length=200)
    paddocks = serializers.ListField(child=serializers.CharField(max_length=63), max_length=200)
    sources_only = serializers.BooleanField(default=False)


class SecretsView(PagedView):
    """The secrets of pipelines."""

    @extend_schema(responses=SecretSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The secrets that one may change, without their values."""
        return self.page_of(visible_secrets(person(request.user)), SecretSerializer)

    @extend_schema(request=KeepSecretSerializer, responses=SecretSerializer)
    def post(self, request: Request) -> Response:
        """Keep a secret, or change one."""
        given = KeepSecretSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        wanted = dict(given.validated_data)
        one = save_secret(
            person(request.user), wanted.pop("name"), wanted.pop("value", None), wanted.pop("pipelines"),
            wanted.pop("paddocks"), **wanted,
        )  # fmt: skip
        return Response(SecretSerializer(one).data)


class SecretView(APIView):
    """One secret."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, name: str) -> Response:
        """Remove a secret."""
        remove_secret(person(request.user), name)
        return Response(status=204)
