from django.db.models import QuerySet
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import generics, serializers

from ..logbook.models import Entry
from ..people.actor import person
from ..people.models import Role


class EntrySerializer(serializers.ModelSerializer[Entry]):
    details = serializers.DictField(read_only=True)

    class Meta:
        model = Entry
        fields = ["id", "at", "who", "verb", "noun", "thing", "paddock", "details"]
        read_only_fields = fields


@extend_schema(parameters=[OpenApiParameter("thing", str, description="Only lines on the thing of this name.")])
class LogbookView(generics.ListAPIView[Entry]):
    """Who did what to which thing, and when; newest first."""

    serializer_class = EntrySerializer
    queryset = Entry.objects.none()

    def get_queryset(self) -> QuerySet[Entry]:
        entries = Entry.objects.all()
        paddocks = person(self.request.user).where(Role.VIEWER)
        if paddocks is not None:
            entries = entries.filter(paddock__in=paddocks)
        if thing := self.request.query_params.get("thing"):
            entries = entries.filter(thing=thing)
        return entries
