"""A script of an administrator on a host that is on, for power strips that have a command of their own."""

from __future__ import annotations

from ...errors import ActionError
from ..actions.run_wake_script import run_wake_script
from .port import Target, Tried


class ByScript:
    def wake(self, target: Target) -> Tried:
        """See the port. What the script comes to is in its job."""
        if target.script is None or not target.script.text.strip():
            return Tried(("There is no script to wake it. Enter one on its sheet.",))
        if target.script.host_id is None:
            return Tried(("The host on which the script to wake it runs has left. Choose another one on its sheet.",))
        try:
            return Tried((run_wake_script(target.host, target.script.text, target.script.host_id),))
        except ActionError as error:
            return Tried((f"The script did not run: {error}",))
