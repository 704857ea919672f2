"""What is odd about a newcomer at the gate, for the person who decides."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from ipaddress import ip_address, ip_network


class Oddity(StrEnum):
    """The kinds of odd things."""

    SAME_MACHINE = "same machine twice"
    SAME_NAME = "name of an earlier host"
    OUTSIDE = "outside the paddock's networks"
    NO_MACHINE = "no machine id"
    OTHER_MACHINE = "another machine than the one that joined"


@dataclass(frozen=True)
class Suspicion:
    """One odd thing, in a sentence."""

    oddity: Oddity
    sentence: str


@dataclass(frozen=True)
class Known:
    """A host as far as it matters here. ``machine`` is what tells one machine from another, "" where that is not
    known; ``address`` is where its agent calls from; ``is_living`` is false for those that are no longer hosts."""

    name: str
    machine: str
    address: str = ""
    is_living: bool = True


def suspicions(newcomer: Known, others: Sequence[Known], networks: Sequence[str]) -> tuple[Suspicion, ...]:
    """The odd things about ``newcomer``. ``networks`` are those from which its paddock's agents may call, in CIDR
    notation; none means any."""
    found = []
    for other in others:
        if newcomer.machine and other.machine == newcomer.machine and other.is_living:
            sentence = f"The same machine is already the host {other.name}. Two agents would share it."
            found.append(Suspicion(Oddity.SAME_MACHINE, sentence))
        if other.name.casefold() == newcomer.name.casefold() and not other.is_living:
            same = "" if not (newcomer.machine and other.machine) else (
                " It is the same machine." if newcomer.machine == other.machine else " It is another machine."
            )  # fmt: skip
            found.append(Suspicion(Oddity.SAME_NAME, f"An earlier host was also called {other.name}.{same}"))
    if not newcomer.machine:
        sentence = "Its system has no machine id, so a copy of this machine could not be detected."
        found.append(Suspicion(Oddity.NO_MACHINE, sentence))
    if is_outside(newcomer.address, networks):
        sentence = f"It calls from {newcomer.address}, which is outside the paddock's networks ({', '.join(networks)})."
        found.append(Suspicion(Oddity.OUTSIDE, sentence))
    return tuple(dict.fromkeys(found))


def is_outside(address: str, networks: Sequence[str]) -> bool:
    """Whether an address lies in none of the networks. An unknown address is outside as soon as there are any."""
    if not networks:
        return False
    try:
        known = ip_address(address)
    except ValueError:
        return True
    return not any(known in ip_network(network, strict=False) for network in networks)


def calls_from_elsewhere(joined: str, calling: str) -> bool:
    """Whether an identity that joined from one machine now calls from another, or from one that hides which it is. One
    without an address proves nothing."""
    return bool(joined and joined != calling)


def is_an_earlier_boot(boots: Sequence[str], calling: str) -> bool:
    """Whether a boot comes back that another has followed: no machine returns to one, so two of them take turns.
    ``boots`` are those that were seen before, the last one at the end."""
    return bool(calling) and calling in boots[:-1] and boots[-1] != calling
