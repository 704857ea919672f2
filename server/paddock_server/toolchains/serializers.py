from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from paddock_core.kits import Stands

from ..hosts.models import LABEL, NAME
from ..people.actor import Actor
from ..people.models import Role
from ..rest.fields import NumberField
from .models import WHATS, Kit

STANDS = [(one.value, one.value) for one in Stands]
MAX_NOTE_LENGTH = 500


class InstallationOnHostSerializer(serializers.Serializer[Any]):
    """One installation, with the host that it is on."""

    host = serializers.CharField()
    paddock = serializers.CharField()
    os = serializers.CharField()
    path = serializers.CharField()
    home = serializers.CharField()
    plain = serializers.BooleanField()
    evidence = serializers.CharField()
    output = serializers.CharField()
    seen_since = serializers.DateTimeField()


class HostColumnsSerializer(serializers.Serializer[Any]):
    """The hosts, as lists of one length."""

    name = serializers.ListField(child=serializers.CharField())
    paddock = serializers.ListField(child=serializers.CharField())
    os = serializers.ListField(child=serializers.CharField())
    arch = serializers.ListField(child=serializers.CharField())
    healthy = serializers.ListField(child=serializers.BooleanField())
    surveyed = serializers.ListField(child=serializers.BooleanField())
    labels = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))


class ToolColumnsSerializer(serializers.Serializer[Any]):
    """One tool. ``versions`` are distinct, oldest first, each with the day on which its support ``ends``. ``hosts``,
    ``version`` and ``plain`` are of one length: the place of the host, the place of the version (-1 for broken), and 1
    for what a plain command gets. ``asked`` are jobs of 30 days; ``changed`` hosts where it changed in 7 days and
    not accepted yet; ``missed`` hosts whose kit asks for it in vain."""

    name = serializers.CharField()
    title = serializers.CharField()
    kind = serializers.CharField()
    asked = serializers.IntegerField()
    changed = serializers.IntegerField()
    missed = serializers.IntegerField()
    versions = serializers.ListField(child=serializers.CharField())
    ends = serializers.ListField(child=serializers.DateField(allow_null=True))
    hosts = serializers.ListField(child=serializers.IntegerField())
    version = serializers.ListField(child=serializers.IntegerField())
    plain = serializers.ListField(child=serializers.IntegerField())


class KitColumnsSerializer(serializers.Serializer[Any]):
    """A kit: the places of the hosts that it is put on, and how each stands."""

    name = serializers.CharField()
    hosts = serializers.ListField(child=serializers.IntegerField())
    stands = serializers.ListField(child=serializers.ChoiceField(choices=STANDS))


class ColumnsSerializer(serializers.Serializer[Any]):
    """The fleet and its tools, as columns."""

    hosts = HostColumnsSerializer()
    tools = ToolColumnsSerializer(many=True)
    kits = KitColumnsSerializer(many=True)


class WithinSerializer(serializers.Serializer[Any]):
    """The range as it was read, and for each version asked about whether it lies inside."""

    range = serializers.CharField()
    inside = serializers.ListField(child=serializers.BooleanField())


class WithinQuestionSerializer(serializers.Serializer[Any]):
    tool = serializers.CharField(max_length=60)
    range = serializers.CharField(max_length=200)
    versions = serializers.ListField(child=serializers.CharField(max_length=200), max_length=2000)


class AskingSerializer(serializers.Serializer[Any]):
    pipeline = serializers.CharField()
    job = serializers.CharField()
    times = serializers.IntegerField()


class AskingForRangeSerializer(AskingSerializer):
    """A job that asked for a tool; ``versions`` are those that it would take."""

    range = serializers.CharField()
    versions = serializers.ListField(child=serializers.CharField())


class VersionSerializer(serializers.Serializer[Any]):
    """One version: where it is, and the jobs that would fit nowhere if it went from all hosts."""

    version = serializers.CharField()
    ends = serializers.DateField(allow_null=True)
    installations = InstallationOnHostSerializer(many=True)
    stops = AskingSerializer(many=True)


class BrokenOnHostSerializer(serializers.Serializer[Any]):
    host = serializers.CharField()
    paddock = serializers.CharField()
    tool = serializers.CharField()
    path = serializers.CharField()
    why = serializers.CharField()
    output = serializers.CharField(source="said", default="")
    exit_code = serializers.IntegerField(default=None, allow_null=True)


