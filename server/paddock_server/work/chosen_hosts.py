"""Which hosts a person means: by their names, or by terms that they meet."""

from __future__ import annotations

from ..errors import Invalid, NotThere
from ..hosts.models import Host
from ..hosts.queries import visible_hosts
from ..people.actor import Actor
from ..toolchains.terms_input import read_asked
from .fleet import cached_fleet


def chosen_hosts(actor: Actor, names: list[str], terms: list[str]) -> tuple[list[Host], str]:
    """The hosts, in the order of their names, and how they were chosen, in words. Raises Invalid, NotThere."""
    visible = {host.name: host for host in visible_hosts(actor).select_related("paddock")}
    if names and terms:
        raise Invalid("Choose hosts by name or by terms, not both.")
    if names:
        missing = [name for name in names if name not in visible]
        if missing:
            raise NotThere(f"No host is called {missing[0][:63]}.")
        return [visible[name] for name in sorted(set(names))], "by name"
    read = read_asked(terms).terms
    if not read:
        return [], ""
    with cached_fleet() as index:
        bits = index.state("admitted")
        for term in read:
            bits = bits & index.holds(term)
        found = [host.name for host in index.hosts_in(bits)]
    return [visible[name] for name in sorted(found) if name in visible], "; ".join(map(str, read))
