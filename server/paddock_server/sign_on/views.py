"""Log in through a provider; set providers up."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.core import signing
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.access.group_mapping import MappedRole, Preview

from ..errors import ActionError, NotThere
from ..people.actions.end_session import end_session
from ..people.actor import Actor, person
from ..people.models import Role, SignOnProvider
from ..people.sessions import ABOUT
from ..people.views import SessionView
from ..rest.addresses import server_address
from ..rest.reading import validated
from .actions.save_provider import delete_provider, preview_mapping, save_mapping, save_provider
from .actions.sign_in import ID_TOKEN, connect_identity, mapping_of, note_refused, sign_in
from .discovery import metadata_of
from .errors import SignOnRefused
from .flow import SECONDS, begin, log_out_address, pending_of, redeem

COOKIE = "paddock_sign_on"
REFUSED_SALT = "paddock.sign-on.refused"
REFUSED_SECONDS = 300
MAX_CODE_LENGTH = 4000


class OfferedProviderSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()


class SignOnSerializer(serializers.Serializer[Any]):
    """Where one can sign on. ``refused`` says why the last try did not work."""

    providers = OfferedProviderSerializer(many=True)
    refused = serializers.CharField()


class SignOnView(APIView):
    """Where one can sign on."""

    permission_classes = [AllowAny]

    @extend_schema(
        responses=SignOnSerializer,
        parameters=[OpenApiParameter("refused", str, description="As it stands in the address of the log-in page.")],
    )
    def get(self, request: Request) -> Response:
        """The providers that are on."""
        try:
            given = request.query_params.get("refused", "")
            refused = signing.loads(given, salt=REFUSED_SALT, max_age=REFUSED_SECONDS) if given else ""
        except signing.BadSignature:
            refused = ""
        providers = SignOnProvider.objects.filter(is_on=True).order_by("name")
        return Response(SignOnSerializer({"providers": providers, "refused": refused}).data)


class LoggedOutSerializer(serializers.Serializer[Any]):
    """``provider_log_out`` is where the browser logs out of the sign-on provider as well; empty for nowhere."""

    provider_log_out = serializers.CharField()


class SessionAndProviderView(SessionView):
    """Who is logged in; log in; log out, of the sign-on provider too."""

    @extend_schema(responses={200: LoggedOutSerializer})
    def delete(self, request: Request) -> Response:
        """Log out. The answer says where the browser logs out of the provider that opened this session."""
        about, token = request.session.get(ABOUT, {}), request.session.get(ID_TOKEN, "")
        end_session(person(request.user), request._request)  # first: the provider may take its time
        provider = SignOnProvider.objects.filter(pk=about.get("provider")).first() if token else None
        back_to = server_address(request, "/login")
        return Response({"provider_log_out": log_out_address(provider, token, back_to) if provider else ""})


def begin_sign_on(request: HttpRequest, pk: int) -> HttpResponse:
    """Sends the browser to the provider: to log in, or with ``connect`` to connect an identity to one's account."""
    provider = SignOnProvider.objects.filter(pk=pk, is_on=True).first()
    if provider is None:
        return _refused(SignOnRefused("This sign-on provider is not there any more."))
    connects = "connect" in request.GET
    if connects and not request.user.is_authenticated:
        return _refused(SignOnRefused("Log in first, then connect your account."))
    to = request.GET.get("to", "/")
    redirect = request.build_absolute_uri(reverse("sign-on-return"))
    try:
        link_to = int(request.user.pk) if connects and request.user.pk else 0
        address, cookie = begin(provider, redirect, _own_page(to), link_to)
    except SignOnRefused as error:
        note_refused(provider, error, request.META.get("REMOTE_ADDR", ""))
        return _refused(error)
    response = HttpResponseRedirect(address)
    # Lax: the browser sends it when it comes back from the provider's site.
    response.set_cookie(
        COOKIE, cookie, max_age=SECONDS, path=_cookie_path(), httponly=True, samesite="Lax", secure=request.is_secure()
    )
    return response


def return_from_provider(request: HttpRequest) -> HttpResponse:
    """The browser comes back with a code, or with an error of the provider."""
    response = _returned(request)
    response.delete_cookie(COOKIE, path=_cookie_path(), samesite="Lax")
    return response