class PropertiesSerializer(serializers.Serializer[Any]):
    """What is known of a thing: of a tool its version, home and whether it is the plain one, or why it is broken; of
    other things their value."""

    version = serializers.CharField(required=False)
    home = serializers.CharField(required=False)
    plain = serializers.CharField(required=False)
    why = serializers.CharField(required=False)
    value = serializers.CharField(required=False)


class ChangeSerializer(serializers.Serializer[Any]):
    """One thing that a survey found otherwise than the one before, between ``not_before`` and ``at``."""

    id = serializers.IntegerField()
    host = serializers.CharField()
    kind = serializers.CharField()
    name = serializers.CharField()
    place = serializers.CharField()
    what = serializers.ChoiceField(choices=WHATS)
    before = PropertiesSerializer(allow_null=True)
    after = PropertiesSerializer(allow_null=True)
    not_before = serializers.DateTimeField(allow_null=True)
    at = serializers.DateTimeField()
    because = serializers.CharField()
    accepted_by = serializers.CharField()
    accepted_at = serializers.DateTimeField(allow_null=True)
    note = serializers.CharField()


class ResultsSerializer(serializers.Serializer[Any]):
    passed = serializers.IntegerField()
    failed = serializers.IntegerField()


class ChangeOfHostSerializer(ChangeSerializer):
    """A change, with how the host's jobs ended in the week before it and in the week since."""

    results_before = ResultsSerializer()
    results_after = ResultsSerializer()


class ToolPageSerializer(serializers.Serializer[Any]):
    """Everything about one tool."""

    name = serializers.CharField()
    title = serializers.CharField()
    kind = serializers.CharField()
    aliases = serializers.ListField(child=serializers.CharField())
    scheme = serializers.CharField()
    ends_source = serializers.CharField()
    versions = VersionSerializer(many=True)
    broken = BrokenOnHostSerializer(many=True)
    lacking = serializers.ListField(child=serializers.CharField(), help_text="Surveyed hosts that have none.")
    asked = AskingForRangeSerializer(many=True)
    changes = ChangeSerializer(many=True)


@extend_schema_field(
    {"type": "array", "items": {"oneOf": [{"$ref": "#/components/schemas/Properties"}, {"type": "null"}]}}
)
class ComparedField(serializers.ListField):
    """A value per host. The schema is written out, since that of a list forgets that its parts may be null."""

    child = PropertiesSerializer(allow_null=True)


class DifferingSerializer(serializers.Serializer[Any]):
    """One thing that is not the same on all compared hosts; ``values`` has one value per host, null for not there."""

    kind = serializers.CharField()
    name = serializers.CharField()
    values = ComparedField()


class CompareSerializer(serializers.Serializer[Any]):
    """Two to four hosts side by side: only what differs. ``alike`` is how many things are the same."""

    hosts = serializers.ListField(child=serializers.CharField())
    rows = DifferingSerializer(many=True)
    alike = serializers.IntegerField()


class StandingTermSerializer(serializers.Serializer[Any]):
    term = serializers.CharField()
    found = serializers.CharField()
    ahead = serializers.BooleanField()


class StandingSerializer(serializers.Serializer[Any]):
    """How a host stands to a kit, with the terms that do not hold."""

    kit = serializers.CharField()
    stands = serializers.ChoiceField(choices=STANDS)
    in_kit = serializers.BooleanField()
    lacking = StandingTermSerializer(many=True)


class ThenSerializer(serializers.Serializer[Any]):
    """One installation, or other thing, as it was at a moment."""

    kind = serializers.CharField()
    name = serializers.CharField()
    place = serializers.CharField()
    properties = PropertiesSerializer()


class HistorySerializer(serializers.Serializer[Any]):
    """What changed on a host; with ``at``, what was on it then (null where no survey is that old)."""

    changes = ChangeOfHostSerializer(many=True)
    then = ThenSerializer(many=True, allow_null=True)
    kits = StandingSerializer(many=True)
    looked_for = serializers.IntegerField()
    survey_took = serializers.FloatField()
    probes = serializers.IntegerField()
    probes_refused = serializers.CharField()


class AcceptSerializer(serializers.Serializer[Any]):
    changes = serializers.ListField(child=NumberField(), min_length=1, max_length=5000)
    note = serializers.CharField(max_length=MAX_NOTE_LENGTH, allow_blank=True, default="")


