"""People and facts for tests of the server."""

from __future__ import annotations

from django.contrib.auth.models import User
from rest_framework.test import APIClient

from paddock_agent import wire
from paddock_core.access.names import skeleton
from paddock_server.hosts.models import Paddock
from paddock_server.people.models import Account, Grant, Role

FACTS = wire.Facts(os="linux", os_version="12", os_name="Debian 12", arch="x64", hostname="knot", cores=8, memory=2**35)


def a_person(name: str, role: Role | None, paddock: Paddock | None = None) -> APIClient:
    """A client that is logged in as a person with one role."""
    user = User.objects.create_user(name, password="tide-gauge")
    Account.objects.create(user=user, skeleton=skeleton(name))
    if role:
        Grant.objects.create(user=user, role=role, paddock=paddock)
    client = APIClient()
    client.force_authenticate(user)
    return client