def _returned(request: HttpRequest) -> HttpResponse:
    provider, address = None, request.META.get("REMOTE_ADDR", "")
    try:
        pending = pending_of(request.COOKIES.get(COOKIE), request.GET.get("state", ""))
        provider = SignOnProvider.objects.filter(pk=pending.provider, is_on=True).first()
        if provider is None:
            raise SignOnRefused("This sign-on provider is not there any more.")
        if "error" in request.GET:
            why = (request.GET.get("error_description") or request.GET["error"])[:200]
            raise SignOnRefused(f"{provider.name} did not let you in: {why}.")
        code = request.GET.get("code", "")
        if not 0 < len(code) <= MAX_CODE_LENGTH:
            raise SignOnRefused(f"{provider.name} sent no code.")
        signed, token = redeem(provider, pending, code, request.GET.get("iss"))
        if pending.link_to:
            # The session's cookie does not come along from another site; the signed cookie says who began this.
            user = User.objects.filter(pk=pending.link_to, is_active=True).first()
            if user is None:
                raise SignOnRefused("Log in first, then connect your account.")
            connect_identity(person(user), user, provider, signed)
        else:
            sign_in(request, provider, signed, token, address)
    except SignOnRefused as error:
        if provider:
            note_refused(provider, error, address)
        return _refused(error)
    except ActionError as error:
        return _refused(SignOnRefused(error.detail))
    return HttpResponseRedirect(f"{settings.SUB_PATH}{pending.to}")


def _refused(error: SignOnRefused) -> HttpResponse:
    """Signed, so that a link cannot put words of its own on the log-in page."""
    return HttpResponseRedirect(f"{settings.SUB_PATH}/login?refused={signing.dumps(error.detail, salt=REFUSED_SALT)}")


def _cookie_path() -> str:
    return f"{settings.SUB_PATH}/sign-on/"


def _own_page(to: str) -> str:
    is_own = to.startswith("/") and not to.startswith(("//", "/\\")) and to.isprintable() and len(to) < 500
    return to if is_own else "/"


class MappedRoleSerializer(serializers.Serializer[Any]):
    """``paddock`` "" stands for everything."""

    group = serializers.CharField(max_length=200)
    role = serializers.ChoiceField(choices=Role.choices)
    paddock = serializers.CharField(max_length=63, allow_blank=True, default="")


class ProviderSerializer(serializers.Serializer[Any]):
    """A provider without its client secret. ``redirect`` is what the provider has to allow."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    issuer = serializers.CharField()
    client_id = serializers.CharField()
    has_secret = serializers.BooleanField()
    groups_claim = serializers.CharField()
    is_on = serializers.BooleanField()
    trouble = serializers.CharField()
    trouble_at = serializers.DateTimeField(allow_null=True)
    version = serializers.IntegerField()
    people = serializers.IntegerField()
    known_groups = serializers.ListField(child=serializers.CharField())
    roles = MappedRoleSerializer(many=True)
    redirect = serializers.CharField()


class SaveProviderSerializer(serializers.Serializer[Any]):
    """``client_secret`` null leaves it as it is."""

    name = serializers.CharField(max_length=60)
    issuer = serializers.CharField(max_length=300)
    client_id = serializers.CharField(max_length=200)
    client_secret = serializers.CharField(
        max_length=500, required=False, allow_null=True, allow_blank=True, default=None
    )
    groups_claim = serializers.CharField(max_length=60, default="groups")
    is_on = serializers.BooleanField(default=True)


class MappingSerializer(serializers.Serializer[Any]):
    """``version`` is the one that the editor saw; ``locked_out`` the people whom the preview says it locks out."""

    roles = MappedRoleSerializer(many=True)
    version = serializers.IntegerField(min_value=0, max_value=2**31)
    locked_out = serializers.ListField(child=serializers.CharField(max_length=150), max_length=5000, default=list)


class PreviewMappingSerializer(serializers.Serializer[Any]):
    roles = MappedRoleSerializer(many=True)


class MappingChangeSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    before = serializers.DictField(child=serializers.CharField())
    after = serializers.DictField(child=serializers.CharField())


class MappingPreviewSerializer(serializers.Serializer[Any]):
    """What a mapping would change, by the groups of each person's last sign-on."""

    let_in = MappingChangeSerializer(many=True)
    locked_out = MappingChangeSerializer(many=True)
    changed = MappingChangeSerializer(many=True)
    administrators_left = serializers.IntegerField()