class KitSerializer(serializers.ModelSerializer[Kit]):
    """A kit: a named list of terms, put on paddocks or on hosts by label."""

    name = serializers.CharField(max_length=63, validators=[NAME])
    purpose = serializers.CharField(max_length=200, allow_blank=True, default="")
    terms = serializers.ListField(child=serializers.CharField(max_length=1000), max_length=100)
    paddocks = serializers.ListField(child=serializers.CharField(max_length=63), max_length=200, default=list)
    labels = serializers.ListField(
        child=serializers.CharField(max_length=63, validators=[LABEL]), max_length=50, default=list
    )

    class Meta:
        model = Kit
        fields = ["name", "purpose", "terms", "paddocks", "labels", "changed_at", "changed_by"]
        read_only_fields = ["changed_at", "changed_by"]

    def to_representation(self, kit: Kit) -> dict[str, Any]:
        shown = {name: getattr(kit, name) for name in self.Meta.fields if name != "paddocks"}
        actor: Actor = self.context["actor"]
        return shown | {"paddocks": sorted(one.name for one in kit.paddocks.all() if actor.may(Role.VIEWER, one.name))}


class KitTrialSerializer(serializers.Serializer[Any]):
    """A kit as it might become; ``kit`` is the name of the one that would be changed, "" for a new one."""

    kit = serializers.CharField(max_length=63, allow_blank=True, default="")
    terms = serializers.ListField(child=serializers.CharField(max_length=1000), max_length=100)
    paddocks = serializers.ListField(child=serializers.CharField(max_length=63), max_length=200, default=list)
    labels = serializers.ListField(child=serializers.CharField(max_length=63), max_length=50, default=list)


class HostStandingSerializer(serializers.Serializer[Any]):
    host = serializers.CharField()
    stands = serializers.ChoiceField(choices=STANDS)
    lacking = StandingTermSerializer(many=True)


class EffectSerializer(serializers.Serializer[Any]):
    """What saving would do: the hosts that it would put out of the kit or into it, and how all would stand."""

    put_out = serializers.ListField(child=serializers.CharField())
    put_in = serializers.ListField(child=serializers.CharField())
    stay_in = serializers.ListField(child=serializers.CharField())
    stay_out = serializers.ListField(child=serializers.CharField())
    standings = HostStandingSerializer(many=True)


class ProposedTermSerializer(serializers.Serializer[Any]):
    term = serializers.CharField()
    jobs = serializers.IntegerField(allow_null=True)


class ToolEditSerializer(serializers.Serializer[Any]):
    """One version of a definition that this server has of its own."""

    tool = serializers.CharField()
    number = serializers.IntegerField()
    text = serializers.CharField()
    note = serializers.CharField()
    made_by = serializers.CharField()
    made_at = serializers.DateTimeField()
    release = serializers.IntegerField(allow_null=True)
    released_by = serializers.CharField()
    released_at = serializers.DateTimeField(allow_null=True)


class TrialSerializer(serializers.Serializer[Any]):
    """A dry run on one host; ``found`` and ``broken`` are as in a survey."""

    id = serializers.IntegerField()
    number = serializers.IntegerField(source="edit.number")
    host = serializers.CharField(source="host.name")
    asked_at = serializers.DateTimeField()
    answered_at = serializers.DateTimeField(allow_null=True)
    found = serializers.ListField(child=serializers.DictField())
    broken = serializers.ListField(child=serializers.DictField())
    took = serializers.FloatField()
    why = serializers.CharField()


class DefinitionSerializer(serializers.Serializer[Any]):
    """How a tool is defined now, as text, with its versions and dry runs."""

    name = serializers.CharField()
    text = serializers.CharField()
    built_in = serializers.BooleanField(help_text="Whether the definition in use came with the program.")
    edits = ToolEditSerializer(many=True)
    trials = TrialSerializer(many=True)


class CatalogueToolSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    title = serializers.CharField()
    kind = serializers.CharField()
    systems = serializers.ListField(child=serializers.CharField())
    scheme = serializers.CharField()
    own = serializers.BooleanField(help_text="Whether this server defines it.")
    draft = serializers.BooleanField(help_text="Whether a version waits to be released.")


class CatalogueSerializer(serializers.Serializer[Any]):
    """All tools that surveys look for. ``behind`` are connected hosts that have not taken the newest release, with
    why."""

    number = serializers.IntegerField()
    signer = serializers.CharField()
    tools = CatalogueToolSerializer(many=True)
    behind = serializers.DictField(child=serializers.CharField())


class WriteDefinitionSerializer(serializers.Serializer[Any]):
    text = serializers.CharField(max_length=64 * 1024, allow_blank=True, trim_whitespace=False)
    note = serializers.CharField(max_length=200, allow_blank=True, default="")


class TryDefinitionSerializer(serializers.Serializer[Any]):
    hosts = serializers.ListField(child=serializers.CharField(max_length=63), min_length=1, max_length=50)
