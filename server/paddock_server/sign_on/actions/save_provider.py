"""Adds, changes and removes sign-on providers, and maps their groups to roles."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from django.db.models import Q

from paddock_core.access.group_mapping import MappedRole, Member, Preview, mapped_roles, preview
from paddock_core.access.roles import EVERYWHERE, merged

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.administrators import local_administrators
from ...people.models import GroupRole, Identity, Role, Session, SignOnProvider
from ...people.permission import requires
from ...people.sessions import end_sessions
from ...sealing import seal
from ...storage import action
from ..discovery import forget
from ..flow import seal_name
from ..provider_http import demand_safe_address
from .sign_in import apply_roles, mapping_of

MAX_MAPPED = 500


@action
@requires(Role.ADMINISTRATOR, "Setting up sign-on")
def save_provider(
    actor: Actor,
    name: str,
    issuer: str,
    client_id: str,
    client_secret: str | None,
    groups_claim: str = "groups",
    *,
    is_on: bool = True,
    provider: SignOnProvider | None = None,
) -> SignOnProvider:
    """``client_secret`` None leaves it as it is. Raises NotNow for a name or issuer that another provider has, and
    ProviderTrouble for an issuer without https."""
    demand_safe_address(issuer, "issuer")
    others = SignOnProvider.objects.exclude(pk=provider.pk) if provider else SignOnProvider.objects.all()
    if others.filter(Q(name=name) | Q(issuer=issuer)).exists():
        raise NotNow("Another provider has this name or this issuer.")
    is_new = provider is None
    saved = provider or SignOnProvider()
    if not is_new and saved.issuer != issuer:
        if saved.identities.exists():
            raise NotNow("People have signed on with this provider. Another issuer is another provider: add it beside.")
        if client_secret is None and bytes(saved.client_secret):
            raise Invalid("Enter the client secret again: it belongs to the former issuer.")
    forget(saved.issuer)
    saved.name, saved.issuer, saved.client_id = name, issuer, client_id
    saved.groups_claim, saved.is_on = groups_claim, is_on
    if client_secret is not None:
        saved.client_secret = seal(seal_name(issuer), client_secret) if client_secret else b""
    saved.save()
    details = {"issuer": issuer, "client": client_id, "on": is_on}
    write(actor, "added" if is_new else "changed", "sign-on provider", name, details=details)
    announce("sign-on", name)
    return saved


@action
@requires(Role.ADMINISTRATOR, "Setting up sign-on")
def delete_provider(actor: Actor, provider: SignOnProvider) -> None:
    """Sessions that it opened end; people who have no other way to log in stay listed, without roles of its groups."""
    end_sessions(provider.browser_sessions.all())
    forget(provider.issuer)
    name = provider.name
    provider.delete()
    write(actor, "deleted", "sign-on provider", name)
    announce("sign-on", name)


def preview_mapping(provider: SignOnProvider, wanted: Sequence[MappedRole]) -> Preview:
    """Who would be let in, be locked out, or get other roles."""
    members = []
    for identity in provider.identities.select_related("user"):
        user = identity.user
        others = user.grants.exclude(provider=provider).values_list("paddock__name", "role")
        roles = merged((name or EVERYWHERE, role) for name, role in others)
        members.append(Member(user.get_username(), identity.groups, roles, is_disabled=not user.is_active))
    known = {member.name for member in members}
    apart = local_administrators().exclude(username__in=known).count()
    return preview(members, mapping_of(provider), wanted, apart)


@action
@requires(Role.ADMINISTRATOR, "Mapping groups to roles")
def save_mapping(
    actor: Actor, provider: SignOnProvider, wanted: Sequence[MappedRole], *, version: int, locked_out: Collection[str]
) -> Preview:
    """Replaces the mapping, and gives everyone who signed on with the provider the roles of it at once.

    ``version`` is the one that the editor saw, and ``locked_out`` the people who, by the preview, would lose all
    access. Raises NotNow if either has changed since, or if no administrator would be left.
    """
    if provider.version != version:
        raise NotNow("Another person has changed this mapping since you looked. Load it again.")
    _demand_sound(wanted)
    foreseen = preview_mapping(provider, wanted)
    if foreseen.administrators_left == 0:
        raise NotNow("This mapping would leave no administrator for everything.")
    losing = {one.name for one in foreseen.locked_out}
    if losing - set(locked_out):
        raise NotNow(f"This mapping locks out {', '.join(sorted(losing))}. Look at the preview, and confirm it.")
    provider.group_roles.all().delete()
    paddocks = {one.name: one for one in Paddock.objects.all()}
    GroupRole.objects.bulk_create(
        GroupRole(
            provider=provider, group=one.group, role=one.role, paddock=paddocks[one.paddock] if one.paddock else None
        )
        for one in wanted
    )
    provider.version = version + 1
    provider.save(update_fields=["version"])
    for identity in Identity.objects.filter(provider=provider).select_related("user", "provider"):
        apply_roles(identity, mapped_roles(identity.groups, wanted))
    end_sessions(Session.objects.filter(user__username__in=losing))
    details = {"roles": [f"{one.group}: {one.role} {one.paddock or 'everywhere'}" for one in wanted[:50]]}
    write(actor, "mapped", "groups", provider.name, details={**details, "locked out": sorted(losing)})
    announce("sign-on", provider.name)
    return foreseen


def _demand_sound(wanted: Sequence[MappedRole]) -> None:
    if len(wanted) > MAX_MAPPED:
        raise Invalid(f"A mapping has at most {MAX_MAPPED} lines.")
    known = set(Paddock.objects.values_list("name", flat=True)) | {EVERYWHERE}
    seen = set()
    for place, one in enumerate(wanted):
        detail = ""
        if not one.group.strip():
            detail = "Name the group."
        elif one.paddock not in known:
            detail = f"There is no paddock {one.paddock}."
        elif (one.group, one.paddock) in seen:
            detail = f"{one.group} has two roles in the same place. Keep one."
        if detail:
            raise Invalid(detail, errors=[{"pointer": f"/roles/{place}", "detail": detail}])
        seen.add((one.group, one.paddock))
