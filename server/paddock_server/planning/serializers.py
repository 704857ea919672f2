from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from ..rest.zones import demand_zone
from .actions.save_costs import COST_FIELDS
from .models import REHEARSAL_STATES, Cost, PlanSettings, Rehearsal

MAX_PRICE = 1e9


class StretchSerializer(serializers.Serializer[Any]):
    """What Plan looks at: by default the last eight weeks, in all paddocks that the person may see."""

    since = serializers.DateTimeField(required=False)
    until = serializers.DateTimeField(required=False)
    zone = serializers.CharField(max_length=64, default="UTC", validators=[demand_zone])
    paddock = serializers.CharField(max_length=63, default="", allow_blank=True)


class GridField(serializers.ListField):
    """Seven days of 24 hours, from Monday; null for hours that the time does not have."""

    child = serializers.ListField(child=serializers.FloatField(allow_null=True))


class UseStepSerializer(serializers.Serializer[Any]):
    """A stretch of time: mean jobs ``waiting``, mean slots ``busy``; waits in seconds of the ``runs`` that began
    in it."""

    since = serializers.FloatField()
    until = serializers.FloatField()
    waiting = serializers.FloatField()
    busy = serializers.FloatField()
    runs = serializers.IntegerField()
    median = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    longest = serializers.FloatField(allow_null=True)


class UseShareSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    slot_hours = serializers.FloatField()
    runs = serializers.IntegerField()


class UseSharesSerializer(serializers.Serializer[Any]):
    """Slot-hours by host and so on, the largest first."""

    host = UseShareSerializer(many=True)
    paddock = UseShareSerializer(many=True)
    system = UseShareSerializer(many=True)
    pipeline = UseShareSerializer(many=True)
    person = UseShareSerializer(many=True)
    ask = UseShareSerializer(many=True)


class FleetChangeSerializer(serializers.Serializer[Any]):
    at = serializers.DateTimeField()
    what = serializers.CharField()


class PlanUseSerializer(serializers.Serializer[Any]):
    """How busy the fleet was. Shares from 0 to 1; ``working_share`` is that of Monday to Friday, 8 to 18."""

    since = serializers.DateTimeField()
    until = serializers.DateTimeField()
    runs = serializers.IntegerField()
    left_out = serializers.DictField(child=serializers.IntegerField())
    slots = serializers.IntegerField()
    slot_hours = serializers.FloatField()
    busy_share = serializers.FloatField()
    working_share = serializers.FloatField(allow_null=True)
    median_wait = serializers.FloatField(allow_null=True)
    high_wait = serializers.FloatField(allow_null=True)
    longest_wait = serializers.FloatField(allow_null=True)
    longest_queue = serializers.IntegerField()
    week = GridField()
    arrivals = GridField()
    steps = UseStepSerializer(many=True)
    shares = UseSharesSerializer()
    changes = FleetChangeSerializer(many=True)


class WorkGrowthSerializer(serializers.Serializer[Any]):
    """Growth of slot-hours per week as a share (0.04 is 4 % a week), with its 90 % interval; ``weeks`` oldest first."""

    rate = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    level = serializers.FloatField()
    weeks = serializers.ListField(child=serializers.FloatField())
    is_certain = serializers.BooleanField()


class KindOfWorkSerializer(serializers.Serializer[Any]):
    """``lengths`` are seconds at 5, 25, 50, 75 and 95 of 100 runs. ``hosts`` fit now."""

    name = serializers.CharField()
    terms = serializers.ListField(child=serializers.CharField())
    pipelines = serializers.ListField(child=serializers.CharField())
    runs = serializers.IntegerField()
    runs_per_week = serializers.FloatField()
    slot_hours_per_week = serializers.FloatField()
    lengths = serializers.ListField(child=serializers.FloatField())
    median_wait = serializers.FloatField()
    high_wait = serializers.FloatField()
    hosts = serializers.ListField(child=serializers.CharField())
    unreadable = serializers.CharField(allow_blank=True)
    thicken = serializers.CharField(allow_blank=True)
    arrivals = GridField()
    growth = WorkGrowthSerializer(allow_null=True)


class CoverFailureSerializer(serializers.Serializer[Any]):
    """The pipelines that stop if these hosts fail together."""

    hosts = serializers.ListField(child=serializers.CharField())
    pipelines = serializers.ListField(child=serializers.CharField())
    kinds = serializers.ListField(child=serializers.CharField())


class PlanKindsSerializer(serializers.Serializer[Any]):
    kinds = KindOfWorkSerializer(many=True)
    failures = CoverFailureSerializer(many=True)


class HostSpeedSerializer(serializers.Serializer[Any]):
    """Runs take ``factor`` times as long on the host as on its peers, between ``low`` and ``high``."""

    host = serializers.CharField()
    factor = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    runs = serializers.IntegerField()
    peers = serializers.IntegerField()
    is_certain = serializers.BooleanField()