def _shown(request: Request, provider: SignOnProvider) -> dict[str, Any]:
    own = ("id", "name", "issuer", "client_id", "groups_claim", "is_on", "trouble", "trouble_at", "version")
    lists = provider.identities.values_list("groups", flat=True)
    return {
        **{name: getattr(provider, name) for name in own},
        "has_secret": bool(bytes(provider.client_secret)),
        "people": provider.identities.count(),
        "known_groups": sorted({group for groups in lists for group in groups}),
        "roles": [asdict(one) for one in mapping_of(provider)],
        "redirect": request.build_absolute_uri(reverse("sign-on-return")),
    }


def _provider(actor: Actor, pk: int) -> SignOnProvider:
    actor.demand(Role.ADMINISTRATOR, None, "Setting up sign-on")
    found = SignOnProvider.objects.filter(pk=pk).first()
    if found is None:
        raise NotThere(f"There is no sign-on provider {pk}.")
    return found


def _wanted(asked: dict[str, Any]) -> list[MappedRole]:
    return [MappedRole(one["group"], one["role"], one["paddock"]) for one in asked["roles"]]


class ProvidersView(APIView):
    """The sign-on providers."""

    @extend_schema(responses=ProviderSerializer(many=True))
    def get(self, request: Request) -> Response:
        """For administrators of everything."""
        person(request.user).demand(Role.ADMINISTRATOR, None, "Setting up sign-on")
        shown = [_shown(request, one) for one in SignOnProvider.objects.order_by("name")]
        return Response(ProviderSerializer(shown, many=True).data)

    @extend_schema(request=SaveProviderSerializer, responses={201: ProviderSerializer})
    def post(self, request: Request) -> Response:
        """Add one."""
        made = save_provider(person(request.user), **validated(SaveProviderSerializer, request))
        return Response(ProviderSerializer(_shown(request, made)).data, status=201)


class ProviderView(APIView):
    """One sign-on provider."""

    @extend_schema(request=SaveProviderSerializer, responses=ProviderSerializer)
    def put(self, request: Request, pk: int) -> Response:
        """Change it."""
        actor = person(request.user)
        saved = save_provider(actor, **validated(SaveProviderSerializer, request), provider=_provider(actor, pk))
        return Response(ProviderSerializer(_shown(request, saved)).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Remove it. Sessions that it opened end."""
        actor = person(request.user)
        delete_provider(actor, _provider(actor, pk))
        return Response(status=204)


class CheckProviderView(APIView):
    """Ask a provider for its configuration now."""

    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request, pk: int) -> Response:
        """A problem says what is wrong with its answer."""
        metadata_of(_provider(person(request.user), pk), fresh=True)
        return Response(status=204)


class PreviewMappingView(APIView):
    """What another mapping would do."""

    @extend_schema(request=PreviewMappingSerializer, responses=MappingPreviewSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """Whom it would let in or lock out. Nothing is changed."""
        provider = _provider(person(request.user), pk)
        foreseen = preview_mapping(provider, _wanted(validated(PreviewMappingSerializer, request)))
        return _preview(foreseen)


class MappingView(APIView):
    """The roles of a provider's groups."""

    @extend_schema(request=MappingSerializer, responses=MappingPreviewSerializer)
    def put(self, request: Request, pk: int) -> Response:
        """Replace them. Everyone who has signed on gets the new roles at once."""
        actor = person(request.user)
        provider, asked = _provider(actor, pk), validated(MappingSerializer, request)
        done = save_mapping(actor, provider, _wanted(asked), version=asked["version"], locked_out=asked["locked_out"])
        return _preview(done)


def _preview(foreseen: Preview) -> Response:
    return Response(MappingPreviewSerializer(asdict(foreseen)).data)
