"""Every kind of term is known everywhere: to the grammar, the index, the verdicts, the reasons and the remedies."""

from __future__ import annotations

from typing import get_args

import pytest

from paddock_core.fit import Requirement
from paddock_core.fleet import Host
from paddock_core.fleet_index import FleetIndex
from paddock_core.grammar import SUBJECTS
from paddock_core.reasons import why_waiting
from paddock_core.terms import parse_terms
from paddock_core.terms.kinds import Simple
from paddock_core.terms.registry import KINDS
from paddock_core.verdicts import verdict

EXAMPLES = {
    "os": "os linux", "arch": "arch x64", "tool": "tool git 2+", "label": "label gpu", "kit": "kit firmware",
    "host": "host knot-02", "paddock": "paddock dunes", "cores": "cores 64", "memory": "memory 512 GB",
    "disk": "disk 9 TB free", "service": "service tide-db running", "env": "env TIDE = low",
    "user group": "user group docker", "display": "display",
}  # fmt: skip
HOST = Host("knot-01", "shoreline", os="macos", os_version="14.5", arch="arm64")


def test_the_registry_has_every_kind_once_in_the_order_of_the_grammar():
    assert {one.term for one in KINDS} == set(get_args(Simple))
    assert tuple(one.subject for one in KINDS) == SUBJECTS
    assert set(EXAMPLES) == set(SUBJECTS)


@pytest.mark.parametrize("kind", KINDS, ids=lambda one: one.subject)
def test_each_kind_is_read_decided_and_explained(kind):
    (term,) = parse_terms([EXAMPLES[kind.subject]])
    assert isinstance(term, kind.term)
    assert str(term).startswith(kind.subject)
    assert set(kind.reads) <= {*HOST.__dataclass_fields__, "installations"}
    assert not verdict(term, HOST).holds
    index = FleetIndex([HOST])
    reason = why_waiting(Requirement((term,)), index)
    assert reason.sentence, "a waiting job has a reason"
