"""Orders to upgrade, as hosts get them: signed with the server's key."""

from __future__ import annotations

from paddock_agent.wire import UpgradeOrder, UpgradePackage, order_text, signed_order_text

from ..errors import NotNow
from ..install.versions import Machine, held_version, packages_for, pip_wheel
from ..toolchains.catalogue import signing_key
from .models import RolloutHost


def signed_order(row: RolloutHost) -> tuple[str, str]:
    """The text of a host's order, and its signature in hexadecimal. Raises NotNow where this server no longer holds the
    version."""
    version, pip = held_version(row.version), pip_wheel()
    if version is None or pip is None or not row.version:
        raise NotNow(f"This server no longer holds the agent {row.version}.")
    packages = packages_for(version, Machine.of_facts(row.host.facts))
    wheel = version.wheel
    text = order_text(
        UpgradeOrder(
            number=row.pk,
            host=row.host.name,
            version=version.version,
            wheel=(wheel.file.name, wheel.sha256),
            pip=(pip.file.name, pip.sha256),
            packages=tuple(UpgradePackage(name, found, tuple(hashes)) for name, found, hashes in packages),
            drain_limit=float(row.rollout.drain_limit),
            proof_limit=float(row.rollout.proof_limit),
        )
    )
    return text, signing_key().sign(signed_order_text(text)).signature.hex()