class HostUseSerializer(serializers.Serializer[Any]):
    """Who used one host, and how fast it is; ``speed`` is null where too few of its jobs ran elsewhere too."""

    since = serializers.DateTimeField()
    until = serializers.DateTimeField()
    slot_hours = serializers.FloatField()
    busy_share = serializers.FloatField()
    runs = serializers.IntegerField()
    pipelines = UseShareSerializer(many=True)
    persons = UseShareSerializer(many=True)
    week = GridField()
    speed = HostSpeedSerializer(allow_null=True)


# ---- rehearsals ------------------------------------------------------------------------------------------------------


class FigureSerializer(serializers.Serializer[Any]):
    """Seconds, and where they lie in nine of ten drawings of the weeks."""

    value = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()


class WaitsSerializer(serializers.Serializer[Any]):
    """``high``: 95 of 100 wait no longer. ``curve`` are pairs of seconds and the share that waits no longer."""

    runs = serializers.IntegerField()
    never = serializers.IntegerField()
    median = FigureSerializer(allow_null=True)
    high = FigureSerializer(allow_null=True)
    longest = serializers.FloatField()
    curve = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))


class ComparedWaitsSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    sentence = serializers.CharField()
    before = WaitsSerializer()
    after = WaitsSerializer()
    change = FigureSerializer(allow_null=True)
    is_certain = serializers.BooleanField()


class CalibrationSerializer(serializers.Serializer[Any]):
    """The recorded waits against those of the play without a change; ratios are rehearsed over recorded."""

    recorded = WaitsSerializer()
    rehearsed = WaitsSerializer()
    median_ratio = serializers.FloatField(allow_null=True)
    high_ratio = serializers.FloatField(allow_null=True)
    is_close = serializers.BooleanField()


class NeverRunSerializer(serializers.Serializer[Any]):
    """Jobs that never start; ``today`` of them do not start without the change either."""

    today = serializers.IntegerField()
    kind = serializers.CharField()
    runs = serializers.IntegerField()
    pipelines = serializers.ListField(child=serializers.CharField())
    why = serializers.CharField()


class SizingSerializer(serializers.Serializer[Any]):
    """``count`` more hosts like ``like`` keep the target, null where none does; ``curve`` are pairs of a number and the
    95th wait in seconds, null for jobs that never run."""

    like = serializers.CharField()
    count = serializers.IntegerField(allow_null=True)
    curve = serializers.ListField(child=serializers.ListField(child=serializers.FloatField(allow_null=True)))
    why = serializers.CharField(allow_blank=True)


class OutgrownSerializer(serializers.Serializer[Any]):
    """The target breaks at ``factor`` times the work, in ``weeks`` weeks; ``latest`` is null for never."""

    factor = serializers.FloatField()
    weeks = serializers.FloatField()
    soonest = serializers.FloatField()
    latest = serializers.FloatField(allow_null=True)


class AttributedWaitSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    sentence = serializers.CharField()
    change = FigureSerializer()


class ChangeEffectSerializer(serializers.Serializer[Any]):
    """What one change costs whom: all changes against all but this one. ``never`` is how many more jobs never run
    because of it; ``why`` says where it cannot be left out."""

    sentence = serializers.CharField()
    pipelines = AttributedWaitSerializer(many=True)
    never = serializers.IntegerField()
    why = serializers.CharField(allow_blank=True)


class SleptSerializer(serializers.Serializer[Any]):
    """What came of a standby policy: the hours that hosts slept, in sum, how often one was woken, and the minutes that
    jobs waited longer in sum, null where other jobs were played as well."""

    hours = serializers.FloatField()
    wakes = serializers.IntegerField()
    waited = serializers.FloatField(allow_null=True)


class RehearsalResultSerializer(serializers.Serializer[Any]):
    """The answer. Lists of two are before and after."""

    runs = serializers.IntegerField()
    hosts = serializers.ListField(child=serializers.IntegerField())
    slots = serializers.ListField(child=serializers.IntegerField())
    latency = serializers.FloatField()
    calibration = CalibrationSerializer()
    pipelines = ComparedWaitsSerializer(many=True)
    kinds = ComparedWaitsSerializer(many=True)
    never = NeverRunSerializer(many=True)
    busy = serializers.ListField(child=GridField())
    effects = ChangeEffectSerializer(many=True, required=False)
    slept = SleptSerializer(required=False)
    cancelled = serializers.IntegerField()
    left_out = serializers.DictField(child=serializers.IntegerField())
    unreadable = serializers.DictField(child=serializers.IntegerField())
    departed = serializers.DictField(child=serializers.IntegerField())
    target = serializers.FloatField(required=False)
    for_pipelines = serializers.ListField(child=serializers.CharField(), required=False)
    sizing = SizingSerializer(required=False)
    growth = WorkGrowthSerializer(required=False, allow_null=True)
    outgrown = OutgrownSerializer(required=False, allow_null=True)
    outgrown_with_one = OutgrownSerializer(required=False, allow_null=True)


class ChangeField(serializers.DictField):
    """A change by its ``kind`` and the fields of that kind; docs/planning.md lists them."""


class AskedRehearsalSerializer(serializers.Serializer[Any]):
    """A stretch of the past, played again with changes. With a target in seconds it also says how many hosts like
    ``like`` keep the 95th wait of the pipelines under it, and when their growth breaks it."""

    name = serializers.CharField(max_length=100)
    since = serializers.DateTimeField()
    until = serializers.DateTimeField()
    zone = serializers.CharField(max_length=64, default="UTC", validators=[demand_zone])
    changes = serializers.ListField(child=ChangeField(), max_length=30, default=list)
    seed = serializers.IntegerField(min_value=0, max_value=2**31 - 1, default=0)
    target = serializers.IntegerField(min_value=0, max_value=7 * 86_400, default=0)
    pipelines = serializers.ListField(child=serializers.CharField(max_length=100), max_length=50, default=list)
    like = serializers.CharField(max_length=63, default="", allow_blank=True)


class RehearsalSerializer(serializers.ModelSerializer[Rehearsal]):
    """A rehearsal without its result. ``progress`` from 0 to 1."""

    state = serializers.ChoiceField(choices=REHEARSAL_STATES)
    changes = serializers.ListField(child=ChangeField())
    sentences = serializers.SerializerMethodField()
    pipelines = serializers.ListField(child=serializers.CharField())

    class Meta:
        model = Rehearsal
        fields = [
            "id", "name", "is_outlook", "asked_by", "asked_at", "since", "until", "zone", "changes", "sentences",
            "seed", "target", "pipelines", "like", "state", "progress", "seconds_left", "detail", "input_hash",
            "started_at", "ended_at",
        ]  # fmt: skip

    def get_sentences(self, rehearsal: Rehearsal) -> list[str]:
        """What the changes are, in words."""
        from .asking import changes_of

        return [change.sentence for change in changes_of(rehearsal)]


class RehearsalSheetSerializer(RehearsalSerializer):
    """A rehearsal with its result; null until it is done."""

    result = RehearsalResultSerializer(allow_null=True)

    class Meta(RehearsalSerializer.Meta):
        fields = [*RehearsalSerializer.Meta.fields, "result"]


# ---- costs ----------------------------------------------------------------------------------------------


def _price() -> serializers.FloatField:
    return serializers.FloatField(min_value=0, max_value=MAX_PRICE, required=False)


class AskedCostSerializer(serializers.Serializer[Any]):
    """What a host costs, or each host of a paddock."""

    host = serializers.CharField(max_length=63, default="", allow_blank=True)
    paddock = serializers.CharField(max_length=63, default="", allow_blank=True)
    is_rented = serializers.BooleanField(required=False)
    price, watts, room, per_hour, per_start = (_price() for _ in range(5))
    years = serializers.FloatField(min_value=0.1, max_value=50, required=False)


class CostSerializer(serializers.ModelSerializer[Cost]):
    host = serializers.SerializerMethodField()
    paddock = serializers.SerializerMethodField()

    class Meta:
        model = Cost
        fields = ["id", "host", "paddock", *COST_FIELDS]

    @extend_schema_field(serializers.CharField())
    def get_host(self, cost: Cost) -> str:
        return cost.host.name if cost.host else ""

    @extend_schema_field(serializers.CharField())
    def get_paddock(self, cost: Cost) -> str:
        return cost.paddock.name if cost.paddock else ""


class PlanSettingsSerializer(serializers.ModelSerializer[PlanSettings]):
    target = serializers.IntegerField(min_value=1, max_value=7 * 86_400, required=False)
    energy_price, rented_per_hour, rented_per_start = (_price() for _ in range(3))

    class Meta:
        model = PlanSettings
        fields = ["target", "currency", "energy_price", "rented_per_hour", "rented_per_start"]


class SlotHourSerializer(serializers.Serializer[Any]):
    """What a slot-hour costs: of those that worked, and of all."""

    used = serializers.FloatField(allow_null=True)
    offered = serializers.FloatField(allow_null=True)


class HostCostSerializer(serializers.Serializer[Any]):
    host = serializers.CharField()
    paddock = serializers.CharField()
    month = serializers.FloatField(allow_null=True)
    slot_hour = SlotHourSerializer()
    used_per_month = serializers.FloatField()


class PlanCostsSerializer(serializers.Serializer[Any]):
    """What was entered and what it amounts to. ``unknown`` hosts have no cost."""

    settings = PlanSettingsSerializer()
    entered = CostSerializer(many=True)
    hosts = HostCostSerializer(many=True)
    month = serializers.FloatField()
    unknown = serializers.IntegerField()
    rented_month = serializers.FloatField(allow_null=True)
    slot_hour = SlotHourSerializer()
    break_even_hours = serializers.FloatField(allow_null=True)
    break_even = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))


class OutlookSerializer(serializers.Serializer[Any]):
    """The newest outlook that is done; null where there is none yet. ``span`` are the first and the last recorded
    moment, empty without a past."""

    rehearsal = RehearsalSheetSerializer(allow_null=True)
    span = serializers.ListField(child=serializers.DateTimeField())
    settings = PlanSettingsSerializer()
